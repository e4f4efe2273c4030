package change

import "ableroster/internal/fact"

// WithEntry is a map with one more entry; the map itself stays as it is.
func WithEntry(m map[string]string, key, text string) map[string]string {
	if m == nil {
		m = map[string]string{}
	}
	m[key] = text
	return m
}

// Requires files the faults of a new person without what is required.
func (d *Draft) Requires(u *fact.User) {
	if u.UserKind != fact.Person {
		return
	}
	for _, f := range d.Attributes() {
		if f.Required && !f.Retired && f.Fill == nil && f.Of(u) == "" {
			d.Fault("custom."+f.Key, "is required of every person (%s)", f.Label)
		}
	}
}

// FillAgain fills, in a user who is elsewhere now, the attributes that are filled from others.
func (d *Draft) FillAgain(u *fact.User) {
	for _, a := range d.Attributes() {
		if a.Fill != nil && !a.Personal && !a.Retired {
			u.Custom = u.Custom.With(a, a.Filled(u))
		}
	}
}
