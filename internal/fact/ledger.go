package fact

// Two kinds say what was done to the ledger itself.
var (
	FactErasedReason = RecordKind("erased_reason")
	FactMending      = RecordKind("mending")
)

// ErasedReason says that the reason of a revision was erased, by its digest: other revisions
// have others, were their words the same.
type ErasedReason struct {
	Lifetime
	ID       uint32 `json:"-"`
	Revision int64  `json:"revision"`
	Digest   string `json:"digest"`
}

// Kind and Row identify it.
func (*ErasedReason) Kind() FactKind { return FactErasedReason }
func (f *ErasedReason) Row() uint32  { return f.ID }

// Mending says that an operation of a revision cannot be read, and what is read in its place.
// What is stored stays as it is: Digest is that of all operations of the revision, as they
// were found.
type Mending struct {
	Lifetime
	ID          uint32 `json:"-"`
	Of          int64  `json:"revision"`
	Position    int    `json:"position"` // among its operations, from 0
	Digest      string `json:"digest"`
	Replacement string `json:"replacement"` // JSON, as operations are stored
}

// Kind and Row identify it.
func (*Mending) Kind() FactKind { return FactMending }
func (f *Mending) Row() uint32  { return f.ID }
