package desk_test

import (
	"archive/zip"
	"bytes"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk"
	"trundo/internal/desk/book"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/privacy"
)

// everything is each text of each table.
func (w *world) everything() string {
	w.t.Helper()
	var all strings.Builder
	rows, err := w.store.Pool.Query(
		w.t.Context(),
		`SELECT relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE nspname = 'public' AND relkind = 'r'`,
	)
	require.NoError(w.t, err)
	var tables []string
	for rows.Next() {
		var name string
		require.NoError(w.t, rows.Scan(&name))
		tables = append(tables, name)
	}
	for _, t := range tables {
		var text string
		require.NoError(w.t, w.store.Pool.QueryRow(w.t.Context(),
			`SELECT coalesce(string_agg(x::text, E'\n'), '') FROM `+t+` x`).Scan(&text))
		all.WriteString(t + ": " + text + "\n")
	}
	return strings.ToLower(all.String())
}

// lives gives Berit a life in the firm: a call with notes, a message, a follow-up, traces in others' things, a file.
func (w *world) lives() contract.Call {
	w.t.Helper()
	ctx := w.t.Context()
	c := w.calls()
	require.True(w.t, w.sim.TheyAnswer(mobileNumber))
	w.recordingIs(c.ID, contract.CallRecordingStateGoing) // else it may be hung up before that begins
	_, err := w.Calls.SaveNotes(
		ctx,
		w.ines,
		c.Slip.ID,
		contract.NotesEdit{Body: "Berit says the pump leaks.", Writer: "i"},
	)
	require.NoError(w.t, err)
	require.NoError(w.t, w.Calls.HangUp(ctx, w.ines, c.ID))
	c = w.ended(c.ID)
	_, err = w.Filing.ChangeSlip(
		ctx,
		w.ines,
		c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.sold},
	)
	require.NoError(w.t, err)
	_, err = w.Filing.File(ctx, w.ines, c.Slip.ID, key(), nil)
	require.NoError(w.t, err)
	_, err = w.Book.AddFollowUp(
		ctx,
		w.ines,
		w.berit,
		key(),
		contract.NewFollowUp{Text: "Ask Berit Osterlund about the pump"},
	)
	require.NoError(w.t, err)
	require.NoError(
		w.t,
		w.Team.LeaveNote(ctx, w.ines, w.tomas.ID, key(), "BERIT  OSTERLUND rang on 413 555 0142, twice"),
	)
	_, err = w.Book.UpdateRecord(ctx, w.ines, w.aron, contract.RecordChange{Values: map[string]string{
		"note": "Knows Berit Osterlund, b is at berit@vesper.example"}, Version: w.version(w.aron)})
	require.NoError(w.t, err)
	_, err = w.Book.UpdateRecord(
		ctx,
		w.ines,
		w.berit,
		contract.RecordChange{Values: map[string]string{"note": "Likes tea"},
			Version: w.version(w.berit)},
	)
	require.NoError(w.t, err)
	require.NoError(w.t, os.MkdirAll(filepath.Join(w.FilesDir, "imports"), 0o700))
	require.NoError(w.t, os.WriteFile(filepath.Join(w.FilesDir, "imports", uuid.NewString()),
		[]byte(strings.Repeat("x,y\n", 400_000)+"Berit Osterlund,413-555-0142\n"), 0o600))
	return c
}

func (w *world) version(id uuid.UUID) int {
	w.t.Helper()
	r, err := w.Book.Record(w.t.Context(), w.ines, id)
	require.NoError(w.t, err)
	return r.Version
}

// erases has somebody erased and waits for it.
func (w *world) erases(a firm.Actor, id uuid.UUID) contract.Erasure {
	w.t.Helper()
	e, err := w.Privacy.Erase(w.t.Context(), a, key(), id, contract.NewErasure{Reason: "asked by letter"})
	require.NoError(w.t, err)
	w.until("it is erased", func() bool {
		e, err = w.Privacy.Erasure(w.t.Context(), a, e.ID)
		require.NoError(w.t, err)
		return e.State != contract.ErasureStateRunning
	})
	return e
}

