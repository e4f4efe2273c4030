package access

// Keyed are record facts that people name by a key: it is given once and never again.
type Keyed interface {
	RecordFact
	Name() string // the key
	Over() bool   // ended or retired: kept for past days, and changed no more
}

// FindKeyed is the fact of a kind under a key, as same compares keys, or under an id, also
// when it is over; ok is false when there is none.
func FindKeyed[F Keyed](s *Snapshot, kind FactKind, ref string, same func(a, b string) bool) (found F, ok bool) {
	if n, is := ParseID(idPrefix(kind), ref); is {
		found, ok = s.RecordFact(kind, n).(F)
		return found, ok
	}
	s.EachRecordFact(kind, func(f RecordFact) bool {
		if k := f.(F); same(k.Name(), ref) {
			found, ok = k, true
		}
		return !ok
	})
	return found, ok
}

// Same compares keys with case.
func Same(a, b string) bool { return a == b }

// settleKeyed settles the fact that an operation names in a field, and files the fault when
// the author may know of none, or it is over: then another is made in its place.
func settleKeyed[F Keyed, R ~string](d *Draft, kind FactKind, field string, ref *R, same func(a, b string) bool, another string) (F, bool) {
	var none F
	f, ok := FindKeyed[F](&d.Snapshot, kind, string(*ref), same)
	if !ok || !d.visible(kind, f.Row()) {
		d.missing(kind, field, string(*ref))
		return none, false
	}
	*ref = R(IDText(kind, f.Row()))
	d.read(kind, f.Row())
	if f.Over() {
		d.fault(field, another, f.Name())
		return none, false
	}
	return f, true
}
