package desk_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

// brings starts an import of a file and waits until its rows are checked as its columns suggest.
func (w *world) brings(kind contract.RecordKind, format, text string, same contract.ImportPlanSame) contract.Import {
	w.t.Helper()
	i, err := w.Files.AddImport(w.t.Context(), w.odile,
		contract.NewImport{Kind: kind, Format: contract.NewImportFormat(format), FileName: "book." + format})
	require.NoError(w.t, err)
	i, err = w.Files.ReceiveImport(w.t.Context(), w.odile, i.ID, strings.NewReader(text))
	require.NoError(w.t, err)
	require.Equal(w.t, contract.ImportStateReady, i.State, i.Problem)
	_, err = w.Files.PlanImport(w.t.Context(), w.odile, i.ID, contract.ImportPlan{Columns: i.Columns, Same: same})
	require.NoError(w.t, err)
	return w.importIs(i.ID, contract.ImportStateChecked)
}

func (w *world) importIs(id uuid.UUID, state contract.ImportState) contract.Import {
	w.t.Helper()
	var i contract.Import
	w.until("the import to be "+string(state), func() bool {
		var err error
		i, err = w.Files.Import(w.t.Context(), w.odile, id)
		require.NoError(w.t, err)
		require.False(w.t, i.State == contract.ImportStateFailed && state != i.State, i.Problem)
		return i.State == state
	})
	return i
}

func (w *world) loads(id uuid.UUID) contract.Import {
	w.t.Helper()
	_, err := w.Files.LoadImport(w.t.Context(), w.odile, id)
	require.NoError(w.t, err)
	return w.importIs(id, contract.ImportStateDone)
}

const mistakes = `First name,Last name,Company,E-mail,Mobile,Work phone,Source,Owner
Una,Bracken,Tall Reed Brewing,una@tall.example,413 555 0133,"(518) 555-0120 x 9",Radio,tomas
,,,,,,,
Ivo,Larkmoor,tall reed brewing,ivo(at)tall.example,,,,
Signe,Mossgrave,Vesper Hollow Nursery,signe@vesper.example,12,,,
Odell,"Tal"l,x,,,,,
Torben,Yarrowby,,torben@x.example,518 555 0121,,,nobody
Ansel,Brightwater,"Saltmeadow
Housing",ansel@salt.example,,,,
`

