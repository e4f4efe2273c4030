package access

import "ableroster/internal/fact"

// Unit is the one under a number, or nil.
func (s *Snapshot) Unit(id fact.UnitID) *fact.Unit {
	f, _ := s.RecordFact(fact.FactUnit, uint32(id)).(*fact.Unit)
	return f
}

// Units are all of them, ended ones too.
func (s *Snapshot) Units() []*fact.Unit { return RecordFactsOf[*fact.Unit](s, fact.FactUnit) }

// HasUnits says whether the organisation has described its units: before that the units of
// users are free texts.
func (s *Snapshot) HasUnits() bool {
	has := false
	s.EachRecordFact(fact.FactUnit, func(f fact.RecordFact) bool {
		has = !f.(*fact.Unit).Ended
		return !has
	})
	return has
}

// UnitAt is the unit that has a path now, or nil.
func (s *Snapshot) UnitAt(path string) (found *fact.Unit) {
	s.EachRecordFact(fact.FactUnit, func(f fact.RecordFact) bool {
		if u := f.(*fact.Unit); u.Path == path && !u.Ended {
			found = u
		}
		return found == nil
	})
	return found
}

// HeadOf is who leads a unit, or the nearest one above that is led by somebody else than a
// user: nobody is their own head. 0 is nobody.
func (s *Snapshot) HeadOf(unit string, user fact.UserID) fact.UserID {
	for ; unit != ""; unit = fact.UnitAbove(unit) {
		if u := s.UnitAt(unit); u != nil && u.Head != 0 && u.Head != user {
			return u.Head
		}
	}
	return 0
}