func TestWhoIsErasedIsNowhereAndTheFiguresStay(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	c := w.lives()
	ada := w.admin()
	before := w.everything()
	for _, trace := range []string{"berit osterlund", mobileNumber, "413 555 0142", "berit@vesper.example", "likes tea",
		"the pump leaks"} {
		require.Contains(t, before, trace)
	}
	preview, err := w.Privacy.Preview(ctx, ada, w.berit)
	require.NoError(t, err)
	assert.Equal(t, contract.ErasurePreview{Calls: 1, Notes: 1, FollowUps: 1, Recordings: 1}, preview)
	files, err := filepath.Glob(filepath.Join(w.FilesDir, "recordings", "*"))
	require.NoError(t, err)
	require.Len(t, files, 1)
	aside := w.journal + ".rejected"
	for name, text := range map[string]string{
		aside:            `{"kind":"notes","value":"Berit Osterlund likes tea"}` + "\n" + `{"kind":"notes","value":"of another"}` + "\n",
		aside + ".taken": `{"kind":"notes","value":"call 413 555 0142"}` + "\n",
	} {
		require.NoError(t, os.WriteFile(name, []byte(text), 0o600))
	}
	e := w.erases(ada, w.berit)
	require.Equal(t, contract.ErasureStateDone, e.State, e.Problem)
	left, err := os.ReadFile(aside)
	require.NoError(t, err)
	assert.Equal(t, `{"kind":"notes","value":"of another"}`+"\n", string(left))
	left, err = os.ReadFile(aside + ".taken")
	require.NoError(t, err)
	assert.Empty(t, left)
	after := w.everything()
	for _, trace := range []string{"osterlund", "4135550142", "555 0142", "2410555314", "berit@", "likes tea",
		"the pump leaks"} {
		if at := strings.Index(after, trace); at >= 0 {
			t.Errorf("%s is left: …%s…", trace, after[max(0, at-200):min(len(after), at+100)])
		}
	}
	files, err = filepath.Glob(filepath.Join(w.FilesDir, "imports", "*"))
	require.NoError(t, err)
	assert.Empty(t, files)
	files, err = filepath.Glob(filepath.Join(w.FilesDir, "recordings", "*"))
	require.NoError(t, err)
	assert.Empty(t, files, "what she said")
	var calls, talked int
	require.NoError(
		t,
		w.store.Pool.QueryRow(ctx, `SELECT count(*), count(*) FILTER (WHERE s.outcome_id = $2 AND c.ended_at IS NOT NULL)
		FROM calls c JOIN slips s ON s.call_id = c.id WHERE c.id = $1`, c.ID, w.sold).
			Scan(&calls, &talked),
	)
	assert.Equal(t, []int{1, 1}, []int{calls, talked}, "that there was a call, and what came of it, stays")
	assert.Contains(t, after, "knows [erased], b is at [erased]")
	_, err = w.Book.Record(ctx, ada, w.berit)
	require.ErrorIs(t, err, firm.ErrGone)
	checked, err := firm.CheckTrail(ctx, w.store.Queries, "")
	require.NoError(t, err, "the trail is whole, though texts of it are gone")
	assert.Positive(t, checked.Erased)
	page, err := w.CallPage(ctx, w.ines, c.ID)
	require.NoError(t, err)
	assert.Empty(t, page.Call.Slip.Notes.Body)
	_, err = w.Book.RestoreRecord(ctx, ada, w.berit)
	require.ErrorIs(t, err, book.ErrGoneForGood)
}