func TestAFileWithMistakesIsMendedAndLoadedAgain(t *testing.T) {
	w := newWorld(t)
	i := w.brings(contract.RecordKindContact, "csv", mistakes, contract.ImportPlanSameMake)
	assert.Equal(t, []int64{7, 2, 5}, []int64{i.RowsRead, i.RowsGood, i.RowsRejected})
	rejects, err := w.Files.Rejects(t.Context(), w.odile, i.ID)
	require.NoError(t, err)
	reasons := map[int64]string{}
	for _, r := range rejects {
		reasons[r.Line] = r.Field + ": " + r.Reason
	}
	assert.Equal(t, map[int64]string{3: "Name: a person needs a name, or at least a mail address",
		4: "Mail: this is not a mail address", 5: "mobile: no telephone number has this many digits",
		6: ": a quotation mark is out of place, or does not close", 7: "Owner: nobody of the firm has this name"},
		reasons)
	var before int
	require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM records`).Scan(&before))
	assert.Equal(t, 3, before, "checking takes nothing up")
	i = w.loads(i.ID)
	assert.Equal(t, []int64{2, 0, 0}, []int64{i.RowsMade, i.RowsUpdated, i.RowsSkipped})
	una, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: people, Q: ptr("tall reed")})
	require.NoError(t, err)
	require.Len(t, una.Rows, 1)
	assert.Equal(t, []string{"Una Bracken", "tomas", "Radio", "413 555 0133", "518 555 0120 ext 9"},
		[]string{una.Rows[0].Name, una.Rows[0].OwnerName, una.Rows[0].Values["source"], una.Rows[0].Numbers[0].Display,
			una.Rows[0].Numbers[1].Display})

	var file bytes.Buffer
	require.NoError(t, w.Files.WriteRejects(t.Context(), w.odile, i.ID, &file))
	assert.Contains(t, file.String(), problemHeading+"\r\n")
	mended := strings.NewReplacer("ivo(at)tall", "ivo@tall", ",12,", ",413 555 0112,", ",nobody,",
		",ines,").Replace(file.String())
	second := w.brings(contract.RecordKindContact, "csv", mended, contract.ImportPlanSameMake)
	assert.Equal(t, []int64{4, 1}, []int64{second.RowsGood, second.RowsRejected},
		"the quotation mark was put right on the way out")
	for _, c := range second.Columns {
		if c.Heading == problemHeading {
			assert.Empty(t, c.Field, "the reasons are passed over")
		}
	}
	w.loads(second.ID)
	ivo, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: people, Q: ptr("tall reed")})
	require.NoError(t, err)
	assert.Equal(t, []string{"Ivo Larkmoor", "Una Bracken"}, names(ivo.Rows), "in the company that is there already")
}

func TestAMendedFileKeepsWhatItsColumnsAre(t *testing.T) {
	w := newWorld(t)
	const file = "Who,Reach them,Mobile\nUna Bracken,una(at)x,413 555 0133 (office)\n"
	i, err := w.Files.AddImport(t.Context(), w.odile,
		contract.NewImport{Kind: contract.RecordKindContact, Format: "csv", FileName: "book.csv"})
	require.NoError(t, err)
	i, err = w.Files.ReceiveImport(t.Context(), w.odile, i.ID, strings.NewReader(file))
	require.NoError(t, err)
	plan := contract.ImportPlan{
		Columns: i.Columns,
		Same:    contract.ImportPlanSameUpdate,
		Dates:   ptr(contract.ImportPlanDatesDayFirst),
	}
	plan.Columns[0].Field, plan.Columns[1].Field = "name", "email"
	_, err = w.Files.PlanImport(t.Context(), w.odile, i.ID, plan)
	require.NoError(t, err)
	i = w.importIs(i.ID, contract.ImportStateChecked)
	require.Equal(t, int64(1), i.RowsRejected)
	var rejects bytes.Buffer
	require.NoError(t, w.Files.WriteRejects(t.Context(), w.odile, i.ID, &rejects))
	second, err := w.Files.AddImport(t.Context(), w.odile,
		contract.NewImport{Kind: contract.RecordKindContact, Format: "csv", FileName: "mended.csv", Mends: &i.ID})
	require.NoError(t, err)
	second, err = w.Files.ReceiveImport(t.Context(), w.odile, second.ID,
		strings.NewReader(strings.ReplaceAll(rejects.String(), "(at)", "@")))
	require.NoError(t, err)
	require.NotNil(t, second.Plan, "what was said of the first file is proposed for the second")
	assert.Equal(t, plan.Dates, second.Plan.Dates)
	assert.Equal(t, plan.Same, second.Plan.Same)
	require.Len(t, second.Plan.Columns, 4)
	for _, c := range second.Plan.Columns {
		assert.Equal(t, map[string]string{"Who": "name", "Reach them": "email", "Mobile": i.Columns[2].Field,
			problemHeading: ""}[c.Heading], c.Field, c.Heading)
	}
	_, err = w.Files.PlanImport(t.Context(), w.odile, second.ID, *second.Plan)
	require.NoError(t, err)
	w.importIs(second.ID, contract.ImportStateChecked)
	w.loads(second.ID)
	una := w.found("una bracken")
	require.Len(t, una, 1)
	assert.Equal(t, "office 413 555 0133", una[0].Numbers[0].Label+" "+una[0].Numbers[0].Display,
		"a label behind a number is its label")
}

const problemHeading = "Why it was rejected"

func TestRowsThatAreThereAlreadyAreSkippedOrCompleted(t *testing.T) {
	w := newWorld(t)
	file := "Name,Mail,Mobile,Job,Note\nBerit O.,BERIT@vesper.example,,Head grower,From the file.\n\"Pell, " +
		"Aron\",,413-555-0177,,\nUna Bracken,una@x.example,,Buyer,\nUna Bracken,UNA@x.example,607 555 " +
		"0101,Owner,\nHollis Vane,,413 555 0177,\n"
	i := w.brings(contract.RecordKindContact, "csv", file, contract.ImportPlanSameSkip)
	i = w.loads(i.ID)
	assert.Equal(t, []int64{2, 0, 3}, []int64{i.RowsMade, i.RowsUpdated, i.RowsSkipped},
		"the second Una is the first; who shares a number is another")
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE records SET note = 'Mornings.' WHERE id = $1`, w.berit)
	require.NoError(t, err)
	i = w.brings(contract.RecordKindContact, "csv", file, contract.ImportPlanSameUpdate)
	i = w.loads(i.ID)
	assert.Equal(t, []int64{0, 5}, []int64{i.RowsMade, i.RowsUpdated})
	r, err := w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	assert.Equal(t, []string{"Head grower", "Mornings.\n\nFrom the file."}, []string{r.Job, r.Note})
	una, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: people, Q: ptr("una bracken")})
	require.NoError(t, err)
	require.Len(t, una.Rows, 1)
	assert.Equal(t, "Owner", una.Rows[0].Job)
	assert.Len(t, una.Rows[0].Numbers, 1)
	lead, err := w.Book.Record(t.Context(), w.ines, w.aron)
	require.NoError(t, err)
	assert.Equal(t, contract.RecordKindLead, lead.Kind, "a lead stays a lead")
}

