package access

import "ableroster/internal/fact"

// MergedInto is the record into which a user's was merged, or 0.
func (s *Snapshot) MergedInto(id fact.UserID) fact.UserID {
	if f, ok := s.RecordFact(fact.FactMerged, uint32(id)).(*fact.Merged); ok {
		return f.Into
	}
	return 0
}

// MergedFrom are the records that were merged into a user's, at any depth.
func (s *Snapshot) MergedFrom(id fact.UserID) (out []fact.UserID) {
	into := map[fact.UserID]bool{id: true}
	for more := true; more; {
		more = false
		s.EachRecordFact(fact.FactMerged, func(f fact.RecordFact) bool {
			if m := f.(*fact.Merged); into[m.Into] && !into[m.User] {
				into[m.User], more = true, true
				out = append(out, m.User)
			}
			return true
		})
	}
	return out
}
