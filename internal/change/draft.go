package change

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Draft is the next snapshot in the making. It answers every question as a
// snapshot does, and takes operations. A draft belongs to one goroutine; one
// that has faults is thrown away.
type Draft struct {
	*access.Builder

	op     int // the operation being applied
	at     calendar.Instant
	failed map[string]bool // names whose making failed: refer to them in silence

	// Visible says what the author may know of; nil for everything. What they
	// may not know of is, to them, not there.
	Visible func(fact.FactKind, uint32) bool

	// Author is who makes the change; 0 is the host itself.
	Author fact.UserID

	// Account is the machine account that acts for the author, 0 for none. A change that it
	// makes for somebody is judged twice: once with the account as its author.
	Account fact.UserID

	// May says whether the author has a right on able-roster; nil for all. An
	// operation whose author lacks a right it needs is not applied: the need is
	// filed, and nothing else about it is told.
	May func(action, path string) bool

	// TakesUp says that somebody takes up an invitation of the author's, who shows that the mail came to
	// them: nobody else makes such a draft.
	TakesUp bool

	// Replays says that the operations were committed before. Rules that are newer
	// than they are judge no operation then.
	Replays bool

	// Calm is called now and then while much is applied, or its effect worked out, which
	// then takes one processor: it may let others go on. Nil for changes that are soon done.
	Calm func()

	Faults []Fault
	Needs  []Need
	needed map[needKey]bool // once there are many
	Notes  []Note
	Sealed []Sealing
	reads  []Subject

	guests   []guest
	manages  []managed // see managed; nil: not looked at yet
	promised []RoleGain
	shares   map[fact.RoleID]map[string]int // how often each role is shared, by path, once looked up
	sponsors map[fact.UserID][]fact.UserID  // whom each sponsors, once looked up
	units    map[string]*fact.Unit          // by path; nil: not looked at yet
	sources  []*fact.MachineAccount         // see Sources; nil: not looked at yet
}

// NewDraft begins a change. The snapshot itself never changes.
func NewDraft(s *access.Snapshot) *Draft { return &Draft{Builder: s.Next()} }
