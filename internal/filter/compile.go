package filter

import (
	"strings"
	"unicode/utf8"
)

// Texts is a Source that tells attributes of one text without making a list of it,
// and whether a text is among the values of others: what is asked of a hundred
// thousand things one after the other.
type Texts interface {
	Source
	// Text is the one value of an attribute, blank for none; ok is false for an
	// attribute that is not told so.
	Text(attribute string) (value string, ok bool)
	// Has says whether a text is exactly one of the values of an attribute; ok is
	// false for an attribute that is not told so.
	Has(attribute, value string) (has, ok bool)
}

// Compile readies a checked expression for many things: what it returns says of
// each what Match does.
func Compile(e Expression, s Schema) func(Source) bool {
	switch e := e.(type) {
	case *Or:
		a, b := Compile(e.Left, s), Compile(e.Right, s)
		return func(of Source) bool { return a(of) || b(of) }
	case *And:
		a, b := Compile(e.Left, s), Compile(e.Right, s)
		return func(of Source) bool { return a(of) && b(of) }
	case *Not:
		a := Compile(e.Of, s)
		return func(of Source) bool { return !a(of) }
	case *Within:
		a, ok := s.Find(e.Attribute)
		if !ok || strings.Contains(e.Attribute, ".") {
			break
		}
		inside := Compile(e.Of, a.Sub)
		return func(of Source) bool {
			for _, v := range of.Values(a.Name) {
				if x, ok := v.(Source); ok && inside(x) {
					return true
				}
			}
			return false
		}
	case *Present:
		if a, ok := plain(e.Attribute, s); ok {
			return func(of Source) bool {
				if t, ok := of.(Texts); ok {
					if v, ok := t.Text(a.Name); ok {
						return v != ""
					}
				}
				return len(of.Values(a.Name)) > 0
			}
		}
	case *Compare:
		if a, ok := plain(e.Attribute, s); ok {
			return comparing(e, a)
		}
	}
	return func(of Source) bool { return Match(e, s, of) }
}

// plain is an attribute without sub-attributes that the schema names.
func plain(name string, s Schema) (*Attribute, bool) {
	if strings.Contains(name, ".") {
		return nil, false
	}
	a, ok := s.Find(name)
	return a, ok && len(a.Sub) == 0
}

func comparing(e *Compare, a *Attribute) func(Source) bool {
	want, isText := e.Value.(string)
	fold := !a.CaseExact
	if fold {
		want = strings.ToLower(want)
	}
	return func(of Source) bool {
		if t, ok := of.(Texts); ok && isText {
			if v, ok := t.Text(a.Name); ok {
				if v == "" {
					return e.Operator == NotEqual
				}
				return compareText(e.Operator, v, want, fold)
			}
			if e.Operator == Equal && !fold {
				if has, ok := t.Has(a.Name, want); ok {
					return has
				}
			}
		}
		return matchAny(e, a, of.Values(a.Name))
	}
}

// compareText compares a text with one in small letters, or as they are.
func compareText(o Operator, v, want string, fold bool) bool {
	if fold && (o == Equal || o == StartsWith) {
		if begins, sure := beginsFolded(v, want); sure {
			return begins && (o == StartsWith || len(v) == len(want))
		}
	}
	if fold && !small(v) {
		v = strings.ToLower(v)
	}
	switch o {
	case Equal:
		return v == want
	case NotEqual:
		return v != want
	case Contains:
		return strings.Contains(v, want)
	case StartsWith:
		return strings.HasPrefix(v, want)
	case EndsWith:
		return strings.HasSuffix(v, want)
	}
	return ordered(o, strings.Compare(v, want))
}

// beginsFolded says whether a text in small letters begins with another, looking no farther than
// that is decided; sure is false where a letter that is not plain has to be put in small ones.
func beginsFolded(v, want string) (begins, sure bool) {
	for i := range len(want) {
		if i == len(v) {
			return false, true
		}
		c := v[i]
		if c >= utf8.RuneSelf {
			return false, false
		}
		if c >= 'A' && c <= 'Z' {
			c += 'a' - 'A'
		}
		if c != want[i] {
			return false, true
		}
	}
	return true, true
}

// small says whether a text is plain and has no capital letter.
func small(s string) bool {
	for i := range len(s) {
		if c := s[i]; c >= utf8.RuneSelf || c >= 'A' && c <= 'Z' {
			return false
		}
	}
	return true
}
