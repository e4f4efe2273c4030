package fact

// Record facts are those that checks ignore: default rules, SoD rules, and what
// the workflows remember. A snapshot keeps them beside the rest, so that they
// are read at any past day, drafted, replayed and verified like all else.
type RecordFact interface {
	Fact
	// Since is the revision that opened it.
	Since() int64
	OpenedBy(int64)
}

// Lifetime is embedded in record facts.
type Lifetime struct {
	Opened int64 `json:"-"`
}

// Since implements RecordFact.
func (l *Lifetime) Since() int64 { return l.Opened }

// OpenedBy sets the revision that opened it.
func (l *Lifetime) OpenedBy(n int64) { l.Opened = n }

// MaxRecordKinds bounds how many kinds of record facts there are: a program with more does not
// start.
const MaxRecordKinds = 48

// recordKinds are those there are, by their place in a snapshot.
var recordKinds []FactKind

// RecordKind makes a kind of record facts known, before the first snapshot is made.
func RecordKind(kind FactKind) FactKind {
	if len(recordKinds) == MaxRecordKinds {
		panic("access: no place for facts of kind " + kind)
	}
	recordKinds = append(recordKinds, kind)
	FactKinds = append(FactKinds, kind)
	return kind
}

// RecordPlace is the place of a kind of record facts in a snapshot, -1 for what is none.
func RecordPlace(kind FactKind) int {
	for i, k := range recordKinds {
		if k == kind {
			return i
		}
	}
	return -1
}
