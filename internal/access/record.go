package access

import (
	"ableroster/internal/fact"
	"ableroster/internal/paged"
)

// recordTables are the open record facts of a snapshot.
type recordTables [fact.MaxRecordKinds]paged.Table[fact.RecordFact]

// RecordFact is the open fact of a kind under a number, or nil.
func (s *Snapshot) RecordFact(kind fact.FactKind, row uint32) fact.RecordFact {
	if p := fact.RecordPlace(kind); p >= 0 {
		return s.RecordTables[p].Get(int(row))
	}
	return nil
}

// EachRecordFact calls yield for every open fact of a kind, in order of number, until
// it says to stop.
func (s *Snapshot) EachRecordFact(kind fact.FactKind, yield func(fact.RecordFact) bool) {
	p := fact.RecordPlace(kind)
	if p < 0 {
		return
	}
	for i := range s.RecordTables[p].Len() {
		if f := s.RecordTables[p].Get(i); f != nil && !yield(f) {
			return
		}
	}
}

// RecordFactsOf are all open facts of a kind, in order of number.
func RecordFactsOf[T fact.RecordFact](s *Snapshot, kind fact.FactKind) []T {
	var out []T
	s.EachRecordFact(kind, func(f fact.RecordFact) bool {
		out = append(out, f.(T))
		return true
	})
	return out
}
