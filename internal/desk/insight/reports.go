package insight

import (
	"context"

	"trundo/internal/contract"
	"trundo/internal/core/report"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
)

// Figures are what can be reported, and by what calls are narrowed. Error: firm.ErrForbidden.
func (in *Insight) Figures(a firm.Actor) (contract.FigureList, error) {
	if !a.MayDo(rights.SeeFigures) {
		return contract.FigureList{}, firm.ErrForbidden
	}
	v := contract.FigureList{Figures: []contract.Figure{}, Facets: []contract.Facet{}, Orders: report.Orders(),
		MayScore: a.MayDo(rights.ScoreCalls)}
	for i := range report.Figures {
		v.Figures = append(v.Figures, figureView(&report.Figures[i]))
	}
	for _, f := range report.Facets {
		x := contract.Facet{Key: f.Key, Kind: contract.FacetKind(f.Kind), Edges: f.Edges, Groups: f.Groups}
		if x.Edges == nil {
			x.Edges = []int{}
		}
		if f.Unit != "" {
			x.Unit = new(contract.FigureUnit(f.Unit))
		}
		v.Facets = append(v.Facets, x)
	}
	return v, nil
}

func figureView(f *report.Figure) contract.Figure {
	return contract.Figure{Key: f.Key, Name: f.Name, Definition: f.Definition, Unit: contract.FigureUnit(f.Unit),
		Better: f.Better}
}

// queryOf is a report as core has it.
func queryOf(v contract.ReportQuery) report.Query {
	return report.Query{Figures: v.Figures, By: v.By, Where: conditions(optional.Value(v.Where))}
}

// Report computes figures. Whoever may not see all gets those of what they may see, and is told. Errors:
// firm.ErrForbidden,
// *firm.FieldError.
func (in *Insight) Report(ctx context.Context, a firm.Actor, v contract.ReportQuery) (contract.ReportResult, error) {
	if !a.MayDo(rights.SeeFigures) {
		return contract.ReportResult{}, firm.ErrForbidden
	}
	query := queryOf(v)
	if err := query.Check(); err != nil {
		return contract.ReportResult{}, firm.About("query", err)
	}
	q, err := in.ask(ctx, a, v.Period, optional.Value(v.Where))
	if err != nil {
		return contract.ReportResult{}, err
	}
	f, err := in.Settings(ctx)
	if err != nil {
		return contract.ReportResult{}, err
	}
	names, err := in.labels(ctx, f)
	if err != nil {
		return contract.ReportResult{}, err
	}
	in.mu.RLock()
	defer in.mu.RUnlock()
	r := in.book.Run(query, q.asked)
	view := contract.ReportResult{Figures: []contract.Figure{}, Groups: []contract.ReportGroup{}, From: q.window.From,
		Until: q.window.To, Zone: q.cal.Zone(), Reach: contract.ReportResultReach(q.reach), Counting: q.behind}
	for _, key := range query.Figures {
		figure, _ := report.FigureOf(key)
		view.Figures = append(view.Figures, figureView(figure))
	}
	var windows []report.Window
	switch optional.Value(v.Beside) {
	case contract.ReportQueryBesideBefore:
		windows = []report.Window{q.window.Before()}
	case contract.ReportQueryBesideUsual:
		windows = q.window.Usual(in.book.FirstCall())
		view.BesideWindows = new(len(windows))
	}
	groups, all := in.book.Beside(r, query, q.asked, windows)
	view.All = cellViews(r.All, all)
	for _, g := range r.Groups {
		view.Groups = append(view.Groups, contract.ReportGroup{Key: g.Key, Label: names.label(query.By, g.Key),
			Cells: cellViews(g.Cells, groups[g.Key])})
	}
	return view, ctx.Err() // whoever asked may be gone
}

func cellViews(cells []report.Cell, beside []*float64) []contract.ReportCell {
	views := make([]contract.ReportCell, len(cells))
	for i, c := range cells {
		views[i] = contract.ReportCell{Value: c.Value, Calls: c.Calls}
		if i < len(beside) {
			views[i].Beside = beside[i]
		}
	}
	return views
}
