package seeing

import (
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/wire"
)

// PlaceOf is where in a change something lies.
func PlaceOf(operation int, field string) string {
	at := fmt.Sprintf("/operations/%d", operation)
	if field != "" {
		at += "/" + field
	}
	return at
}

// SubjectID is the id of what an operation read.
func SubjectID(s change.Subject) string { return fmt.Sprintf("%s-%d", s.Kind, s.Row) }

// SubjectRef names what an operation read, cut to what the caller may see.
func (v *View) SubjectRef(s change.Subject) wire.Ref {
	switch s.Kind {
	case fact.FactUser:
		return v.UserRef(fact.UserID(s.Row))
	case fact.FactGroup:
		return v.GroupRef(fact.GroupID(s.Row), false)
	case fact.FactRole:
		return v.RoleRef(fact.RoleID(s.Row), false)
	}
	return v.ApplicationRef(fact.ApplicationID(s.Row), false)
}

// MostNamed bounds how many users of one class an effect names, and
// effectsAPage how many effects there are on a page unless asked otherwise.
const (
	MostNamed    = 50
	EffectsAPage = 100
)

// Entitlements are those in applications the caller may read, and whether
// there are others.
func (v *View) Entitlements(es []query.Entitlement) (out []wire.Entitlement) {
	for _, e := range es {
		if v.ReadsApplication(e.Application) {
			out = append(out, v.Entitlement(e, false))
		}
	}
	return out
}

// Entitlement draws one; own lets its application be named to whoever may not
// read it otherwise.
func (v *View) Entitlement(e query.Entitlement, own bool) wire.Entitlement {
	x := wire.Entitlement{Application: v.ApplicationRef(e.Application, own), Action: e.Action, Target: e.Target, Own: e.Own, Schedule: Schedule(e.Schedule),
		From: Instant(e.When[0].From), Until: Instant(e.When[0].Until), When: v.When(e.When)}
	if e.When[0].From <= v.At {
		x.From = nil // from now on
	}
	return x
}

// When is each of several times from the view's instant on; none where there is one.
func (v *View) When(all calendar.Intervals) []wire.Window {
	var out []wire.Window
	for _, w := range all.From(v.At) {
		x := wire.Window{From: Instant(w.From), Until: Instant(w.Until)}
		if w.From <= v.At {
			x.From = nil // from now on
		}
		out = append(out, x)
	}
	if len(out) < 2 {
		return nil
	}
	return out
}

// mostSeveral bounds how many of several users are named.
const mostSeveral = 5

// Several names or counts the users the caller may read.
func (v *View) Several(ids []fact.UserID) string {
	seen := slices.DeleteFunc(slices.Clone(ids), func(id fact.UserID) bool { return id == 0 || !v.ReadsUser(id) })
	switch {
	case len(ids) == 1 && ids[0] == 0:
		return "whomever the rule will choose"
	case len(seen) == 0:
		return "somebody " + Outside
	}
	var names []string
	for _, id := range seen[:min(len(seen), mostSeveral)] {
		names = append(names, v.UserName(id))
	}
	if n := len(seen) - len(names); n > 0 {
		return strings.Join(names, ", ") + fmt.Sprintf(" and %d more", n)
	}
	return fact.ActionWords(names)
}
