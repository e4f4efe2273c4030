package workflows

import (
	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/review"
	"ableroster/internal/seeing"
)

// ended says what has ended since a round was opened: nobody has to decide on it. It is quick where
// the lines of a user follow one another, as they do in a round.
type ended struct {
	still query.Still
	known map[fact.AssignmentID]*fact.Assignment // of groups: many hold by the same
}

func endings(v *seeing.View) *ended {
	return &ended{query.Still{S: v.Uncut(), From: v.At}, map[fact.AssignmentID]*fact.Assignment{}}
}

// gone says whether somebody does not hold any more what they are on a line with.
func (e *ended) gone(k review.ItemKey) bool {
	if u := e.still.S.UserTable.At(int(k.User)); u != nil && u.Fact != nil {
		for _, l := range u.Given() {
			if l.Assignment() == k.Assignment && l.Plain() { // their own, without an end
				return false
			}
		}
	}
	a, known := e.known[k.Assignment]
	if !known {
		a = e.still.S.Assignment(k.Assignment)
		e.known[k.Assignment] = a
	}
	return !e.still.Holds(k.User, a)
}

// waits says whether something on a line is left to decide on.
func (e *ended) waits(said map[review.ItemKey]*review.Decision, l *review.Item) bool {
	for k := range l.Keys() {
		if said[k] == nil && !e.gone(k) {
			return true
		}
	}
	return false
}

// decidedOn is the decision on a line once all of it is decided: that it is revoked, where that
// was said of any user on it.
func (e *ended) decidedOn(said map[review.ItemKey]*review.Decision, l *review.Item) *review.Decision {
	var out *review.Decision
	for k := range l.Keys() {
		d := said[k]
		switch {
		case d == nil && len(l.With) > 0 && e.gone(k):
			continue // the others on it are what there is to decide on
		case d == nil:
			return nil
		}
		if out == nil || out.Keep && !d.Keep {
			out = d
		}
	}
	return out
}
