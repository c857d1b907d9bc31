package desk_test

import (
	"testing"
	"time"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestACompanyThatIsThereIsNotMadeAgain(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.comesIn("+14135550199")
	got, err := w.Arrivals.AnswerCall(t.Context(), w.ines, w.rung(w.ines).CallID)
	require.NoError(t, err)
	who := contract.RecordFromCall{Kind: contract.RecordFromCallKindContact, Name: "Lene Marrow",
		CompanyName: ptr("vesper hollow nursery, inc.")}
	_, err = w.Filing.RecordFromCall(t.Context(), w.ines, got.ID, key(), who)
	var field *firm.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "company_name", field.Field)
	assert.ErrorContains(t, err, "“Vesper Hollow Nursery” is there already")
	assert.Empty(t, names(w.found("lene marrow")), "nothing is made by a refusal")
	who.AnotherCompany = ptr(true)
	got, err = w.Filing.RecordFromCall(t.Context(), w.ines, got.ID, key(), who)
	require.NoError(t, err)
	assert.Equal(t, "vesper hollow nursery, inc.", got.Links[1].Record.Name)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE records SET deleted_at = now() WHERE id = $1`,
		got.Links[1].Record.ID)
	require.NoError(t, err)

	// The same holds for a file.
	const file = "First name,Last name,Company\nUna,Bracken,\"Vesper Hollow Nursery, Inc.\"\nIvo,Larkmoor,Tall Reed " +
		"Ltd.\nOdell,Yarrowby,tall reed\n"
	w.loads(w.brings(contract.RecordKindContact, "csv", file, contract.ImportPlanSameUpdate).ID)
	of := func(name string) string {
		found := w.found(name)
		require.Len(t, found, 1)
		return found[0].Company.Name
	}
	assert.Equal(t, nurseryName, of("una bracken"))
	assert.Equal(t, "Tall Reed Ltd.", of("ivo larkmoor"))
	assert.Equal(t, "Tall Reed Ltd.", of("odell yarrowby"))
}

func (w *world) found(q string) []contract.RecordRow {
	w.t.Helper()
	f, err := w.Find(w.t.Context(), w.ines, q)
	require.NoError(w.t, err)
	return f.Records
}

func TestAWithheldCallerBecomesARecordWithoutANumber(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.comesIn("")
	got, err := w.Arrivals.AnswerCall(t.Context(), w.ines, w.rung(w.ines).CallID)
	require.NoError(t, err)
	assert.True(t, got.Withheld)
	got, err = w.Filing.RecordFromCall(t.Context(), w.ines, got.ID, key(),
		contract.RecordFromCall{Kind: contract.RecordFromCallKindLead, Name: "Lene Marrow"})
	require.NoError(t, err)
	require.Len(t, got.Links, 1)
	sheet, err := w.Book.Record(t.Context(), w.ines, got.Links[0].Record.ID)
	require.NoError(t, err)
	assert.Equal(t, []any{"Lene Marrow", 0}, []any{sheet.Name, len(sheet.Numbers)})
}

func TestWhoWroteFromAnUnknownAddressBecomesARecord(t *testing.T) {
	w := newWorld(t)
	for channel, from := range map[contract.Channel]string{contract.ChannelText: "+14135550199",
		contract.ChannelMail: "lene@marrow.example"} {
		require.NoError(t, w.Outreach.Receive(t.Context(),
			outreach.Received{Channel: channel, From: from, To: mainNumber, Body: "Is the pump there?"}))
		thread, err := w.Outreach.Thread(t.Context(), w.ines, nil, from)
		require.NoError(t, err)
		require.Nil(t, thread.Record)
		k, who := key(), contract.RecordFromCall{Kind: contract.RecordFromCallKindContact, Name: "Lene Marrow " +
			string(channel)}
		made, err := w.RecordFromMessage(t.Context(), w.ines, thread.Messages[0].ID, k, who)
		require.NoError(t, err)
		same, err := w.RecordFromMessage(t.Context(), w.ines, thread.Messages[0].ID, k, who)
		require.NoError(t, err, "the same wish twice")
		assert.Equal(t, made.Record, same.Record)
		require.Len(t, made.Messages, 1)
		sheet, err := w.Book.Record(t.Context(), w.ines, made.Record.ID)
		require.NoError(t, err)
		if channel == contract.ChannelMail {
			assert.Equal(t, from, value(sheet, "email"))
		} else {
			assert.Equal(t, "mobile 413 555 0199", sheet.Numbers[0].Label+" "+sheet.Numbers[0].Display)
		}
		_, err = w.RecordFromMessage(t.Context(), w.ines, thread.Messages[0].ID, key(), who)
		require.ErrorIs(t, err, calls.ErrSettled)
	}
}

func TestTheBriefingOfTheRingStays(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	c := w.calls()
	require.True(t, w.sim.TheyAnswer(mobileNumber))
	w.until("they speak", func() bool { return w.phase(c.ID) == contract.PhaseSpeaking })
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	w.clock.Advance(time.Hour)
	require.NoError(t, w.Outreach.Receive(t.Context(),
		outreach.Received{Channel: contract.ChannelText, From: mobileNumber, To: mainNumber,
			Body: "Is the pump there?"}))
	_, err := w.Book.UpdateRecord(t.Context(), w.ines, w.berit,
		contract.RecordChange{Version: 1, Values: map[string]string{"note": "asks about pumps"}})
	require.NoError(t, err)
	w.comesIn(mobileNumber)
	ring := w.rung(w.ines)
	require.NotEmpty(t, ring.Facts)
	assert.Contains(t, ring.Facts[len(ring.Facts)-1], ": they wrote", "messages count, and her own change does not")
	assert.NotContains(t, ring.Facts[len(ring.Facts)-1], "change")
	assert.Equal(t, nurseryName, ring.Candidates[0].Company)
	got, err := w.Arrivals.AnswerCall(t.Context(), w.ines, ring.CallID)
	require.NoError(t, err)
	b, err := w.Arrivals.Briefing(t.Context(), w.ines, got.ID)
	require.NoError(t, err)
	assert.Equal(t, ring.Facts, b.Facts)
	_, err = w.Arrivals.Briefing(t.Context(), w.tomas, got.ID)
	require.ErrorIs(t, err, firm.ErrForbidden)
}

func TestARingInManyWindowsIsReadOnce(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.sits(w.tomas)
	w.comesIn(mobileNumber)
	ring := w.rung(w.ines)
	assert.Equal(t, "Berit Osterlund", ring.Candidates[0].Record.Name)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE records SET name = 'Somebody Else' WHERE id = $1`, w.berit)
	require.NoError(t, err)
	assert.Equal(t, "Berit Osterlund", w.rung(w.tomas).Candidates[0].Record.Name,
		"as it was read for the first window, a moment ago")
	w.clock.Advance(2 * time.Second)
	assert.Equal(t, "Somebody Else", w.rung(w.tomas).Candidates[0].Record.Name)
}