func TestVCardsAndJSONLinesComeInAndGoOut(t *testing.T) {
	w := newWorld(t)
	cards := "BEGIN:VCARD\r\nVERSION:3.0\r\nN:Bracken;Una;;;\r\nFN:Una Bracken\r\nORG:Tall Reed " +
		"Brewing;Cellar\r\nTEL;TYPE=CELL:+1 413 555 0133\r\nTEL;TYPE=WORK:+1 518 555 0120\r\n" +
		"EMAIL:una@tall.example\r\nNOTE:Wants the over\r\n flow on the north side\\, " +
		"please.\r\nBDAY:not-a-date\r\nX-ODD;A=B:?\r\nPHOTO;ENCODING=b:" + strings.Repeat("QUJD", 100_000) +
		"\r\nEND:VCARD\r\n" +
		"BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ivo " +
		"Larkmoor\r\nTEL;VALUE=uri;TYPE=cell:tel:+1-413-555-0134;ext=5\r\nEND:VCARD\r\nBEGIN:VCARD\r\nVERSION:4.0\r\nFN:Never ends\r\n"
	i := w.brings(contract.RecordKindLead, "vcard", cards, contract.ImportPlanSameMake)
	assert.Equal(t, []int64{2, 1}, []int64{i.RowsGood, i.RowsRejected})
	w.loads(i.ID)
	query := contract.RowQuery{Kinds: []contract.RecordKind{contract.RecordKindLead},
		Filter: ptr(`{"field":"name","op":"is_not","value":"Aron Pell"}`)}
	out := func(format contract.NewExportFormat, sel *contract.Selection) string {
		e, err := w.Files.AddExport(t.Context(), w.odile, contract.NewExport{Format: format, Selection: sel})
		require.NoError(t, err)
		id := uuid.MustParse(e.Address[len("/api/exports/"):])
		p, err := w.Files.TakeExport(t.Context(), w.odile, id)
		require.NoError(t, err)
		var b bytes.Buffer
		require.NoError(t, p.Write(t.Context(), &b))
		_, err = w.Files.TakeExport(t.Context(), w.odile, id)
		require.ErrorIs(t, err, firm.ErrNotFound, "once")
		return b.String()
	}
	sel := &contract.Selection{Query: &query}
	v4 := out(contract.NewExportFormatVcard, sel)
	assert.Contains(t, v4, "TEL;TYPE=cell;VALUE=uri:tel:+14135550134;ext=5\r\n")
	assert.Contains(t, v4, "NOTE:Wants the overflow on the north side\\, please.\r\n")
	assert.Contains(t, out(contract.NewExportFormatVcard3, sel), "VERSION:3.0\r\n")
	lines := out(contract.NewExportFormatJsonl, sel)
	assert.Equal(t, 2, strings.Count(lines, "\n"))
	// What went out comes in again, and is the same.
	for format, text := range map[string]string{"vcard": v4, "jsonl": lines,
		"csv": out(contract.NewExportFormatCsv, sel)} {
		again := w.brings(contract.RecordKindLead, format, text, contract.ImportPlanSameSkip)
		assert.Equal(t, []int64{2, 0}, []int64{again.RowsGood, again.RowsRejected}, format)
		done := w.loads(again.ID)
		assert.Equal(t, int64(2), done.RowsSkipped, format)
	}
	everything := out(contract.NewExportFormatEverything, nil)
	for n, line := range strings.Split(strings.TrimSpace(everything), "\n") {
		require.True(t, json.Valid([]byte(line)), "line %d", n+1)
	}
	assert.Contains(t, everything, `"Una`)
	_, err := w.Files.AddExport(t.Context(), w.ines, contract.NewExport{Format: contract.NewExportFormatEverything})
	require.ErrorIs(t, err, firm.ErrForbidden)
}

