package seeing

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"
)

// Folded is a text as searches compare it: without case and without marks, so
// that "ines" finds Inês.
func Folded(s string) string {
	for i := range len(s) {
		if s[i] >= utf8.RuneSelf {
			t, _, err := transform.String(transform.Chain(norm.NFD, runes.Remove(runes.In(unicode.Mn)), norm.NFC), s)
			if err != nil {
				return strings.ToLower(s)
			}
			return strings.ToLower(t)
		}
	}
	return strings.ToLower(s)
}
