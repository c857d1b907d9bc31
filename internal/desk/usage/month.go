package usage

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/money"
	"trundo/internal/core/rights"
	"trundo/internal/core/usage"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// monthOf is the month in which a moment is, where the firm is at home.
func (us *Usage) monthOf(t time.Time) (since, until time.Time) {
	zone := time.UTC
	if f := us.LastSettings(); f != nil && f.Zone != nil {
		zone = f.Zone
	}
	t = t.In(zone)
	since = time.Date(t.Year(), t.Month(), 1, 0, 0, 0, 0, zone)
	return since, since.AddDate(0, 1, 0)
}

// prices is the value of the setting "prices".
type prices struct {
	Minutes []usage.Price       `json:"minutes"`
	Text    int64               `json:"text"`  // hundredths of the minor unit
	Lines   map[uuid.UUID]int64 `json:"lines"` // a month, likewise
}

func (us *Usage) limits(ctx context.Context) ([]limit, error) {
	rows, err := us.Store.UsageLimits(ctx)
	all := make([]limit, len(rows))
	for i, r := range rows {
		all[i] = limit{r.ID, usage.What(r.What), usage.Scope(r.Scope), r.OfWhom, r.Amount, r.Hard}
	}
	return all, err
}

// count counts a month.
func (us *Usage) count(ctx context.Context, since, until time.Time) (*month, error) {
	m := &month{since: since, until: until, counted: us.Clock.Now(), firm: amounts{}, reps: map[uuid.UUID]amounts{},
		lines: map[uuid.UUID]amounts{}, teams: map[string]amounts{}, cost: map[uuid.UUID]int64{},
		names: map[uuid.UUID]string{}}
	var err error
	if m.limits, err = us.limits(ctx); err != nil {
		return nil, err
	}
	users, err := us.Store.NamesOfAll(ctx)
	if err != nil {
		return nil, err
	}
	teams := map[uuid.UUID][]string{}
	for _, u := range users {
		m.names[u.ID], teams[u.ID] = u.Name, u.Teams
	}
	add := func(what usage.What, user uuid.UUID, line *uuid.UUID, n int64) {
		m.firm.add(what, n)
		if user != uuid.Nil {
			addTo(m.reps, user, what, n)
			for _, t := range teams[user] {
				addTo(m.teams, t, what, n)
			}
		}
		if line != nil {
			addTo(m.lines, *line, what, n)
		}
	}
	var p prices
	if err := us.Setting(ctx, "prices", &p); err != nil {
		return nil, err
	}
	calls, err := us.Store.CallUsage(ctx, db.CallUsageParams{Since: since, Until: until})
	if err != nil {
		return nil, err
	}
	hundredths := map[uuid.UUID]int64{}
	for _, c := range calls {
		add(usage.Minutes, c.UserID, c.LineID, c.Minutes)
		price, known := usage.PriceOf(p.Minutes, c.Begins)
		if known && c.Direction == "outbound" {
			hundredths[lineOf(c.LineID)] += c.Minutes * price.PerMinute
		}
	}
	texts, err := us.Store.TextUsage(ctx, db.TextUsageParams{Since: since, Until: until})
	if err != nil {
		return nil, err
	}
	for _, t := range texts {
		add(usage.Texts, lineOf(t.UserID), t.LineID, int64(t.Texts))
		hundredths[lineOf(t.LineID)] += int64(t.Texts) * p.Text
	}
	recorded, err := us.Store.RecordedUsage(ctx, db.RecordedUsageParams{Since: since, Until: until})
	if err != nil {
		return nil, err
	}
	for _, r := range recorded {
		add(usage.Recorded, r.UserID, r.LineID, r.Minutes)
	}
	kept, err := us.Store.StorageUsage(ctx)
	if err != nil {
		return nil, err
	}
	for _, k := range kept {
		add(usage.Storage, k.UserID, k.LineID, (k.Bytes+999_999)/1_000_000)
	}
	for line, month := range p.Lines {
		hundredths[line] += month
	}
	for line, h := range hundredths {
		m.cost[line] += (h + 50) / 100
	}
	for _, c := range m.cost {
		m.total += c
	}
	return m, nil
}

func lineOf(id *uuid.UUID) uuid.UUID {
	if id == nil {
		return uuid.Nil
	}
	return *id
}

