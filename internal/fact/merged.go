package fact

// FactMerged is the kind of what two records of one person became.
var FactMerged = RecordKind("merged_user")

// Merged says that a user's record was merged into another: it departed, and its history is
// part of that one's.
type Merged struct {
	Lifetime
	User UserID `json:"-"`
	Into UserID `json:"into"`
}

// Kind and Row identify it.
func (*Merged) Kind() FactKind { return FactMerged }
func (f *Merged) Row() uint32  { return uint32(f.User) }
