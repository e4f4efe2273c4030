package access

import (
	"ableroster/internal/calendar"
	"ableroster/internal/paged"
)

// Builder makes the next snapshot of one, fact by fact, by difference: what does not
// change is shared. It answers every question as a snapshot does, of the facts as they
// are by then. It knows nothing of rights and rules. A builder belongs to one goroutine.
type Builder struct {
	Snapshot
	base *Snapshot
	edit *paged.Edit

	changed map[factKey]Fact // what each changed fact was before, nil when new
	order   []factKey
	touches int // how often a fact was put
	listed  []RowChange
	asOf    int // the touches that listed is of
	loading bool

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

// Next begins the next snapshot. The snapshot itself never changes.
func (s *Snapshot) Next() *Builder {
	d := &Builder{Snapshot: *s, base: s, edit: new(paged.Edit), changed: map[factKey]Fact{}}
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

// Put enters a fact as read from the ledger, with the revision that opened it.
func (d *Builder) Put(f Fact, opened int64) {
	revision := d.Revision
	d.Revision = opened
	d.put(f)
	d.Revision = revision
}

// Touch says that what is given to a user or group directly was last changed
// by a revision, though the fact it closed is no longer there to tell.
func (d *Builder) Touch(m Member, revision int64) {
	if m.User != 0 {
		u := d.users.Edit(d.edit, int(m.User))
		u.touched = max(u.touched, revision)
		return
	}
	g := d.groups.Edit(d.edit, int(m.Group))
	g.touched = max(g.touched, revision)
}

// Reserve sets the next free number of a kind past n.
func (d *Builder) Reserve(kind FactKind, n uint32) {
	c := d.next.of(kind)
	*c = max(*c, n+1)
}

// Seal makes the draft a snapshot. The draft must not be used after.
func (d *Builder) Seal(revision int64, at calendar.Instant) *Snapshot {
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
func (d *Builder) Base() *Snapshot { return d.base }

// Changes are the facts that differ from the base, in the order they were
// first touched. None means the draft changes nothing.
func (d *Builder) Changes() []RowChange {
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

func (d *Builder) track(f Fact) {
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