func TestTheFirstSourceStays(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	const fair = "+14135550179"
	for number, source := range map[string]string{mainNumber: "Local radio spot", fair: "Spring show"} {
		_, err := w.store.Pool.Exec(
			t.Context(),
			`INSERT INTO lines (id, e164, label, region, zone, source) VALUES (gen_random_uuid(), $1, $2, 'US', 'America/New_York', $2)
			ON CONFLICT (e164) DO UPDATE SET source = EXCLUDED.source`,
			number,
			source,
		)
		require.NoError(t, err)
	}
	w.clock.Advance(6 * time.Second)
	w.comesIn("+14135550199")
	got, err := w.Arrivals.AnswerCall(t.Context(), w.ines, w.rung(w.ines).CallID)
	require.NoError(t, err)
	got, err = w.Filing.RecordFromCall(t.Context(), w.ines, got.ID, key(),
		contract.RecordFromCall{Kind: contract.RecordFromCallKindLead, Name: "Lene Marrow"})
	require.NoError(t, err)
	lene := got.Links[0].Record.ID
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, got.ID))
	w.ended(got.ID)
	_, err = w.sim.CallIn("+14135550199", fair)
	require.NoError(t, err)
	again, err := w.Arrivals.AnswerCall(t.Context(), w.ines, w.rung(w.ines).CallID)
	require.NoError(t, err)
	assert.Equal(t, "Spring show", again.Source, "the call came by another way")
	sheet, err := w.Book.Record(t.Context(), w.ines, lene)
	require.NoError(t, err)
	assert.Equal(t, []any{"Local radio spot", 2}, []any{sheet.Source, sheet.Touches},
		"which is a touch, and changes nothing")
}
