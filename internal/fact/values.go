package fact

import (
	"encoding/json"
	"iter"
	"strings"

	"ableroster/internal/filter"
)

// Values are the values of the attributes an organisation declared itself, of
// one user: a line for each, in order of key, with a letter for its type in
// between. One text instead of a map, since nearly all users have the same few
// and a user is compared as a whole.
type Values string

// ValueType is what the values of a declared attribute are.
type ValueType string

// The types. The letter of each stands in Values.
const (
	TextValue   ValueType = "text"
	NumberValue ValueType = "number"
	DateValue   ValueType = "date"
	TruthValue  ValueType = "truth"
)

const (
	textLetter, exactLetter, numberLetter, dateLetter, truthLetter = 't', 'e', 'n', 'd', 'b'
)

func (a *Attribute) letter() byte {
	switch a.Type {
	case NumberValue:
		return numberLetter
	case DateValue:
		return dateLetter
	case TruthValue:
		return truthLetter
	}
	if a.CaseExact {
		return exactLetter
	}
	return textLetter
}

// each calls yield for each line: its key, its letter, its text.
func (v Values) each(yield func(key string, letter byte, text string) bool) {
	for line := range strings.SplitSeq(string(v), "\n") {
		key, rest, ok := strings.Cut(line, "=")
		if ok && rest != "" && !yield(key, rest[0], rest[1:]) {
			return
		}
	}
}

// All are the values as texts, in order of key.
func (v Values) All() iter.Seq2[string, string] {
	return func(yield func(string, string) bool) {
		v.each(func(key string, _ byte, text string) bool { return yield(key, text) })
	}
}

// Get is one value as a text, or nothing.
func (v Values) Get(key string) string {
	found := ""
	v.each(func(k string, _ byte, text string) bool {
		if k == key {
			found = text
		}
		return k < key
	})
	return found
}

// With is the values with another one of an attribute; a blank one clears.
func (v Values) With(a *Attribute, text string) Values {
	var out strings.Builder
	put := func(key string, letter byte, text string) {
		if out.Len() > 0 {
			out.WriteByte('\n')
		}
		out.WriteString(key + "=" + string(letter) + text)
	}
	done := text == ""
	v.each(func(k string, letter byte, old string) bool {
		if !done && k >= a.Key {
			put(a.Key, a.letter(), text)
			done = true
		}
		if k != a.Key {
			put(k, letter, old)
		}
		return true
	})
	if !done {
		put(a.Key, a.letter(), text)
	}
	return Values(out.String())
}

// Typed is one value as filters compare it, or nil.
func (v Values) Typed(key string) []any {
	var out []any
	v.each(func(k string, letter byte, text string) bool {
		if k == key {
			out = []any{typed(letter, text)}
		}
		return k < key
	})
	return out
}

func typed(letter byte, text string) any {
	switch letter {
	case exactLetter:
		return filter.Exact(text)
	case numberLetter:
		n, _ := json.Number(text).Float64() // checked when it was written
		return n
	case truthLetter:
		return text == "true"
	}
	return text
}
