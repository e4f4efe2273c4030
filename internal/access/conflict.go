package access

import (
	"slices"
)

// FactConflict is the kind of conflict rules.
var FactConflict = KeepKind("conflict")

// Conflict is a rule that nobody may hold all of some roles at the same time,
// in whatever way: by assignment, group, inclusion or default.
type Conflict struct {
	Life
	ID          ConflictID `json:"-"`
	Key         string     `json:"key"`
	Label       string     `json:"label"`
	Description string     `json:"description,omitempty"` // why not, in plain words
	Roles       []RoleID   `json:"roles"`                 // two or more
	Prevent     bool       `json:"prevent,omitempty"`     // refuse what would bring it about; else warn
	Ended       bool       `json:"ended,omitempty"`
}

// Kind and Row identify it.
func (*Conflict) Kind() FactKind { return FactConflict }
func (f *Conflict) Row() uint32  { return uint32(f.ID) }

// Conflict is the rule under a number, or nil.
func (s *Snapshot) Conflict(id ConflictID) *Conflict {
	f, _ := s.Kept(FactConflict, uint32(id)).(*Conflict)
	return f
}

// Conflicts are all rules, ended ones too.
func (s *Snapshot) Conflicts() []*Conflict { return KeptOf[*Conflict](s, FactConflict) }

// FindConflict finds a rule by key or id.
func (s *Snapshot) FindConflict(ref string) (ConflictID, bool) {
	if n, ok := ParseID("conflict", ref); ok {
		return ConflictID(n), s.Conflict(ConflictID(n)) != nil
	}
	for _, f := range s.Conflicts() {
		if f.Key == ref {
			return f.ID, true
		}
	}
	return 0, false
}

// Breach is a user who holds all roles of a conflict, and when.
type Breach struct {
	Conflict *Conflict
	User     UserID
	When     Intervals
}

// breach is when a user holds all roles of a conflict from an instant on.
func (f *Conflict) breach(held map[RoleID]Intervals, from Instant) Intervals {
	if f.Ended {
		return nil
	}
	when := Intervals{{From: from}}
	for _, r := range f.Roles {
		if when = when.intersect(held[r]); len(when) == 0 {
			return nil
		}
	}
	return when
}

// Breaches are the breaches of a rule from an instant on, by user.
func (s *Snapshot) Breaches(f *Conflict, from Instant) []Breach {
	if f.Ended || len(f.Roles) == 0 {
		return nil
	}
	candidates := map[UserID]int{}
	for _, r := range f.Roles {
		mine := map[UserID]bool{}
		s.holdersBelow(r, func(id UserID) { mine[id] = true })
		for id := range mine {
			candidates[id]++
		}
	}
	var out []Breach
	for id, n := range candidates {
		if n < len(f.Roles) {
			continue
		}
		if when := f.breach(s.roleIntervals(id), from); len(when) > 0 {
			out = append(out, Breach{f, id, when})
		}
	}
	slices.SortFunc(out, func(a, b Breach) int { return int(a.User) - int(b.User) })
	return out
}

// NewBreaches are those a draft brings about among the users it touches, where
// there was none before or for less time. A rule it writes stops nobody who
// breaks it already: see Breaches.
func (d *Draft) NewBreaches(touched []UserID, from Instant) []Breach {
	var standing []*Conflict
	for _, f := range d.Conflicts() {
		if !f.Ended && d.base.Conflict(f.ID) == f {
			standing = append(standing, f)
		}
	}
	if len(standing) == 0 {
		return nil
	}
	var out []Breach
	for _, id := range touched {
		if id == 0 {
			continue
		}
		after := d.roleIntervals(id)
		var before map[RoleID]Intervals
		for _, f := range standing {
			when := f.breach(after, from)
			if len(when) == 0 {
				continue
			}
			if before == nil {
				before = d.base.roleIntervals(id)
			}
			if when = when.minus(f.breach(before, from)); len(when) > 0 {
				out = append(out, Breach{f, id, when})
			}
		}
	}
	return out
}

// Written are the conflicts a draft writes or alters.
func (d *Draft) Written() []*Conflict {
	var out []*Conflict
	for _, f := range d.Conflicts() {
		if !f.Ended && d.base.Conflict(f.ID) != f {
			out = append(out, f)
		}
	}
	return out
}

// Broken says whether a user holds all roles of a conflict at an instant.
func (f *Conflict) Broken(s *Snapshot, id UserID, at Instant) bool {
	return f.breach(s.roleIntervals(id), at).Holds(at)
}
