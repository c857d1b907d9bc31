package route

import (
	"maps"
	"slices"
)

// LanguageNames are the languages in which a route can speak, by their ISO 639-1 codes.
var LanguageNames = map[string]string{"en": "English", "fr": "French", "de": "German", "es": "Spanish"}

// UsualLanguage is spoken where nothing says another.
const UsualLanguage = "en"

// Said is what is said in a language: where there is no text in it, that in the usual one; where there is none either,
// that of the first language by code. It is "" without any.
func Said(texts map[string]string, language string) string {
	for _, l := range append([]string{language, UsualLanguage}, slices.Sorted(maps.Keys(texts))...) {
		if texts[l] != "" {
			return texts[l]
		}
	}
	return ""
}
