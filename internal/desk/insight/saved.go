package insight

import (
	"context"
	"encoding/json"
	"net/mail"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/report"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// readyPrefix marks the ids of reports that come with the program.
const readyPrefix = "ready-"

// keptQuery is a report as it is kept.
type keptQuery struct {
	report.Query
	Period string `json:"period"`
	Beside string `json:"beside,omitempty"`
}

func (k keptQuery) view() contract.ReportQuery {
	v := contract.ReportQuery{Figures: k.Figures, By: k.By, Period: k.Period}
	if k.Beside != "" {
		v.Beside = new(contract.ReportQueryBeside(k.Beside))
	}
	var where []contract.Condition
	for _, c := range k.Where {
		where = append(where, contract.Condition{Facet: c.Facet, Values: c.Values, Not: &c.Not})
	}
	if where != nil {
		v.Where = &where
	}
	return v
}

// kept is a report to be kept, as far as it can be computed. Error: *firm.FieldError.
func (in *Insight) kept(v contract.ReportQuery, f *firm.Settings) (keptQuery, error) {
	k := keptQuery{Query: queryOf(v), Period: v.Period, Beside: string(optional.Value(v.Beside))}
	if err := k.Check(); err != nil {
		return k, firm.About("query", err)
	}
	_, err := report.Period(v.Period).Window(in.Clock.Now(), calendar(f))
	return k, firm.About("period", err)
}

// Reports are a's saved reports, those that others share, and those that come with the program. Error:
// firm.ErrForbidden.
func (in *Insight) Reports(ctx context.Context, a firm.Actor) ([]contract.SavedReport, error) {
	if !a.MayDo(rights.SeeFigures) {
		return nil, firm.ErrForbidden
	}
	views := []contract.SavedReport{}
	rows, err := in.Store.Reports(ctx, a.ID)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		v, err := reportView(a, db.ReportRow(r))
		if err != nil {
			return nil, err
		}
		views = append(views, v)
	}
	for _, r := range report.ReadyReports {
		k := keptQuery{r.Query, string(r.Period), r.Beside}
		views = append(
			views,
			contract.SavedReport{ID: readyPrefix + r.Key, Name: r.Name, Group: &r.Group, Query: k.view(),
				Shared: true, MailTo: []string{}},
		)
	}
	return views, nil
}

func reportView(a firm.Actor, r db.ReportRow) (contract.SavedReport, error) {
	var k keptQuery
	if err := json.Unmarshal(r.Query, &k); err != nil {
		return contract.SavedReport{}, err
	}
	v := contract.SavedReport{
		ID:      r.ID.String(),
		Name:    r.Name,
		Query:   k.view(),
		Shared:  r.Shared,
		Mine:    r.OwnerID == a.ID,
		Owner:   r.Owner,
		Version: r.Version,
		MailTo:  []string{},
	}
	if v.Mine { // to whom it goes, and what stands on Today, is its owner's
		v.OnToday, v.Every, v.MailTo = r.OnToday, r.Every, r.MailTo
	}
	return v, nil
}

// toSave is a report as it was checked.
type toSave struct {
	name, every     string
	query           []byte
	shared, onToday bool
	mailTo          []string
}

func (in *Insight) checkReport(ctx context.Context, a firm.Actor, v contract.ReportToSave) (toSave, error) {
	s := toSave{name: firm.CleanText(v.Name), shared: optional.Value(v.Shared), onToday: optional.Value(v.OnToday),
		every: string(optional.Value(v.Every)), mailTo: []string{}}
	if !a.MayDo(rights.SeeFigures) {
		return s, firm.ErrForbidden
	}
	if s.name == "" {
		return s, firm.Wrong("name", "a report needs a name")
	}
	f, err := in.Settings(ctx)
	if err != nil {
		return s, err
	}
	k, err := in.kept(v.Query, f)
	if err != nil {
		return s, err
	}
	for _, to := range optional.Value(v.MailTo) {
		if to = strings.TrimSpace(to); to == "" {
			continue
		}
		if parsed, err := mail.ParseAddress(to); err != nil || parsed.Address != to {
			return s, firm.Wrong("mail_to", to+" is no mail address")
		}
		s.mailTo = append(s.mailTo, to)
	}
	switch {
	case s.every != "" && len(s.mailTo) == 0:
		return s, firm.Wrong("mail_to", "say to whom it is mailed")
	case s.every != "" && !a.MayDo(rights.Export):
		return s, firm.ErrForbidden // figures leave the firm's own screens
	}
	s.query, err = json.Marshal(k)
	return s, err
}

// SaveReport keeps a report. Errors: firm.ErrForbidden, *firm.FieldError.
func (in *Insight) SaveReport(
	ctx context.Context,
	a firm.Actor,
	key string,
	v contract.ReportToSave,
) (contract.SavedReport, error) {
	s, err := in.checkReport(ctx, a, v)
	if err != nil {
		return contract.SavedReport{}, err
	}
	id, err := in.Once(ctx, a, key, "save_report", v, func(q *db.Queries, id uuid.UUID) error {
		return q.InsertReport(
			ctx,
			db.InsertReportParams{ID: id, OwnerID: a.ID, Name: s.name, Query: s.query, Shared: s.shared,
				OnToday: s.onToday, Every: s.every, MailTo: s.mailTo, At: in.Clock.Now()},
		)
	})
	if err != nil {
		return contract.SavedReport{}, err
	}
	return in.savedReport(ctx, a, id)
}

func (in *Insight) savedReport(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.SavedReport, error) {
	r, err := in.Store.Report(ctx, id)
	if store.NotFound(err) || err == nil && r.OwnerID != a.ID {
		return contract.SavedReport{}, firm.ErrNotFound
	} else if err != nil {
		return contract.SavedReport{}, err
	}
	return reportView(a, r)
}

// ChangeReport changes a report of a's. Errors: firm.ErrForbidden, firm.ErrNotFound, firm.ErrChangedElse,
// *firm.FieldError.
func (in *Insight) ChangeReport(ctx context.Context, a firm.Actor, id uuid.UUID,
	v contract.ReportToSave) (contract.SavedReport, error) {
	s, err := in.checkReport(ctx, a, v)
	if err != nil {
		return contract.SavedReport{}, err
	}
	if _, err := in.savedReport(ctx, a, id); err != nil {
		return contract.SavedReport{}, err
	}
	n, err := in.Store.UpdateReport(ctx, db.UpdateReportParams{Name: s.name, Query: s.query, Shared: s.shared,
		OnToday: s.onToday, Every: s.every, MailTo: s.mailTo, At: in.Clock.Now(), ID: id, OwnerID: a.ID,
		Version: optional.Value(v.Version)})
	if err == nil && n == 0 {
		err = firm.ErrChangedElse
	}
	if err != nil {
		return contract.SavedReport{}, err
	}
	return in.savedReport(ctx, a, id)
}

// DeleteReport deletes a report of a's. Error: firm.ErrNotFound.
func (in *Insight) DeleteReport(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	n, err := in.Store.DeleteReport(ctx, db.DeleteReportParams{ID: id, OwnerID: a.ID})
	if err == nil && n == 0 {
		err = firm.ErrNotFound
	}
	return err
}
