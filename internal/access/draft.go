package access

import (
	"ableroster/internal/paged"

	"ableroster/internal/calendar"
)

// Draft is the next snapshot in the making. It answers every question as a
// snapshot does, and takes operations. A draft belongs to one goroutine; one
// that has faults is thrown away.
type Draft struct {
	Snapshot
	base *Snapshot
	edit *paged.Edit

	changed map[factKey]Fact // what each changed fact was before, nil when new
	order   []factKey
	touches int // how often a fact was put
	listed  []RowChange
	asOf    int // the touches that listed is of

	op      int // the operation being applied
	at      calendar.Instant
	loading bool
	failed  map[string]bool // names whose making failed: refer to them in silence

	// Visible says what the author may know of; nil for everything. What they
	// may not know of is, to them, not there.
	Visible func(FactKind, uint32) bool

	// Author is who makes the change; 0 is the host itself.
	Author UserID

	// May says whether the author has a right on able-roster; nil for all. An
	// operation whose author lacks a right it needs is not applied: the need is
	// filed, and nothing else about it is told.
	May func(action, path string) bool

	// Replays says that the operations were committed before. Rules that are newer
	// than they are judge no operation then.
	Replays bool

	Faults []Fault
	Needs  []Need
	needed map[needKey]bool // once there are many
	Notes  []Note
	Sealed []Sealing
	reads  []Subject

	promised []RoleGain

	took  IDs
	given IDs // to be taken first
}

type factKey struct {
	kind FactKind
	row  uint32
}

// RowChange is what a draft does to one fact: Before is nil for a new one,
// After for one that ends.
type RowChange struct{ Before, After Fact }

// Draft begins the next snapshot. The snapshot itself never changes.
func (s *Snapshot) Draft() *Draft {
	d := &Draft{Snapshot: *s, base: s, edit: new(paged.Edit), changed: map[factKey]Fact{}}
	d.Revision = s.Revision + 1
	return d
}

// Loader is a draft of an empty snapshot that facts are put into as they were
// read; it tracks no changes.
func Loader(revision int64) *Draft {
	d := Empty().Draft()
	d.Revision = revision
	d.loading = true
	return d
}

// Put enters a fact as read from the ledger, with the revision that opened it.
func (d *Draft) Put(f Fact, opened int64) {
	revision := d.Revision
	d.Revision = opened
	d.put(f)
	d.Revision = revision
}

// Touch says that what is given to a user or group directly was last changed
// by a revision, though the fact it closed is no longer there to tell.
func (d *Draft) Touch(m Member, revision int64) {
	if m.User != 0 {
		u := d.users.Edit(d.edit, int(m.User))
		u.touched = max(u.touched, revision)
		return
	}
	g := d.groups.Edit(d.edit, int(m.Group))
	g.touched = max(g.touched, revision)
}

// Reserve sets the next free number of a kind past n.
func (d *Draft) Reserve(kind FactKind, n uint32) {
	c := d.next.of(kind)
	*c = max(*c, n+1)
}

// Seal makes the draft a snapshot. The draft must not be used after.
func (d *Draft) Seal(revision int64, at calendar.Instant) *Snapshot {
	if d.loading {
		for i := range d.groups.Len() {
			d.gatherOne(GroupID(i))
		}
	}
	s := d.Snapshot
	s.Revision, s.At = revision, at
	return &s
}

// Base is the snapshot the draft began from.
func (d *Draft) Base() *Snapshot { return d.base }

// Changes are the facts that differ from the base, in the order they were
// first touched. None means the draft changes nothing.
func (d *Draft) Changes() []RowChange {
	if d.listed != nil && d.asOf == d.touches {
		return d.listed
	}
	out := make([]RowChange, 0, len(d.order))
	for _, k := range d.order {
		c := RowChange{d.changed[k], d.fact(k)}
		if c.Before == nil && c.After == nil {
			continue
		}
		out = append(out, c)
	}
	d.listed, d.asOf = out, d.touches
	return out
}

func (c *counters) of(kind FactKind) *uint32 {
	switch kind {
	case FactUser:
		return &c.User
	case FactGroup:
		return &c.Group
	case FactMembership:
		return &c.Membership
	case FactApplication:
		return &c.Application
	case FactResource:
		return &c.Resource
	case FactFence:
		return &c.Fence
	case FactRole:
		return &c.Role
	case FactInclusion:
		return &c.Inclusion
	case FactPermission:
		return &c.Permission
	case FactAssignment:
		return &c.Assignment
	}
	if p := recordPlace(kind); p >= 0 {
		return &c.Kept[p]
	}
	return new(uint32)
}

// fact is the open fact under a key as an interface, nil when there is none.
func (d *Snapshot) fact(k factKey) Fact {
	i := int(k.row)
	switch k.kind {
	case FactOrganisation:
		if d.organisation.Name == "" { // not set up yet
			return nil
		}
		o := d.organisation
		return &o
	case FactUser:
		return orNil(d.User(UserID(i)))
	case FactGroup:
		return orNil(d.Group(GroupID(i)))
	case FactMembership:
		return orNil(d.Membership(MembershipID(i)))
	case FactApplication:
		return orNil(d.Application(ApplicationID(i)))
	case FactResource:
		if r := d.resources.At(i); r != nil {
			return orNil(r.fact)
		}
	case FactFence:
		return orNil(d.Fence(FenceID(i)))
	case FactRole:
		return orNil(d.Role(RoleID(i)))
	case FactInclusion:
		if r := d.inclusions.At(i); r != nil {
			return orNil(r.fact)
		}
	case FactPermission:
		return orNil(d.Permission(PermissionID(i)))
	case FactAssignment:
		return orNil(d.Assignment(AssignmentID(i)))
	}
	if f := d.RecordFact(k.kind, k.row); f != nil {
		return f
	}
	return nil
}

func orNil[T any, P interface {
	*T
	Fact
}](p P) Fact {
	if p == nil {
		return nil
	}
	return p
}

func (d *Draft) track(f Fact) {
	if d.loading {
		return
	}
	d.touches++
	k := factKey{f.Kind(), f.Row()}
	if _, seen := d.changed[k]; !seen {
		d.changed[k] = d.fact(k)
		d.order = append(d.order, k)
	}
}