func TestFormulasAreEscapedOnTheWayOut(t *testing.T) {
	w := newWorld(t)
	w.add(contract.RecordKindLead, map[string]string{"family": `=HYPERLINK("x")`, "job": "+ouch"}, "+44 7700 900123")
	e, err := w.Files.AddExport(t.Context(), w.odile,
		contract.NewExport{Format: contract.NewExportFormatCsv,
			Selection: &contract.Selection{Query: &contract.RowQuery{Kinds: people, Q: ptr("hyperlink")}}})
	require.NoError(t, err)
	p, err := w.Files.TakeExport(t.Context(), w.odile, uuid.MustParse(e.Address[len("/api/exports/"):]))
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, p.Write(t.Context(), &b))
	assert.Contains(t, b.String(), `"'=HYPERLINK(""x"")"`)
	assert.Contains(t, b.String(), `'+ouch`)
	again := w.brings(contract.RecordKindLead, "csv", b.String(), contract.ImportPlanSameUpdate)
	w.loads(again.ID)
	page, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: people, Q: ptr("hyperlink")})
	require.NoError(t, err)
	require.Len(t, page.Rows, 1)
	assert.Equal(t, []string{`=HYPERLINK("x")`, "+ouch"}, []string{page.Rows[0].Name, page.Rows[0].Job},
		"and come back as they were")
}

func manyRows(count int) string {
	var b strings.Builder
	b.WriteString("Name,Mail,Mobile\n")
	for i := range count {
		fmt.Fprintf(&b, "Person %d,p%d@many.example,+1%d55501%02d\n", i, i, 413+i/100%5, i%100)
	}
	return b.String()
}

func TestAnImportGoesOnAfterACrashAndTakesNoneTwice(t *testing.T) {
	w := newWorld(t)
	i, err := w.Files.AddImport(t.Context(), w.odile,
		contract.NewImport{Kind: contract.RecordKindLead, Format: contract.NewImportFormatCsv, FileName: "many.csv"})
	require.NoError(t, err)
	i, err = w.Files.ReceiveImport(t.Context(), w.odile, i.ID, strings.NewReader(manyRows(9000)))
	require.NoError(t, err)
	_, err = w.Files.PlanImport(t.Context(), w.odile, i.ID,
		contract.ImportPlan{Columns: i.Columns, Same: contract.ImportPlanSameMake})
	require.NoError(t, err)
	w.importIs(i.ID, contract.ImportStateChecked)
	// As a crash in the middle of the checking leaves it: one batch kept, the rest not.
	exec := func(sql string) {
		_, err := w.store.Pool.Exec(t.Context(), sql, i.ID)
		require.NoError(t, err)
	}
	exec(`DELETE FROM import_rows WHERE import_id = $1 AND row_no > 4000`)
	exec(`UPDATE imports SET state = 'checking', rows_read = 4000, rows_good = 4000 WHERE id = $1`)
	w.Close()
	w.open()
	i = w.importIs(i.ID, contract.ImportStateChecked)
	assert.Equal(t, []int64{9000, 9000, 0}, []int64{i.RowsRead, i.RowsGood, i.RowsRejected})
	// And in the middle of the loading.
	_, err = w.Files.LoadImport(t.Context(), w.odile, i.ID)
	require.NoError(t, err)
	w.Close()
	w.open()
	i = w.importIs(i.ID, contract.ImportStateDone)
	assert.Equal(t, int64(9000), i.RowsMade)
	var count, distinct int
	require.NoError(t, w.store.Pool.QueryRow(t.Context(),
		`SELECT count(*), count(DISTINCT email) FROM records WHERE email LIKE '%many.example'`).Scan(&count, &distinct))
	assert.Equal(t, []int{9000, 9000}, []int{count, distinct})
}

