package desk

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"
)

// folded is a text as searches compare it: without case and without marks, so
// that "ines" finds Inês.
func folded(s string) string {
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

// mentions says whether a text, once folded, holds some folded letters. Plain
// ones, nearly all there are, need no copy made.
func mentions(text, letters string) bool {
	if len(letters) == 0 {
		return true
	}
	for i := range len(text) {
		if text[i] >= utf8.RuneSelf {
			return strings.Contains(folded(text), letters)
		}
	}
	for i := 0; i+len(letters) <= len(text); i++ {
		n := 0
		for n < len(letters) && lower(text[i+n]) == letters[n] {
			n++
		}
		if n == len(letters) {
			return true
		}
	}
	return false
}

func lower(c byte) byte {
	if c >= 'A' && c <= 'Z' {
		c += 'a' - 'A'
	}
	return c
}
