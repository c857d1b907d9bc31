package desk_test

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"sync"
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/outcome"
)

// program is another program that is told: it answers as the test says and keeps what it got.
type program struct {
	*httptest.Server
	mu     sync.Mutex
	status int
	got    []map[string]any
	ids    []string
	heads  []http.Header
	bodies [][]byte
}

func newProgram(t *testing.T) *program {
	t.Helper()
	p := &program{status: http.StatusOK}
	p.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		var event map[string]any
		_ = json.Unmarshal(body, &event)
		p.mu.Lock()
		defer p.mu.Unlock()
		p.got, p.ids, p.heads, p.bodies = append(p.got, event), append(p.ids,
			r.Header.Get("webhook-id")), append(p.heads, r.Header), append(p.bodies, body)
		w.WriteHeader(p.status)
	}))
	t.Cleanup(p.Close)
	return p
}

func (p *program) answers(status int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.status = status
}

func (p *program) count() int {
	p.mu.Lock()
	defer p.mu.Unlock()
	return len(p.got)
}

// tells sets a program up that is told of these events, and gives who sets up.
func (w *world) tells(p *program, events ...contract.WebhookEvent) (firm.Actor, contract.Webhook) {
	w.t.Helper()
	_, err := w.store.Pool.Exec(w.t.Context(), `UPDATE users SET role = 'admin' WHERE id = $1`, w.odile.ID)
	require.NoError(w.t, err)
	w.clock.Advance(6 * time.Second)
	admin := w.actor("odile")
	set, err := w.Outreach.SetWebhooks(w.t.Context(), admin,
		contract.Webhooks{Webhooks: []contract.Webhook{{Name: "warehouse", URL: p.URL, Events: events, Active: true}}})
	require.NoError(w.t, err)
	_, err = w.Filing.OutcomeSettings(w.t.Context(), admin) // the firm is read with it
	require.NoError(w.t, err)
	return admin, set.Webhooks[0]
}

func TestOtherProgramsAreToldOnce(t *testing.T) {
	w := newWorld(t)
	p := newProgram(t)
	admin, hook := w.tells(
		p,
		contract.WebhookEventCallEnded,
		contract.WebhookEventSlipFiled,
		contract.WebhookEventRecordCreated,
	)
	c := w.over()
	w.until("the end is told", func() bool { return p.count() == 1 })
	_, err := w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	w.until("the filing is told", func() bool { return p.count() == 2 })
	_, err = w.Book.AddRecord(t.Context(), w.ines, key(),
		contract.NewRecord{Kind: contract.RecordKindContact,
			Values: map[string]string{"given": "Joss", "family": "Fern"}})
	require.NoError(t, err)
	w.until("the record is told", func() bool { return p.count() == 3 })
	assert.Equal(t, "call.ended", p.got[0]["type"])
	assert.Equal(t, c.ID.String(), p.got[0]["data"].(map[string]any)["call_id"])
	assert.Equal(t, "slip.filed", p.got[1]["type"])
	assert.Equal(t, "Visit agreed", p.got[1]["data"].(map[string]any)["outcome"])
	assert.Equal(t, "Joss Fern", p.got[2]["data"].(map[string]any)["name"])
	verify, err := webhooks.NewWebhook(*hook.Secret)
	require.NoError(t, err)
	require.NoError(t, verify.VerifyIgnoringTimestamp(p.bodies[1], p.heads[1]), "the clock of the test is not today's")

	log, err := w.Outreach.Deliveries(t.Context(), admin)
	require.NoError(t, err)
	require.Len(t, log, 3)
	require.NoError(t, w.Outreach.ReplayDelivery(t.Context(), admin, log[2].ID))
	w.until("it is told again", func() bool { return p.count() == 4 })
	assert.Equal(t, p.ids[0], p.ids[3], "under the same id, so that the other program knows")
	require.ErrorIs(t, w.Outreach.ReplayDelivery(t.Context(), w.ines, log[2].ID), firm.ErrForbidden)
	require.ErrorIs(t, w.Outreach.ReplayDelivery(t.Context(), admin, uuid.New()), firm.ErrNotFound)
}

