package access

import (
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/paged"
)

// Builder makes the next snapshot of one, fact by fact, by difference: what does not
// change is shared. It answers every question as a snapshot does, of the facts as they
// are by then. It knows nothing of rights and rules. A builder belongs to one goroutine.
type Builder struct {
	Snapshot
	base *Snapshot
	edit *paged.Edit

	changed map[factKey]fact.Fact // what each changed fact was before, nil when new
	order   []factKey
	touches int // how often a fact was put
	listed  []RowChange
	asOf    int // the touches that listed is of
	loading bool

	took  IDs
	given IDs // to be taken first
}

type factKey struct {
	kind fact.FactKind
	row  uint32
}

// RowChange is what a draft does to one fact: Before is nil for a new one,
// After for one that ends.
type RowChange struct{ Before, After fact.Fact }

// Next begins the next snapshot. The snapshot itself never changes.
func (s *Snapshot) Next() *Builder {
	d := &Builder{Snapshot: *s, base: s, edit: new(paged.Edit), changed: map[factKey]fact.Fact{}}
	d.Revision = s.Revision + 1
	return d
}

// Loader is a builder over an empty snapshot that facts are put into as they were
// read; it tracks no changes.
func Loader(revision int64) *Builder {
	d := Empty().Next()
	d.Revision = revision
	d.loading = true
	return d
}

// Load enters a fact as read from the ledger, with the revision that opened it.
func (d *Builder) Load(f fact.Fact, opened int64) {
	revision := d.Revision
	d.Revision = opened
	d.Put(f)
	d.Revision = revision
}

// Touch says that what is given to a user or group directly was last changed
// by a revision, though the fact it closed is no longer there to tell.
func (d *Builder) Touch(m fact.Member, revision int64) {
	if m.User != 0 {
		u := d.UserTable.Edit(d.edit, int(m.User))
		u.Touched = max(u.Touched, revision)
		return
	}
	g := d.GroupTable.Edit(d.edit, int(m.Group))
	g.Touched = max(g.Touched, revision)
}

// Reserve sets the next free number of a kind past n.
func (d *Builder) Reserve(kind fact.FactKind, n uint32) {
	c := d.next.of(kind)
	*c = max(*c, n+1)
}

// Seal makes the draft a snapshot. The draft must not be used after.
func (d *Builder) Seal(revision int64, at calendar.Instant) *Snapshot {
	if d.loading {
		for i := range d.GroupTable.Len() {
			d.gatherOne(fact.GroupID(i))
		}
	}
	s := d.Snapshot
	s.Revision, s.At = revision, at
	return &s
}

// PutNameless opens a user whom nobody finds by name, for asking what somebody would
// have; from then on nothing is tracked.
func (d *Builder) PutNameless(f *fact.User) {
	d.loading = true
	r := d.UserTable.Edit(d.edit, int(f.ID))
	r.state(f)
	d.choose(r)
}

// Base is the snapshot the draft began from.
func (d *Builder) Base() *Snapshot { return d.base }

// Changes are the facts that differ from the base, in the order they were
// first touched. None means the draft changes nothing.
func (d *Builder) Changes() []RowChange {
	if d.listed != nil && d.asOf == d.touches {
		return d.listed
	}
	out := make([]RowChange, 0, len(d.order))
	for _, k := range d.order {
		c := RowChange{d.changed[k], d.Fact(k.kind, k.row)}
		if c.Before == nil && c.After == nil {
			continue
		}
		out = append(out, c)
	}
	d.listed, d.asOf = out, d.touches
	return out
}

func (c *counters) of(kind fact.FactKind) *uint32 {
	switch kind {
	case fact.FactUser:
		return &c.User
	case fact.FactGroup:
		return &c.Group
	case fact.FactMembership:
		return &c.Membership
	case fact.FactApplication:
		return &c.Application
	case fact.FactResource:
		return &c.Resource
	case fact.FactFence:
		return &c.Fence
	case fact.FactRole:
		return &c.Role
	case fact.FactInclusion:
		return &c.Inclusion
	case fact.FactPermission:
		return &c.Permission
	case fact.FactAssignment:
		return &c.Assignment
	}
	if p := fact.RecordPlace(kind); p >= 0 {
		return &c.Kept[p]
	}
	return new(uint32)
}

// Fact is the open fact of a kind under a number as an interface, nil when there is none.
func (d *Snapshot) Fact(kind fact.FactKind, row uint32) fact.Fact {
	i := int(row)
	switch kind {
	case fact.FactOrganisation:
		if d.organisation.Name == "" { // not set up yet
			return nil
		}
		o := d.organisation
		return &o
	case fact.FactUser:
		return orNil(d.User(fact.UserID(i)))
	case fact.FactGroup:
		return orNil(d.Group(fact.GroupID(i)))
	case fact.FactMembership:
		return orNil(d.Membership(fact.MembershipID(i)))
	case fact.FactApplication:
		return orNil(d.Application(fact.ApplicationID(i)))
	case fact.FactResource:
		if r := d.ResourceTable.At(i); r != nil {
			return orNil(r.Fact)
		}
	case fact.FactFence:
		return orNil(d.Fence(fact.FenceID(i)))
	case fact.FactRole:
		return orNil(d.Role(fact.RoleID(i)))
	case fact.FactInclusion:
		if r := d.InclusionTable.At(i); r != nil {
			return orNil(r.Fact)
		}
	case fact.FactPermission:
		return orNil(d.Permission(fact.PermissionID(i)))
	case fact.FactAssignment:
		return orNil(d.Assignment(fact.AssignmentID(i)))
	}
	if f := d.RecordFact(kind, row); f != nil {
		return f
	}
	return nil
}

func orNil[T any, P interface {
	*T
	fact.Fact
}](p P) fact.Fact {
	if p == nil {
		return nil
	}
	return p
}

func (d *Builder) track(f fact.Fact) {
	if d.loading {
		return
	}
	d.touches++
	k := factKey{f.Kind(), f.Row()}
	if _, seen := d.changed[k]; !seen {
		d.changed[k] = d.Fact(k.kind, k.row)
		d.order = append(d.order, k)
	}
}
