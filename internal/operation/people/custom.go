package people

import (
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

// custom sets the values an operation gives, a blank one clears, and files
// their faults. What is personal it hands back apart: the ledger keeps that
// sealed.
func custom(d *change.Draft, u *fact.User, back unsealed, given, sealed map[string]string) (facts, personal map[string]string) {
	put := func(key, text string) {
		field := "custom." + key
		f := d.FindAttribute(key)
		switch {
		case f == nil || f.Retired:
			d.Fault(field, "is no declared attribute%s", attributesThere(d.Attributes()))
			return
		case f.Fill != nil:
			d.Fault(field, "is filled in by itself from %s", f.Fill.From)
			return
		}
		text, ok := normal(d, field, f, text)
		if !ok {
			return
		}
		if text == "" && f.Required && u.UserKind == fact.Person {
			d.Fault(field, "is required of every person")
			return
		}
		if f.Personal {
			u.More = u.More.With(f, text)
			personal = change.WithEntry(personal, f.Key, text)
			return
		}
		u.Custom = u.Custom.With(f, text)
		facts = change.WithEntry(facts, f.Key, text)
	}
	all := []map[string]string{given, sealed}
	if back.back {
		all = all[:1]
	}
	for _, m := range all {
		for _, key := range sortedKeys(m) {
			put(key, m[key])
		}
	}
	d.Fill(u)
	if back.back {
		u.More = back.more
		personal = sealed
	}
	return facts, personal
}

// normal is a value of an attribute as it is kept, blank for none; it files what is wrong with it.
func normal(d *change.Draft, field string, f *fact.Attribute, text string) (string, bool) {
	if text = strings.TrimSpace(text); text == "" {
		return "", true
	}
	value, wrong := f.Normal(text)
	if f.Type == fact.DateValue && wrong == "" && !d.Replays {
		if _, err := calendar.ReadDate(value); err != nil {
			wrong = err.Error()
		}
	}
	if wrong != "" {
		d.Fault(field, "%s", wrong)
		return "", false
	}
	return value, true
}

func attributesThere(all []*fact.Attribute) string {
	var keys []string
	for _, f := range all {
		if !f.Retired {
			keys = append(keys, f.Key)
		}
	}
	if len(keys) == 0 {
		return ": none is declared yet"
	}
	return "; there are " + strings.Join(keys, ", ")
}

func sortedKeys(m map[string]string) []string {
	var out []string
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}
