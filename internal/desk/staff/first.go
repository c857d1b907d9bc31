package staff

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/json"
	"errors"
	"fmt"
	"math/big"
	"strings"

	"trundo/internal/contract"
	"trundo/internal/core/password"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// ErrNotFirst is told by BecomeFirst where somebody belongs to the firm already.
var ErrNotFirst = errors.New("this firm has an admin already: ask them for a link")

// firstOutcomes are those that a new firm begins with, until an admin makes its own.
var firstOutcomes = []db.InsertOutcomeParams{{Label: "Talked", Reached: true}, {Label: "Call again", Reached: true},
	{Label: "No answer"}, {Label: "Busy"}, {Label: "Left a message", LeftMessage: true}, {Label: "Wrong number"}}

// Awaited tells whether nobody belongs to this installation yet.
func (sf *Staff) Awaited(ctx context.Context) (bool, error) { return sf.Store.NobodyYet(ctx) }

// FirstCode is the code with which somebody becomes the first admin, for whoever has started this server; "" where
// somebody belongs to the firm already. It is another one after each start.
func (sf *Staff) FirstCode(ctx context.Context) (string, error) {
	awaited, err := sf.Awaited(ctx)
	if err != nil || !awaited {
		return "", err
	}
	n, err := rand.Int(rand.Reader, big.NewInt(1_000_000_000))
	if err != nil {
		return "", err
	}
	code := fmt.Sprintf("%09d", n)
	sf.mu.Lock()
	sf.firstCode = code
	sf.mu.Unlock()
	return code[:3] + "-" + code[3:6] + "-" + code[6:], nil
}

// BecomeFirst makes the first admin of an empty installation, and what a firm begins with. Errors: ErrNotFirst,
// *firm.FieldError, firm.ErrBusy.
func (sf *Staff) BecomeFirst(ctx context.Context, n contract.FirstAdmin) (firm.Actor, error) {
	if awaited, err := sf.Awaited(ctx); err != nil || !awaited {
		return firm.Actor{}, errors.Join(err, notFirst(awaited))
	}
	typed := strings.NewReplacer("-", "", " ", "").Replace(n.Code)
	sf.mu.Lock()
	code := sf.firstCode
	sf.mu.Unlock()
	if code == "" || subtle.ConstantTimeCompare([]byte(typed), []byte(code)) != 1 {
		return firm.Actor{}, firm.Wrong("code", "this is not the code that the server said when it was started")
	}
	f, err := sf.Settings(ctx)
	if err != nil {
		return firm.Actor{}, err
	}
	e, err := cleaned(f, contract.MemberEdit{Login: n.Login, Name: n.Name, Role: rights.RoleAdmin, Zone: n.Zone})
	if err != nil {
		return firm.Actor{}, err
	}
	if err := password.Check(n.Password, e.Login, e.Name); err != nil {
		return firm.Actor{}, firm.About("password", err)
	}
	a := firm.Actor{ID: store.NewID(), Login: e.Login, Name: e.Name, Role: firm.Admin}
	err = sf.SetOwnPassword(ctx, a, sf.Clock.Now(), n.Password, func(q *db.Queries) error {
		if err := q.LockUsers(ctx); err != nil {
			return err
		}
		if awaited, err := q.NobodyYet(ctx); err != nil || !awaited {
			return errors.Join(err, notFirst(awaited))
		}
		if err := q.InsertMember(ctx, db.InsertMemberParams{ID: a.ID, Login: e.Login, Name: e.Name, Role: string(e.Role),
			Zone: e.Zone, MoreTeams: []string{}, Languages: []string{}, Skills: []byte("{}")}); err != nil {
			return err
		}
		if err := q.InsertRepState(ctx, db.InsertRepStateParams{UserID: a.ID, At: sf.Clock.Now()}); err != nil {
			return err
		}
		if err := sf.firstFirm(ctx, q, e.Zone); err != nil {
			return err
		}
		return sf.Audited(ctx, q, a, "member", a.ID, "first admin", map[string]string{}, words(e))
	})
	if err != nil {
		return firm.Actor{}, err
	}
	sf.mu.Lock()
	sf.firstCode = ""
	sf.mu.Unlock()
	sf.changed(a.ID)
	return sf.Actor(ctx, a.ID)
}

func notFirst(awaited bool) error {
	if awaited {
		return nil
	}
	return ErrNotFirst
}

// firstFirm is what a firm begins with: every call gets an outcome, and there are some to choose from.
func (sf *Staff) firstFirm(ctx context.Context, q *db.Queries, zone string) error {
	for i, o := range firstOutcomes {
		o.ID, o.Position = store.NewID(), i
		if err := q.InsertOutcome(ctx, o); err != nil {
			return err
		}
	}
	value, err := json.Marshal(firm.FirmSettings{Zone: zone, OutcomeNeeded: true})
	if err != nil {
		return err
	}
	return q.PutSetting(ctx, db.PutSettingParams{Key: "firm", Value: value})
}
