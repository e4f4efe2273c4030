package access

import "ableroster/internal/fact"

// Keyed are record facts that people name by a key: it is given once and never again.
type Keyed interface {
	fact.RecordFact
	Name() string // the key
	Over() bool   // ended or retired: kept for past days, and changed no more
}

// FindKeyed is the fact of a kind under a key, as same compares keys, or under an id, also
// when it is over; ok is false when there is none.
func FindKeyed[F Keyed](s *Snapshot, kind fact.FactKind, ref string, same func(a, b string) bool) (found F, ok bool) {
	if n, is := fact.ParseID(string(kind), ref); is {
		found, ok = s.RecordFact(kind, n).(F)
		return found, ok
	}
	s.EachRecordFact(kind, func(f fact.RecordFact) bool {
		if k := f.(F); same(k.Name(), ref) {
			found, ok = k, true
		}
		return !ok
	})
	return found, ok
}

// Same compares keys with case.
func Same(a, b string) bool { return a == b }