func TestWhatStandsAgainstErasing(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	ada := w.admin()
	reason := contract.NewErasure{Reason: "asked"}
	_, err := w.Privacy.Erase(ctx, w.ines, key(), w.berit, reason)
	require.ErrorIs(t, err, firm.ErrForbidden)
	var wrong *firm.FieldError
	_, err = w.Privacy.Erase(ctx, ada, key(), w.vesper, reason)
	require.ErrorAs(t, err, &wrong, "a company is no person")
	_, err = w.Privacy.Erase(ctx, ada, key(), w.berit, contract.NewErasure{Reason: " "})
	require.ErrorAs(t, err, &wrong)
	_, err = w.Privacy.Erase(ctx, ada, key(), uuid.New(), reason)
	require.ErrorIs(t, err, firm.ErrNotFound)

	require.NoError(t, w.Privacy.Hold(ctx, ada, w.berit, contract.NewLegalHold{Reason: "a suit at court"}))
	_, err = w.Privacy.Erase(ctx, ada, key(), w.berit, reason)
	require.ErrorIs(t, err, privacy.ErrHeld)
	assert.ErrorContains(t, err, "a suit at court")
	require.NoError(t, w.Privacy.Release(ctx, ada, w.berit))
	require.ErrorIs(t, w.Privacy.Release(ctx, ada, w.berit), firm.ErrNotFound)

	c := w.calls()
	_, err = w.Privacy.Erase(ctx, ada, key(), w.berit, reason)
	require.ErrorIs(t, err, privacy.ErrInCall)
	require.NoError(t, w.Calls.HangUp(ctx, w.ines, c.ID))
	w.ended(c.ID)
	k := key()
	first, err := w.Privacy.Erase(ctx, ada, k, w.berit, reason)
	require.NoError(t, err)
	again, err := w.Privacy.Erase(ctx, ada, k, w.berit, reason)
	require.NoError(t, err)
	assert.Equal(t, first.ID, again.ID, "the same key erases once")
}

func TestANamesakeAndASharedNumberStay(t *testing.T) {
	w := newWorld(t)
	other := w.add(
		contract.RecordKindContact,
		map[string]string{"given": "Berit", "family": "Osterlund"},
		"413 555 0142",
	)
	preview, err := w.Privacy.Preview(t.Context(), w.admin(), w.berit)
	require.NoError(t, err)
	assert.True(t, preview.SharedName)
	assert.Equal(t, 1, preview.SharedNumbers)
	require.Equal(t, contract.ErasureStateDone, w.erases(w.admin(), w.berit).State)
	r, err := w.Book.Record(t.Context(), w.ines, other.ID)
	require.NoError(t, err)
	assert.Equal(t, "Berit Osterlund", r.Name)
	assert.Equal(t, "413 555 0142", r.Numbers[0].Display)
}

func TestAllAboutSomebodyIsAFile(t *testing.T) {
	w := newWorld(t)
	w.lives()
	require.ErrorIs(t, w.Privacy.WriteEverything(t.Context(), w.odile, w.berit, io.Discard), firm.ErrForbidden)
	_, err := w.Privacy.NoteConsent(t.Context(), w.ines, w.berit, contract.NewConsent{What: contract.ConsentWhatTexts,
		Given: true, How: "said so on the phone"})
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, w.Privacy.WriteEverything(t.Context(), w.admin(), w.berit, &out))
	in, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
	require.NoError(t, err)
	f, err := in.Open("everything.json")
	require.NoError(t, err)
	text, err := io.ReadAll(f)
	require.NoError(t, err)
	for _, part := range []string{"Berit Osterlund", mobileNumber, "the pump leaks", "about the pump",
		"said so on the phone",
		"Visit agreed"} {
		assert.Contains(t, string(text), part)
	}
	assert.NotContains(t, string(text), "Aron")
	trail, err := w.Trail(t.Context(), w.admin(), desk.TrailQuery{Kind: "record"})
	require.NoError(t, err)
	assert.Equal(t, "took everything about them", trail.Entries[0].What)
}

func TestWhoNoLongerAgreesGetsNothing(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	mail := func() error {
		_, err := w.Outreach.SendMessage(ctx, w.ines, key(), contract.NewMessage{Channel: contract.ChannelMail,
			RecordID: &w.berit, Subject: ptr("Hello"), Body: ptr("How is the pump?")})
		return err
	}
	require.NoError(t, mail())
	says := func(given bool, at time.Time) {
		_, err := w.Privacy.NoteConsent(
			ctx,
			w.ines,
			w.berit,
			contract.NewConsent{What: contract.ConsentWhatMails, Given: given,
				How: "in a mail", At: &at},
		)
		require.NoError(t, err)
	}
	says(false, monday)
	var wrong *firm.FieldError
	require.ErrorAs(t, mail(), &wrong)
	assert.ErrorContains(t, wrong, "no longer agree to mails")
	says(true, monday.AddDate(-1, 0, 0)) // an older word, noted later
	require.ErrorAs(t, mail(), &wrong)
	says(true, monday.Add(time.Minute/2))
	require.NoError(t, mail())
	_, err := w.Privacy.NoteConsent(
		ctx,
		w.ines,
		w.berit,
		contract.NewConsent{What: contract.ConsentWhatMails, How: " "},
	)
	require.ErrorAs(t, err, &wrong)
	assert.Equal(t, "how", wrong.Field)
	all, err := w.Privacy.Consents(ctx, w.berit)
	require.NoError(t, err)
	assert.Len(t, all, 3, "earlier ones stay")
}