func addTo[K comparable](of map[K]amounts, key K, what usage.What, n int64) {
	if of[key] == nil {
		of[key] = amounts{}
	}
	of[key].add(what, n)
}

// Month is what was used in the month of a day (the zero day: this one). Error: firm.ErrForbidden.
func (us *Usage) Month(ctx context.Context, a firm.Actor, day time.Time) (contract.Usage, error) {
	if !a.MayDo(rights.SeeUse) {
		return contract.Usage{}, firm.ErrForbidden
	}
	f, err := us.Settings(ctx)
	if err != nil {
		return contract.Usage{}, err
	}
	if day.IsZero() {
		day = us.Clock.Now()
	} else {
		day = day.AddDate(0, 0, 14) // whichever zone it is in, that is within the month
	}
	since, until := us.monthOf(day)
	m, err := us.count(ctx, since, until)
	if err != nil {
		return contract.Usage{}, err
	}
	v := contract.Usage{
		Since:    since,
		Until:    until,
		Firm:     amountsView(m.firm),
		Cost:     money.Amount{Minor: m.total, Currency: f.Currency}.String(),
		Currency: f.Currency,
		Reps:     []contract.UsageOf{},
		Teams:    []contract.UsageOf{},
		Lines:    []contract.UsageOf{},
	}
	for id, used := range m.reps {
		v.Reps = append(v.Reps, contract.UsageOf{Of: id.String(), Name: m.names[id], Used: amountsView(used)})
	}
	for t, used := range m.teams {
		v.Teams = append(v.Teams, contract.UsageOf{Of: t, Name: t, Used: amountsView(used)})
	}
	for id, label := range f.LineLabels {
		v.Lines = append(v.Lines, contract.UsageOf{Of: id.String(), Name: label, Used: amountsView(m.lines[id]),
			Cost: new(money.Amount{Minor: m.cost[id], Currency: f.Currency}.String())})
	}
	for _, list := range [][]contract.UsageOf{v.Reps, v.Teams, v.Lines} {
		slices.SortFunc(list, func(x, y contract.UsageOf) int {
			return cmp.Or(cmp.Compare(y.Used.Minutes, x.Used.Minutes), cmp.Compare(x.Name, y.Name))
		})
	}
	v.Limits = us.standings(m, f)
	var p prices
	if err := us.Setting(ctx, "prices", &p); err != nil {
		return v, err
	}
	v.Prices = pricesView(p, decimals(f))
	return v, nil
}

func amountsView(a amounts) contract.UsageAmounts {
	return contract.UsageAmounts{Minutes: a[usage.Minutes], Texts: a[usage.Texts], Recorded: a[usage.Recorded],
		Storage: a[usage.Storage]}
}

// standings are the limits with how use stands against them.
func (us *Usage) standings(m *month, f *firm.Settings) []contract.UsageLimit {
	all := []contract.UsageLimit{}
	for _, l := range m.limits {
		name := l.Of
		if id, err := uuid.Parse(l.Of); err == nil {
			name = cmp.Or(m.names[id], f.LineLabels[id])
		}
		all = append(
			all,
			contract.UsageLimit{What: contract.UsageWhat(l.What), Scope: contract.UsageLimitScope(l.Scope),
				Of: l.Of, Name: &name, Amount: l.Amount, Hard: l.Hard, Used: new(m.used(l)),
				Level: new(contract.UsageLimitLevel(usage.Of(m.used(l), l.Amount)))},
		)
	}
	return all
}

// Notices are the limits of which four fifths or all are used, for who may see them.
func (us *Usage) Notices(ctx context.Context, a firm.Actor) ([]contract.UsageLimit, error) {
	near := []contract.UsageLimit{}
	if !a.MayDo(rights.SeeUse) {
		return near, nil
	}
	limits, err := us.limits(ctx)
	if err != nil || len(limits) == 0 {
		return near, err
	}
	f, err := us.Settings(ctx)
	if err != nil {
		return near, err
	}
	since, until := us.monthOf(us.Clock.Now())
	m, err := us.count(ctx, since, until)
	if err != nil {
		return near, err
	}
	for _, l := range us.standings(m, f) {
		if *l.Level != contract.UsageLimitLevelUnder {
			near = append(near, l)
		}
	}
	return near, nil
}

