package access

import "ableroster/internal/paged"

// Kept facts are those that checks ignore: default rules, conflicts, and what
// the workflows remember. A snapshot keeps them beside the rest, so that they
// are read at any past day, drafted, replayed and verified like all else.
type Kept interface {
	Fact
	// Since is the revision that opened it.
	Since() int64
	since(int64)
}

// Life is embedded in kept facts.
type Life struct {
	Opened int64 `json:"-"`
}

// Since implements Kept.
func (l *Life) Since() int64  { return l.Opened }
func (l *Life) since(n int64) { l.Opened = n }

// mostKept bounds how many kinds of kept facts there are: a program with more does not
// start.
const mostKept = 32

// keptKinds are those there are, by their place in a snapshot.
var keptKinds []FactKind

// KeepKind makes a kind of kept facts known, before the first snapshot is made.
func KeepKind(kind FactKind) FactKind {
	if len(keptKinds) == mostKept {
		panic("access: no place for facts of kind " + kind)
	}
	keptKinds = append(keptKinds, kind)
	FactKinds = append(FactKinds, kind)
	return kind
}

func keptPlace(kind FactKind) int {
	for i, k := range keptKinds {
		if k == kind {
			return i
		}
	}
	return -1
}

// keptTables are the open kept facts of a snapshot.
type keptTables [mostKept]paged.Table[Kept]

// Kept is the open fact of a kind under a number, or nil.
func (s *Snapshot) Kept(kind FactKind, row uint32) Kept {
	if p := keptPlace(kind); p >= 0 {
		return s.kept[p].Get(int(row))
	}
	return nil
}

// AllKept calls yield for every open fact of a kind, in order of number, until
// it says to stop.
func (s *Snapshot) AllKept(kind FactKind, yield func(Kept) bool) {
	p := keptPlace(kind)
	if p < 0 {
		return
	}
	for i := range s.kept[p].Len() {
		if f := s.kept[p].Get(i); f != nil && !yield(f) {
			return
		}
	}
}

// KeptOf are all open facts of a kind, in order of number.
func KeptOf[T Kept](s *Snapshot, kind FactKind) []T {
	var out []T
	s.AllKept(kind, func(f Kept) bool {
		out = append(out, f.(T))
		return true
	})
	return out
}

// Keep opens a kept fact, in the place of the one with the same number.
func (d *Draft) Keep(f Kept) { d.put(f) }