func TestThingsAreKeptAsLongAsTheFirmSays(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	c := w.lives()
	ada := w.admin()
	_, err := w.Privacy.SetRetention(ctx, w.odile, contract.Retention{})
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Privacy.SetRetention(
		ctx,
		ada,
		contract.Retention{NoteDays: 30, CallDays: 60, MessageDays: 30, ImportDays: 30},
	)
	require.NoError(t, err)
	body := func() (text, number string) {
		require.NoError(
			t,
			w.store.Pool.QueryRow(ctx, `SELECT n.body, c.remote_e164 FROM slip_notes n JOIN slips s ON s.id = n.slip_id
			JOIN calls c ON c.id = s.call_id WHERE c.id = $1`, c.ID).Scan(&text, &number),
		)
		return text, number
	}
	_, err = w.store.Pool.Exec(ctx, `INSERT INTO survey_answers (call_id, question_id, question, kind, words, at)
		VALUES ($1, 'text-remark', 'Why?', 'remark', 'She knew the pump.', now())`, c.ID)
	require.NoError(t, err)
	words := func() (text string) {
		require.NoError(t, w.store.Pool.QueryRow(ctx, `SELECT words FROM survey_answers`).Scan(&text))
		return text
	}
	require.NoError(t, w.Privacy.Hold(ctx, ada, w.berit, contract.NewLegalHold{Reason: "a suit"}))
	w.clock.Advance(61 * 24 * time.Hour)
	_, err = w.Privacy.Forget(ctx)
	require.NoError(t, err)
	text, number := body()
	assert.Equal(t, []string{"Berit says the pump leaks.", mobileNumber}, []string{text, number}, "the law holds her")
	assert.Equal(t, "She knew the pump.", words())
	require.NoError(t, w.Privacy.Release(ctx, ada, w.berit))
	_, err = w.Privacy.Forget(ctx)
	require.NoError(t, err)
	text, number = body()
	assert.Equal(t, []string{"", ""}, []string{text, number})
	assert.Empty(t, words())
}

func TestWhoNoLongerAgreesIsNotCalledAndNotRecorded(t *testing.T) {
	w := newWorld(t)
	says := func(what contract.ConsentWhat, given bool) {
		t.Helper()
		_, err := w.Privacy.NoteConsent(t.Context(), w.ines, w.berit,
			contract.NewConsent{What: what, Given: given, How: "on the phone"})
		require.NoError(t, err)
	}
	says(contract.ConsentWhatRecordings, false)
	c := w.speaks()
	assert.Equal(t, "they do not agree to recordings", w.recordingIs(c.ID,
		contract.CallRecordingStateOff).Recording.Why)
	require.ErrorIs(t, w.act(c.ID, contract.RecordingActActionStart), calls.ErrNotAgreed, "nor by hand")
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)

	place := func() error {
		_, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile})
		return err
	}
	says(contract.ConsentWhatCalls, false)
	var refused *firm.RefusedError
	require.ErrorAs(t, place(), &refused)
	says(contract.ConsentWhatCalls, true)
	require.NoError(t, place(), "and agrees again")
	// What stands there for another reason stays.
	_, err := w.store.Pool.Exec(t.Context(),
		`UPDATE records SET dnc_at = now(), dnc_reason = 'asked on 3 February' WHERE id = $1`, w.berit)
	require.NoError(t, err)
	says(contract.ConsentWhatCalls, false)
	says(contract.ConsentWhatCalls, true)
	require.ErrorAs(t, place(), &refused)
}
