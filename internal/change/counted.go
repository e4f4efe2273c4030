package change

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// present is how many of some users are there already: people who arrive with their change
// are no surprise in it.
func (d *Draft) present(users []fact.UserID) (n int) {
	for _, id := range users {
		if d.Base().User(id) != nil {
			n++
		}
	}
	return n
}

// wideGain is the rail of so many users who gain at once, of all who are active; nil for few.
func wideGain(gains []fact.UserID, present int, all float64) *Rail {
	if present < wideLeast || float64(present) < wideShare*all {
		return nil
	}
	return &Rail{Code: WideGain, Users: gains, Share: float64(present) / all, Passable: true}
}

// Counted is what of a draft's effect is counted over everybody, and so has to be counted
// anew where others made changes after it was judged.
type Counted struct {
	gains     []fact.UserID
	present   int
	everybody bool
}

// Count counts it.
func (d *Draft) Count(p Preview, sees func(fact.UserID) bool) Counted {
	var c Counted
	for _, e := range p.of(sees).Effects {
		if len(e.Gained) > 0 {
			c.gains = append(c.gains, e.Users...)
		}
	}
	c.present, c.everybody = d.present(c.gains), slices.Contains(c.gains, 0)
	return c
}

// RailsAgain are the guard rails that a change runs into by now: base is the newest snapshot,
// and after what the change leaves upon it.
func (c Counted) RailsAgain(base, after *access.Snapshot, from calendar.Instant, sees func(fact.UserID) bool) (out []Rail) {
	if !administered(after, from) {
		if last := Administrators(base, from); len(last) > 0 {
			out = append(out, Rail{Code: LastAdministrator, Users: last})
		}
	}
	if r := wideGain(c.gains, c.present, activeOf(base, sees)); !c.everybody && r != nil {
		out = append(out, *r)
	}
	return out
}