func TestAnImportIsStoppedAndWhatCannotBeReadIsSaid(t *testing.T) {
	w := newWorld(t)
	_, err := w.Files.AddImport(t.Context(), w.ines,
		contract.NewImport{Kind: contract.RecordKindLead, Format: contract.NewImportFormatCsv, FileName: "x"})
	require.ErrorIs(t, err, firm.ErrForbidden)
	add := func(format string, body io.Reader) (contract.Import, error) {
		i, err := w.Files.AddImport(t.Context(), w.odile,
			contract.NewImport{Kind: contract.RecordKindLead, Format: contract.NewImportFormat(format), FileName: "x"})
		require.NoError(t, err)
		return w.Files.ReceiveImport(t.Context(), w.odile, i.ID, body)
	}
	var field *firm.FieldError
	_, err = add("csv", strings.NewReader(""))
	require.ErrorAs(t, err, &field)
	_, err = add("csv", io.MultiReader(strings.NewReader("Name\n"), broken{}))
	require.ErrorAs(t, err, &field)
	assert.Contains(t, err.Error(), "did not arrive whole")
	wide, err := add("csv", strings.NewReader(strings.Repeat("a,", 10_000)+"\n1,2\n"))
	require.NoError(t, err)
	assert.Equal(t, contract.ImportStateFailed, wide.State)
	assert.Contains(t, wide.Problem, "10001 columns")
	none, err := add("jsonl", strings.NewReader("[1,2]\n"))
	require.NoError(t, err)
	assert.Equal(t, contract.ImportStateFailed, none.State)

	i, err := add("csv", strings.NewReader(manyRows(20)))
	require.NoError(t, err)
	for name, plan := range map[string]contract.ImportPlan{"no name": {Columns: []contract.ImportColumn{{Heading: "Mobile", Field: "phone:mobile"}}},
		"no such column": {Columns: []contract.ImportColumn{{Heading: "Shoe", Field: "name"}}},
		"no such field":  {Columns: []contract.ImportColumn{{Heading: "Name", Field: "shoe"}}},
		"one field twice": {Columns: []contract.ImportColumn{{Heading: "Name", Field: "family"},
			{Heading: "Mail", Field: "family"}}}} {
		plan.Same = contract.ImportPlanSameMake
		_, err := w.Files.PlanImport(t.Context(), w.odile, i.ID, plan)
		require.ErrorAs(t, err, &field, name)
	}
	_, err = w.Files.LoadImport(t.Context(), w.odile, i.ID)
	require.ErrorAs(t, err, &field, "not before it is checked")
	_, err = w.Files.CancelImport(t.Context(), w.odile, i.ID)
	require.NoError(t, err)
	_, err = w.Files.PlanImport(t.Context(), w.odile, i.ID,
		contract.ImportPlan{Columns: i.Columns, Same: contract.ImportPlanSameMake})
	require.ErrorAs(t, err, &field, "cancelled is cancelled")
	_, err = w.Files.Import(t.Context(), w.odile, uuid.New())
	require.ErrorIs(t, err, firm.ErrNotFound)
}

type broken struct{}

func (broken) Read([]byte) (int, error) { return 0, errors.New("the line broke") }

func TestACalendarIsReadWithItsSecretOnly(t *testing.T) {
	w := newWorld(t)
	w.add(contract.RecordKindVisit,
		map[string]string{"name": "Look at the roof, again; please", "starts": "2026-03-05 10:00",
			"place": "Greenfield"})
	_, err := w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(),
		contract.NewFollowUp{Text: "Call back", DueAt: ptr(monday.AddDate(0, 0, 1))})
	require.NoError(t, err)
	a, err := w.Book.MakeCalendarAddress(t.Context(), w.ines)
	require.NoError(t, err)
	secret := strings.TrimSuffix(strings.TrimPrefix(a.Address, "/calendar/"), ".ics")
	read := func(secret string) (string, error) {
		var b bytes.Buffer
		err := w.Book.WriteSecretCalendar(context.Background(), secret, &b)
		return b.String(), err
	}
	text, err := read(secret)
	require.NoError(t, err)
	for _, want := range []string{"BEGIN:VCALENDAR", "DTSTART:20260305T150000Z",
		`SUMMARY:Look at the roof\, again\; please`, "SUMMARY:Berit Osterlund: Call back", "LOCATION:Greenfield"} {
		assert.Contains(t, text, want)
	}
	_, err = read("guess")
	require.ErrorIs(t, err, firm.ErrNotFound)
	_, err = w.Book.MakeCalendarAddress(t.Context(), w.ines)
	require.NoError(t, err)
	_, err = read(secret)
	require.ErrorIs(t, err, firm.ErrNotFound, "an earlier address no longer works")
}
