package fact

// FactExpectation is the kind of expectations.
var FactExpectation = RecordKind("expectation")

// Expectation is a saved check that must keep holding: that somebody may do an
// action on what a pattern covers, or that they may not. Whoever holds it on a
// condition only, on their own or at some times of the week, counts as one who
// may.
type Expectation struct {
	Lifetime
	ID          ExpectationID `json:"-"`
	Key         string        `json:"key"`
	Label       string        `json:"label"` // the plain sentence
	Description string        `json:"description,omitempty"`
	Of          Subjects      `json:"of"`
	Application ApplicationID `json:"application"`
	Action      string        `json:"action"`
	Pattern     string        `json:"pattern"`
	May         bool          `json:"may,omitempty"`      // on all of it; else they may not, on any of it
	Blocking    bool          `json:"blocking,omitempty"` // refuse what would break it; else warn
	Owner       UserID        `json:"owner,omitempty"`
	Ended       bool          `json:"ended,omitempty"`
}

// Subjects are whom an expectation is about; exactly one of User, Group and
// Nobody is given.
type Subjects struct {
	User   UserID  `json:"user,omitempty"`
	Group  GroupID `json:"group,omitempty"`  // each of its members
	Except bool    `json:"except,omitempty"` // everybody but its members, nobody signed in too
	Nobody bool    `json:"nobody,omitempty"` // nobody signed in
}

// MostExpectations bounds how many stand at once: each is judged with every
// change.
const MostExpectations = 5000

// Kind and Row identify it.
func (*Expectation) Kind() FactKind { return FactExpectation }
func (f *Expectation) Row() uint32  { return uint32(f.ID) }

// Name and Over implement Keyed.
func (f *Expectation) Name() string { return f.Key }
func (f *Expectation) Over() bool   { return f.Ended }
