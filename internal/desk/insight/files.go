package insight

import (
	"context"
	"fmt"
	"io"
	"math"
	"strconv"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/datetime"
	"trundo/internal/core/report"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/formats"
	"trundo/internal/optional"
	"trundo/internal/store/db"
)

// facetNames are what facets are called where they head a column.
var facetNames = map[string]string{"way": "Direction", "line": "Line", "queue": "Queue", "rep": "Rep", "team": "Team",
	"outcome": "Outcome", "type": "Call type", "source": "Source", "list": "List", "shown": "Number shown",
	"device": "Device", "ending": "How it ended", "hour": "Hour", "weekday": "Weekday", "day": "Day", "week": "Week",
	"month": "Month", "topic": "Topic", "length": "Length", "wait": "Wait", "satisfaction": "Satisfaction",
	"quality": "Quality", "talk_share": "Our talk share"}

// WriteReport writes a report as CSV or XLSX. Errors: firm.ErrForbidden, *firm.FieldError.
func (in *Insight) WriteReport(
	ctx context.Context,
	a firm.Actor,
	v contract.ReportQuery,
	name, format string,
	w io.Writer,
) error {
	r, err := in.Report(ctx, a, v)
	if err != nil {
		return err
	}
	sheet := in.sheet(r, v, name)
	if format == "xlsx" {
		return formats.WriteXLSX(w, sheet)
	}
	return writeCSV(w, sheet)
}

// sheet is a report as a table: the figures of each group, and beside them what they were.
func (in *Insight) sheet(r contract.ReportResult, v contract.ReportQuery, name string) formats.Sheet {
	style := datetime.In(in.LastSettings().Region)
	zone, err := time.LoadLocation(r.Zone)
	if err != nil {
		zone = time.UTC
	}
	s := formats.Sheet{Title: name, Drawn: v.By != "", Columns: []formats.Column{{Name: facetNames[v.By]}},
		Notes: []string{
			fmt.Sprintf(
				"%s to %s, days in %s",
				style.Date(r.From.In(zone)),
				style.Date(r.Until.In(zone).AddDate(0, 0, -1)),
				r.Zone,
			),
		}}
	if r.Reach != contract.ReportResultReachAll {
		s.Notes = append(s.Notes, "Of the calls that you may see.")
	}
	for _, f := range r.Figures {
		s.Columns = append(s.Columns, formats.Column{Name: f.Name, Format: numberFormats[f.Unit]})
		if optional.Value(v.Beside) != "" && optional.Value(v.Beside) != contract.ReportQueryBesideNone {
			s.Columns = append(
				s.Columns,
				formats.Column{Name: f.Name + besideName(*v.Beside), Format: numberFormats[f.Unit]},
			)
		}
	}
	beside := len(s.Columns) > 1+len(r.Figures)
	row := func(label string, cells []contract.ReportCell) []any {
		line := []any{label}
		for _, c := range cells {
			line = append(line, rounded(c.Value))
			if beside {
				line = append(line, rounded(c.Beside))
			}
		}
		return line
	}
	for _, g := range r.Groups {
		s.Rows = append(s.Rows, row(g.Label, g.Cells))
	}
	if len(r.Groups) == 0 {
		s.Rows = append(s.Rows, row("All", r.All))
		s.Drawn = false
	}
	return s
}

// numberFormats are how spreadsheets write figures.
var numberFormats = map[contract.FigureUnit]string{contract.FigureUnit(report.Count): "#,##0",
	contract.FigureUnit(report.Seconds): "#,##0", contract.FigureUnit(report.Percent): "0.0", contract.FigureUnit(report.Points): "0.0",
	contract.FigureUnit(report.Average): "0.0"}

func besideName(b contract.ReportQueryBeside) string {
	if b == contract.ReportQueryBesideUsual {
		return ", usual"
	}
	return ", before"
}

func rounded(v *float64) any {
	if v == nil {
		return nil
	}
	return math.Round(*v*100) / 100
}

func writeCSV(w io.Writer, s formats.Sheet) error {
	var names []string
	for _, c := range s.Columns {
		names = append(names, c.Name)
	}
	out, err := formats.NewCSVWriter(w, names)
	if err != nil {
		return err
	}
	for _, row := range s.Rows {
		cells := make([]string, len(names))
		for i, value := range row {
			switch v := value.(type) {
			case string:
				cells[i] = v
			case float64:
				cells[i] = strconv.FormatFloat(v, 'f', -1, 64)
			}
		}
		if err := out.Write(cells); err != nil {
			return err
		}
	}
	return out.Flush()
}

// maxListed is how many found calls a file has.
const maxListed = 100_000

// FoundIDs are up to n of the calls that fit conditions, the newest first. Errors: firm.ErrForbidden, *firm.FieldError.
func (in *Insight) FoundIDs(ctx context.Context, a firm.Actor, v contract.CallsSought, n int) ([]uuid.UUID, error) {
	q, err := in.ask(ctx, a, v.Period, optional.Value(v.Where))
	if err != nil {
		return nil, err
	}
	in.mu.RLock()
	defer in.mu.RUnlock()
	found := in.book.All(q.asked, n)
	ids := make([]uuid.UUID, len(found))
	for i, id := range found {
		ids[i] = idOf(id)
	}
	return ids, nil
}

// WriteFound writes found calls as a file, by the right to export. Errors: firm.ErrForbidden, *firm.FieldError.
func (in *Insight) WriteFound(ctx context.Context, a firm.Actor, v contract.CallsSought, w io.Writer) error {
	if !a.MayDo(rights.Export) {
		return firm.ErrForbidden
	}
	ids, err := in.FoundIDs(ctx, a, v, maxListed)
	if err != nil {
		return err
	}
	return in.calls.WriteCallsByID(ctx, a, ids, w)
}

// ListOfFound makes a list of the people with whom the found calls were. Errors: firm.ErrForbidden, *firm.FieldError.
func (in *Insight) ListOfFound(ctx context.Context, a firm.Actor, key string,
	v contract.ListOfFound) (contract.RecordList, error) {
	ids, err := in.FoundIDs(ctx, a, v.Sought, maxListed)
	if err != nil {
		return contract.RecordList{}, err
	}
	if len(ids) == 0 {
		return contract.RecordList{}, firm.Wrong("sought", "there is no call")
	}
	name := firm.CleanText(v.Name)
	if name == "" {
		return contract.RecordList{}, firm.Wrong("name", "a list needs a name")
	}
	id, err := in.Once(ctx, a, key, "list_found", v, func(q *db.Queries, id uuid.UUID) error {
		if err := q.InsertList(ctx, db.InsertListParams{ID: id, Name: name, Type: string(contract.ListEditTypeHand),
			RecordKind: string(contract.ListEditKindPeople), Query: []byte("{}"), OwnerID: a.ID, Shared: true,
			CreatedAt: in.Clock.Now()}); err != nil {
			return err
		}
		_, err := q.ListPeopleOfCalls(ctx, db.ListPeopleOfCallsParams{ListID: id, At: in.Clock.Now(), Calls: ids})
		return err
	})
	if err != nil {
		return contract.RecordList{}, err
	}
	in.people.BookChanged()
	return in.people.List(ctx, a, id)
}
