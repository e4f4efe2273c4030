package change

import (
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// mixture says which scripts are mixed within one word of a text, or nothing: a word of
// several looks like another's in one of them. Those that are written together stay
// together (UTS #39, section 5.1, where Latin goes with none of them).
func mixture(text string) string {
	var first *unicode.RangeTable
	firstName := ""
	for _, r := range text {
		if !unicode.IsLetter(r) {
			if !unicode.IsMark(r) {
				first = nil // another word
			}
			continue
		}
		if first != nil && unicode.Is(first, r) {
			continue
		}
		name, table := scriptOf(r)
		switch {
		case table == nil: // common to several
		case first == nil:
			first, firstName = table, name
		case !together[name] || !together[firstName]:
			return firstName + " and " + name
		}
	}
	return ""
}

// together are scripts that one word may be written in.
var together = map[string]bool{"Han": true, "Hiragana": true, "Katakana": true, "Hangul": true, "Bopomofo": true}

// scriptOf is the script of a letter; none where several share it.
func scriptOf(r rune) (string, *unicode.RangeTable) {
	if unicode.Is(unicode.Latin, r) {
		return "Latin", unicode.Latin
	}
	for name, table := range unicode.Scripts {
		if name != "Common" && name != "Inherited" && unicode.Is(table, r) {
			return name, table
		}
	}
	return "", nil
}

// ours are words by which the service speaks of whom it does not name.
var ours = map[string]bool{}

func init() {
	for _, w := range []string{"able roster", "the host", "the service", "the system", "nobody", "nobody signed in", "somebody", "everybody", "anybody", "all users", "public",
		"outside your part", "a departed user", "departed user", "anybody who may make it"} {
		ours[plain(w)] = true
	}
}

// plain is a text without what the eye passes over: case, spaces and marks between words.
func plain(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, norm.NFKC.String(text))
}

// CheckLikeness files the fault of a name that could be taken for another's, or for a word
// of the service's own.
func (d *Draft) CheckLikeness(field, name string) {
	if m := mixture(name); m != "" {
		d.Judged(field, "mixes %s letters within a word, so that it looks like another name", m)
		return
	}
	d.CheckOurs(field, name)
}

// CheckOurs files the fault of a name that poses as the service's own words.
func (d *Draft) CheckOurs(field, name string) {
	if ours[plain(name)] || strings.HasPrefix(strings.ToLower(name), "erased-") {
		d.Judged(field, "is what the service itself says where it names nobody: choose another name")
	}
}
