package firm

import (
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/card"
	"trundo/internal/core/outcome"
	"trundo/internal/core/route"
	"trundo/internal/optional"
)

// OrNone is a text for the audit trail, its first 120 letters, or the word none.
func OrNone(s string) string {
	if s == "" {
		return "none"
	}
	if r := []rune(s); len(r) > 120 {
		return string(r[:120]) + "…"
	}
	return s
}

// Shorten cuts a text to so many letters.
func Shorten(text string, letters int) string {
	if runes := []rune(text); len(runes) > letters {
		return string(runes[:letters-1]) + "…"
	}
	return text
}

// ZoneNamed is a time zone by its name; UTC where it is not known.
func ZoneNamed(name string) *time.Location {
	zone, err := time.LoadLocation(name)
	if err != nil {
		return time.UTC
	}
	return zone
}

// CleanReason is a reason as it is kept; empty where none was given.
func CleanReason(reason *string) string {
	if reason == nil {
		return ""
	}
	return CleanText(*reason)
}

// EffectView is an effect of an outcome as the API has it; EffectOf the other way round.
func EffectView(e outcome.Effect) contract.Effect {
	view := contract.Effect{Kind: contract.EffectKind(e.Kind), Text: &e.Text, Count: &e.After.Count, At: e.After.At,
		Next: &e.Next, Target: &e.Target, Value: &e.Value}
	if e.Act != "" {
		act := contract.EffectAct(e.Act)
		view.Act = &act
	}
	if e.After.Unit != "" {
		unit := contract.EffectUnit(e.After.Unit)
		view.Unit = &unit
	}
	return view
}

// EffectOf is an effect of an outcome as core has it.
func EffectOf(e contract.Effect) outcome.Effect {
	return outcome.Effect{Kind: outcome.Kind(e.Kind), Act: string(optional.Value(e.Act)),
		Text:  CleanText(optional.Value(e.Text)),
		After: outcome.After{Count: optional.Value(e.Count), Unit: outcome.Unit(optional.Value(e.Unit)), At: e.At},
		Next:  optional.Value(e.Next), Target: optional.Value(e.Target), Value: optional.Value(e.Value)}
}

// CleanText is a text as it is kept: without what the database does not take, and without what looks like a payment
// card number. Everything that people write passes here, but for what they may insist on (hidden).
func CleanText(s string) string { return card.Mask(PlainText(s)) }

// PlainText is a text without what the database does not take.
func PlainText(s string) string { return strings.TrimSpace(strings.ReplaceAll(s, "\x00", "")) }

// DayStart is when the reader's day began.
func DayStart(now time.Time, zone *time.Location) time.Time {
	day := now.In(zone)
	return time.Date(day.Year(), day.Month(), day.Day(), 0, 0, 0, 0, zone)
}

// IDTexts are ids as core has them.
func IDTexts(ids []uuid.UUID) []string {
	all := make([]string, len(ids))
	for i, id := range ids {
		all[i] = id.String()
	}
	return all
}

// HideCards hides what looks like a payment card number in a text before it is kept, unless who wrote it insists, and
// tells what it hid.
func HideCards(text *string, insist *bool) *[]contract.Masked {
	if optional.Value(insist) {
		return nil
	}
	found := card.Find(*text)
	if len(found) == 0 {
		return nil
	}
	masked := make([]contract.Masked, len(found))
	for i, f := range found {
		masked[i] = contract.Masked{Text: f.Text, Mask: f.Mask}
	}
	*text = card.Mask(*text)
	return &masked
}

// Spoken cleans texts and tells whether there is a voice for each. Error: *FieldError.
func Spoken(field string, texts contract.SpokenTexts) error {
	for language, text := range texts {
		if _, known := route.LanguageNames[language]; !known {
			return Wrong(field, fmt.Sprintf("there is no voice for the language “%s”", language))
		}
		texts[language] = CleanText(text)
	}
	return nil
}