func TestATellingIsTriedAgainAndStopsWhereItIsNotWanted(t *testing.T) {
	w := newWorld(t)
	p := newProgram(t)
	p.answers(http.StatusServiceUnavailable)
	admin, _ := w.tells(p, contract.WebhookEventSlipFiled)
	c := w.over()
	_, err := w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	w.until("it was tried", func() bool { return p.count() == 1 })
	last := func() contract.Delivery {
		log, err := w.Outreach.Deliveries(t.Context(), admin)
		require.NoError(t, err)
		return log[0]
	}
	w.until("it waits", func() bool { return last().State == contract.DeliveryStateWaiting })
	assert.Equal(t, 503, last().Status)
	p.answers(http.StatusOK)
	w.after(time.Second, "it was tried again", func() bool { return p.count() == 2 })
	w.until("it is done", func() bool { return last().State == contract.DeliveryStateDone })
	assert.Equal(t, p.ids[0], p.ids[1])

	p.answers(http.StatusGone)
	require.NoError(t, w.Outreach.ReplayDelivery(t.Context(), admin, last().ID))
	w.until("it has stopped", func() bool {
		hooks, err := w.Outreach.Webhooks(t.Context(), admin)
		require.NoError(t, err)
		return !hooks.Webhooks[0].Active
	})
	for field, bad := range map[string]contract.Webhook{"webhooks.0.name": {URL: p.URL},
		"webhooks.0.url": {Name: "x", URL: "ftp://x.example"}} {
		_, err := w.Outreach.SetWebhooks(t.Context(), admin, contract.Webhooks{Webhooks: []contract.Webhook{bad}})
		var at *firm.FieldError
		require.ErrorAs(t, err, &at, field)
		assert.Equal(t, field, at.Field)
	}
}

func TestAnOutcomeTellsAndIsHeldBack(t *testing.T) {
	w := newWorld(t)
	p := newProgram(t)
	_, hook := w.tells(p)
	w.outcomeThat(outcome.Effect{Kind: outcome.Webhook, Target: hook.ID.String()})
	c := w.over()
	_, err := w.Filing.File(t.Context(), w.ines, c.Slip.ID, "first", nil)
	require.NoError(t, err)
	undone, err := w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.FilingEffectStateUndone, undone.Effects[0].State)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, "second", nil)
	require.NoError(t, err)
	w.after(time.Second, "it is told", func() bool { return p.count() == 1 })
	assert.Equal(t, "outcome.chosen", p.got[0]["type"])
	undone, err = w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err)
	assert.Equal(t, "it has been told", undone.Effects[0].Why)
}

func TestKeysForPrograms(t *testing.T) {
	w := newWorld(t)
	days := 1
	made, err := w.MakeToken(t.Context(), w.ines,
		contract.NewToken{Name: "export", Scopes: []contract.Scope{contract.ScopeRead}, Days: &days})
	require.NoError(t, err)
	a, scopes, err := w.ByToken(t.Context(), made.Token)
	require.NoError(t, err)
	assert.Equal(t, w.ines.ID, a.ID)
	assert.Equal(t, []contract.Scope{contract.ScopeRead}, scopes)
	for _, bad := range []string{"", "trundo_", made.Token + "x", "x" + made.Token} {
		_, _, err := w.ByToken(t.Context(), bad)
		require.ErrorIs(t, err, firm.ErrSignedOut, bad)
	}
	all, err := w.Tokens(t.Context(), w.ines)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.NotNil(t, all[0].UsedAt)
	require.ErrorIs(t, w.RevokeToken(t.Context(), w.tomas, all[0].ID), firm.ErrNotFound, "it is not his")
	w.clock.Advance(25 * time.Hour)
	_, _, err = w.ByToken(t.Context(), made.Token)
	require.ErrorIs(t, err, firm.ErrSignedOut, "its day is over")
	made, err = w.MakeToken(t.Context(), w.ines,
		contract.NewToken{Name: "export", Scopes: []contract.Scope{contract.ScopeRead}})
	require.NoError(t, err)
	all, err = w.Tokens(t.Context(), w.ines)
	require.NoError(t, err)
	require.NoError(t, w.RevokeToken(t.Context(), w.ines, all[0].ID))
	_, _, err = w.ByToken(t.Context(), made.Token)
	require.ErrorIs(t, err, firm.ErrSignedOut)
	_, err = w.MakeToken(t.Context(), w.ines,
		contract.NewToken{Name: "all", Scopes: []contract.Scope{contract.ScopeSettings}})
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.MakeToken(t.Context(), w.ines,
		contract.NewToken{Name: " ", Scopes: []contract.Scope{contract.ScopeRead}})
	require.Error(t, err)
}
