package change

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// HeadsMade are the units that a draft gives a head, or a place under which others are led.
// Who comes into such a unit later is led on the authority of whoever made it so.
func HeadsMade(d *Draft) (out []*fact.Unit) {
	for _, c := range d.Changes() {
		if u, ok := c.After.(*fact.Unit); ok && !u.Ended && u.Head != 0 {
			if old, _ := c.Before.(*fact.Unit); old == nil || old.Head != u.Head || old.Path != u.Path || old.Ended {
				out = append(out, u)
			}
		}
	}
	return out
}

// LedBy are the units that somebody leads.
func LedBy(s *access.Snapshot, id fact.UserID) []*fact.Unit {
	return slices.DeleteFunc(s.Units(), func(u *fact.Unit) bool { return u.Ended || u.Head != id })
}

// InUnitAlone is a gain as people of a unit, and of those below it, can have it; ok is false
// where they cannot.
func InUnitAlone(s *access.Snapshot, g RoleGain, unit string) (one RoleGain, ok bool) {
	if g.User != 0 {
		return g, fact.InUnit(s.User(g.User).Unit, unit)
	}
	switch within := s.Role(g.Role).HeldWithin; {
	case HeldInside(unit, within):
		g.Within = reachPath(unit)
	case !HeldInside(within, unit):
		return g, false
	}
	return g, true
}
