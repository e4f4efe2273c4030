package access

import "ableroster/internal/paged"

// Record facts are those that checks ignore: default rules, SoD rules, and what
// the workflows remember. A snapshot keeps them beside the rest, so that they
// are read at any past day, drafted, replayed and verified like all else.
type RecordFact interface {
	Fact
	// Since is the revision that opened it.
	Since() int64
	since(int64)
}

// Lifetime is embedded in record facts.
type Lifetime struct {
	Opened int64 `json:"-"`
}

// Since implements RecordFact.
func (l *Lifetime) Since() int64  { return l.Opened }
func (l *Lifetime) since(n int64) { l.Opened = n }

// maxRecordKinds bounds how many kinds of record facts there are: a program with more does not
// start.
const maxRecordKinds = 32

// recordKinds are those there are, by their place in a snapshot.
var recordKinds []FactKind

// RecordKind makes a kind of record facts known, before the first snapshot is made.
func RecordKind(kind FactKind) FactKind {
	if len(recordKinds) == maxRecordKinds {
		panic("access: no place for facts of kind " + kind)
	}
	recordKinds = append(recordKinds, kind)
	FactKinds = append(FactKinds, kind)
	return kind
}

func recordPlace(kind FactKind) int {
	for i, k := range recordKinds {
		if k == kind {
			return i
		}
	}
	return -1
}

// recordTables are the open record facts of a snapshot.
type recordTables [maxRecordKinds]paged.Table[RecordFact]

// RecordFact is the open fact of a kind under a number, or nil.
func (s *Snapshot) RecordFact(kind FactKind, row uint32) RecordFact {
	if p := recordPlace(kind); p >= 0 {
		return s.records[p].Get(int(row))
	}
	return nil
}

// EachRecordFact calls yield for every open fact of a kind, in order of number, until
// it says to stop.
func (s *Snapshot) EachRecordFact(kind FactKind, yield func(RecordFact) bool) {
	p := recordPlace(kind)
	if p < 0 {
		return
	}
	for i := range s.records[p].Len() {
		if f := s.records[p].Get(i); f != nil && !yield(f) {
			return
		}
	}
}

// RecordFactsOf are all open facts of a kind, in order of number.
func RecordFactsOf[T RecordFact](s *Snapshot, kind FactKind) []T {
	var out []T
	s.EachRecordFact(kind, func(f RecordFact) bool {
		out = append(out, f.(T))
		return true
	})
	return out
}

// PutRecord opens a record fact, in the place of the one with the same number.
func (d *Builder) PutRecord(f RecordFact) { d.put(f) }