// Set saves what is allowed and what things cost. Errors: firm.ErrForbidden, *firm.FieldError.
func (us *Usage) Set(ctx context.Context, a firm.Actor, s contract.UsageSettings) (contract.Usage, error) {
	if !a.MayDo(rights.SeeUse) {
		return contract.Usage{}, firm.ErrForbidden
	}
	f, err := us.Settings(ctx)
	if err != nil {
		return contract.Usage{}, err
	}
	seen := map[string]bool{}
	for i, l := range s.Limits {
		key := fmt.Sprint(l.What, l.Scope, l.Of)
		field := fmt.Sprintf("limits.%d", i)
		switch id, wrong := uuid.Parse(l.Of); {
		case seen[key]:
			return contract.Usage{}, firm.Wrong(field, "there is such a limit already")
		case l.Scope == contract.UsageLimitScopeFirm && l.Of != "",
			l.Scope != contract.UsageLimitScopeFirm && l.Of == "":
			return contract.Usage{}, firm.Wrong(field, "say for whom it is")
		case l.Scope == contract.UsageLimitScopeLine && (wrong != nil || f.LineLabels[id] == ""):
			return contract.Usage{}, firm.Wrong(field, "there is no such line")
		case l.Scope == contract.UsageLimitScopeRep && wrong != nil:
			return contract.Usage{}, firm.Wrong(field, "there is nobody with this id")
		case l.What == contract.UsageWhatStorage && l.Hard:
			return contract.Usage{}, firm.Wrong(field, "what is kept cannot be refused: it only tells you")
		}
		seen[key] = true
	}
	p, err := pricesOf(s.Prices, decimals(f))
	if err != nil {
		return contract.Usage{}, err
	}
	err = us.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.DropUsageLimits(ctx); err != nil {
			return err
		}
		for _, l := range s.Limits {
			if err := q.InsertUsageLimit(ctx, db.InsertUsageLimitParams{ID: store.NewID(), What: string(l.What),
				Scope: string(l.Scope), OfWhom: l.Of, Amount: l.Amount, Hard: l.Hard}); err != nil {
				return err
			}
		}
		value, err := json.Marshal(p)
		if err != nil {
			return err
		}
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: "prices", Value: value}); err != nil {
			return err
		}
		return us.Audited(ctx, q, a, "settings", uuid.Nil, "use and limits", map[string]string{},
			map[string]int{"limits": len(s.Limits), "prices": len(p.Minutes)})
	})
	if err != nil {
		return contract.Usage{}, err
	}
	us.changed()
	return us.Month(ctx, a, time.Time{})
}

// decimals is how many the firm's currency has.
func decimals(f *firm.Settings) int {
	n, err := money.Decimals(f.Currency)
	if err != nil {
		return 2
	}
	return n
}

// pricesOf reads prices as they were typed. Error: *firm.FieldError.
func pricesOf(typed contract.Prices, decimals int) (prices, error) {
	p := prices{Lines: map[uuid.UUID]int64{}}
	var err error
	if p.Text, err = usage.ParseRate(typed.Text, decimals); err != nil {
		return p, firm.About("prices.text", err)
	}
	for i, m := range typed.Minutes {
		rate, err := usage.ParseRate(m.PerMinute, decimals)
		if err != nil {
			return p, firm.About(fmt.Sprintf("prices.minutes.%d", i), err)
		}
		p.Minutes = append(p.Minutes, usage.Price{Prefix: m.Prefix, PerMinute: rate})
	}
	for i, l := range typed.Lines {
		if p.Lines[l.LineID], err = usage.ParseRate(l.Month, decimals); err != nil {
			return p, firm.About(fmt.Sprintf("prices.lines.%d", i), err)
		}
	}
	return p, nil
}

func pricesView(p prices, decimals int) contract.Prices {
	v := contract.Prices{
		Text:    usage.FormatRate(p.Text, decimals),
		Minutes: []contract.MinutePrice{},
		Lines:   []contract.LinePrice{},
	}
	for _, m := range p.Minutes {
		v.Minutes = append(
			v.Minutes,
			contract.MinutePrice{Prefix: m.Prefix, PerMinute: usage.FormatRate(m.PerMinute, decimals)},
		)
	}
	for id, month := range p.Lines {
		v.Lines = append(v.Lines, contract.LinePrice{LineID: id, Month: usage.FormatRate(month, decimals)})
	}
	slices.SortFunc(
		v.Lines,
		func(x, y contract.LinePrice) int { return cmp.Compare(x.LineID.String(), y.LineID.String()) },
	)
	return v
}
