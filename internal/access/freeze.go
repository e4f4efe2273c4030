package access

import "ableroster/internal/fact"

// Freeze is the one under a number, or nil.
func (s *Snapshot) Freeze(id fact.FreezeID) *fact.Freeze {
	f, _ := s.RecordFact(fact.FactFreeze, uint32(id)).(*fact.Freeze)
	return f
}

// Freezes are all of them, ended ones too.
func (s *Snapshot) Freezes() []*fact.Freeze {
	return RecordFactsOf[*fact.Freeze](s, fact.FactFreeze)
}
