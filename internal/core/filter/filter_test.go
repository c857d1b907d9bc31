package filter_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/fields"
	"trundo/internal/core/filter"
)

var list = []fields.Field{{Key: "name", Label: "Name", Type: fields.Text},
	{Key: "roof", Label: "Roof", Type: fields.Number}, {Key: "amount", Label: "Amount", Type: fields.Money},
	{Key: "due", Label: "Due", Type: fields.Date}, {Key: "tags", Label: "Tags", Type: fields.Tags},
	{Key: "number", Label: "Number", Type: fields.Phone},
	{Key: "plan", Label: "Plan", Type: fields.Choice, Choices: []string{"yearly"}}}

func resolve(t *testing.T, text string) (*filter.Expr, error) {
	t.Helper()
	n, err := filter.Parse(text)
	if err != nil {
		return nil, err
	}
	zone, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	// Nine in the evening there, two in the morning of the next day in UTC; the day after, clocks go forward.
	now := time.Date(2026, 3, 8, 2, 0, 0, 0, time.UTC)
	return filter.Resolve(n, list, now, zone, fields.Home{Currency: "USD", CountryCode: "1"})
}

func TestDatesAreRelativeToTheReadersDay(t *testing.T) {
	day := func(d int) time.Time {
		zone, _ := time.LoadLocation("America/New_York")
		return time.Date(2026, 3, d, 0, 0, 0, 0, zone)
	}
	tests := map[string]struct {
		op, value string
		wantOp    filter.Op
		from, to  time.Time
	}{
		"today":              {"is", "today", filter.Is, day(7), day(8)},
		"tomorrow":           {"is", "today+1", filter.Is, day(8), day(9)}, // 23 hours long
		"before last week":   {"less", "today - 7", filter.Less, day(0), day(1)},
		"a date":             {"more", "2026-03-15", filter.More, day(15), day(16)},
		"the last day":       {"past", "1", filter.Is, day(7), day(8)},
		"the last seven":     {"past", "7", filter.Is, day(1), day(8)},
		"the next seven":     {"next", "7", filter.Is, day(7), day(14)},
		"not for three days": {"not_past", "3", filter.NotPast, day(5), time.Time{}},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			x, err := resolve(t, `{"field":"due","op":"`+tt.op+`","value":"`+tt.value+`"}`)
			require.NoError(t, err)
			assert.Equal(t, tt.wantOp, x.Op)
			assert.True(t, tt.from.Equal(x.From), "from %s", x.From)
			assert.True(t, tt.to.Equal(x.To), "to %s", x.To)
		})
	}
}

func TestValuesAreRead(t *testing.T) {
	x, err := resolve(t, `{"field":"amount","op":"more","value":"$1,200"}`)
	require.NoError(t, err)
	assert.Equal(t, []string{"120000", "USD"}, []string{x.Number, x.Currency})
	x, err = resolve(t, `{"field":"number","op":"begins","value":"(413) 555"}`)
	require.NoError(t, err)
	assert.Equal(t, []string{"+413555%", "+1413555%"}, x.Texts)
	x, err = resolve(t, `{"field":"tags","op":"any_of","value":"a, ,b"}`)
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "b"}, x.Texts)
	x, err = resolve(t, `{"any":[{"field":"name","op":"filled"},{"all":[]}]}`)
	require.NoError(t, err)
	assert.True(t, x.IsGroup() && x.Any && x.Parts[1].IsGroup())
	for _, nothing := range []string{"", "  ", "{}"} {
		x, err := resolve(t, nothing)
		require.NoError(t, err)
		assert.Nil(t, x)
	}
}

func TestWhatIsWrongIsSaid(t *testing.T) {
	deep := strings.Repeat(`{"all":[`, 6) + strings.Repeat(`]}`, 6)
	many := `{"all":[` + strings.Repeat(`{"field":"name","op":"empty"},`, 60) + `{"field":"name","op":"empty"}]}`
	for text, want := range map[string]string{
		`{`: "filter", `{"shoe":1}`: "shoe", `{"field":"shoe","op":"is","value":"1"}`: "no such field", `{"field":"roof","op":"contains","value":"1"}`: "does not fit",
		`{"field":"roof","op":"more","value":"big"}`: "Roof", `{"field":"name","op":"is"}`: "value is missing",
		`{"all":[],"any":[]}`: "either", `{"op":"is"}`: "either",
		`{"field":"due","op":"past","value":"soon"}`:           "number of days",
		`{"field":"due","op":"past","value":"99999999"}`:       "number of days",
		`{"field":"due","op":"is","value":"today+x"}`:          "number of days",
		`{"field":"due","op":"is","value":"30 February 2026"}`: "not a date",
		`{"field":"plan","op":"is","value":"daily"}`:           "choose one of",
		`{"field":"number","op":"is","value":"abc"}`:           "digits", deep: "nested", many: "at most",
	} {
		_, err := resolve(t, text)
		var e *filter.Error
		require.ErrorAs(t, err, &e, text)
		assert.Contains(t, err.Error(), want)
	}
}

// FuzzResolve: no text breaks it, and what is understood is within its limits.
func FuzzResolve(f *testing.F) {
	for _, s := range []string{`{"all":[{"field":"name","op":"is","value":"x"}]}`,
		`{"field":"due","op":"past","value":"7"}`, `{"any":[{"all":[]}]}`,
		`{"field":"due","op":"is","value":"today-1"}`, `[]`, `null`} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		n, err := filter.Parse(text)
		if err != nil {
			return
		}
		x, err := filter.Resolve(n, list, time.Unix(0, 0), time.UTC, fields.Home{Currency: "USD"})
		if err != nil || x == nil {
			return
		}
		back, err := json.Marshal(n)
		require.NoError(t, err)
		_, err = filter.Parse(string(back))
		require.NoError(t, err)
	})
}
