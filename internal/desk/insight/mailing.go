package insight

import (
	"bytes"
	"context"
	"time"

	"trundo/internal/core/report"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/post"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// due tells whether a report that was mailed last at a moment is to be mailed now: with the first morning of the day,
// week
// or month after it, in the firm's zone.
func due(every string, last, now time.Time, cal *report.Calendar) (time.Time, bool) {
	period, there := map[string]report.Period{"day": "today", "week": "week", "month": "month"}[every]
	if !there {
		return time.Time{}, false
	}
	w, err := period.Window(now, cal)
	begins := w.From.Add(mailedAt)
	return begins, err == nil && last.Before(begins) && !now.Before(begins)
}

// mailedAt is at what time of the day reports go out.
const mailedAt = 6 * time.Hour

// MailReports mails what is due, once, however many servers look. Each goes out with the figures that its owner may
// see.
func (in *Insight) MailReports(ctx context.Context) error {
	if !in.Mailer.ByMail() {
		return nil
	}
	rows, err := in.Store.ReportsToMail(ctx)
	if err != nil || len(rows) == 0 {
		return err
	}
	f, err := in.Settings(ctx)
	if err != nil {
		return err
	}
	now := in.Clock.Now()
	for _, r := range rows {
		begins, is := due(r.Every, optional.TimeOf(r.MailedAt), now, calendar(f))
		if !is {
			continue
		}
		n, err := in.Store.ReportMailed(ctx, db.ReportMailedParams{At: &now, ID: r.ID, Due: &begins})
		if err != nil {
			return err
		}
		if n == 0 {
			continue
		}
		if err := in.mail(ctx, r); err != nil {
			if store.Away(err) {
				return err
			}
			in.Log.Warn("mailing a report", "report", r.Name, "error", err)
		}
	}
	return nil
}

func (in *Insight) mail(ctx context.Context, r db.ReportsToMailRow) error {
	owner, err := in.Actor(ctx, r.OwnerID)
	if err != nil {
		return err
	}
	if !owner.MayDo(rights.Export) {
		return firm.ErrForbidden
	}
	view, err := reportView(owner, db.ReportRow{ID: r.ID, OwnerID: r.OwnerID, Name: r.Name, Query: r.Query})
	if err != nil {
		return err
	}
	var files []post.File
	for format, mime := range map[string]string{"xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
		"csv": "text/csv"} {
		var out bytes.Buffer
		if err := in.WriteReport(ctx, owner, view.Query, r.Name, format, &out); err != nil {
			return err
		}
		files = append(files, post.File{Name: r.Name + "." + format, Type: mime, Content: out.Bytes()})
	}
	for _, to := range r.MailTo {
		if fault := in.Mailer.MailFromFirm(ctx, to, r.Name, "The report “"+r.Name+"” is attached, as a spreadsheet with a "+
			"picture and as CSV.\n\n"+owner.Name+" has it mailed every "+r.Every+".", files...); fault != nil {
			err = fault
		}
	}
	return err
}
