package access

import (
	"cmp"
	"slices"
	"time"

	"ableroster/internal/paged"
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

	op      int // the operation being applied
	at      Instant
	loading bool
	failed  map[string]bool // names whose making failed: refer to them in silence

	// Visible says what the author may know of; nil for everything. What they
	// may not know of is, to them, not there.
	Visible func(FactKind, uint32) bool

	Faults []Fault
	Needs  []Need
	Notes  []Note
	Sealed []Sealing
	reads  []Subject
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
func (d *Draft) Seal(revision int64, at Instant) *Snapshot {
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
	var out []RowChange
	for _, k := range d.order {
		c := RowChange{d.changed[k], d.fact(k)}
		if c.Before == nil && c.After == nil {
			continue
		}
		out = append(out, c)
	}
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
	return new(uint32)
}

func (d *Draft) allocate(kind FactKind) uint32 {
	c := d.next.of(kind)
	n := *c
	*c++
	return n
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
	k := factKey{f.Kind(), f.Row()}
	if _, seen := d.changed[k]; !seen {
		d.changed[k] = d.fact(k)
		d.order = append(d.order, k)
	}
}

// put opens a fact, in the place of the one with the same id if there is one,
// and keeps every index.
func (d *Draft) put(f Fact) {
	d.track(f)
	d.Reserve(f.Kind(), f.Row())
	row := int(f.Row())
	e := d.edit
	switch f := f.(type) {
	case *Organisation:
		d.organisation = *f
		if z, err := time.LoadLocation(f.TimeZone); err == nil {
			d.zone = z
		}
	case *User:
		r := d.users.Edit(e, row)
		if r.fact == nil {
			name := fold(f.UserName)
			r.name = shorten(name)
			d.userByName.Add(e, name, f.Row())
		} else if r.active {
			d.active--
		}
		r.state(f)
		if r.active {
			d.active++
		}
		r.touched = max(r.touched, d.Revision)
		d.choose(r)
	case *Group:
		r := d.groups.Edit(e, row)
		was := ""
		if r.fact == nil {
			d.groupByKey.Add(e, f.Key, f.Row())
		} else {
			was = r.fact.Filter
		}
		r.fact = f
		r.touched = max(r.touched, d.Revision)
		if f.Filter != was {
			r.rule = compileRule(f.Filter)
			d.chooseAgain(f.ID)
		}
	case *Membership:
		g := d.groups.Edit(e, int(f.Group))
		pos := g.members.Len()
		g.members.Set(e, pos, f.ID)
		d.memberships.Set(e, row, flatMembership(f, pos))
		d.join(f, adder[link](d))
	case *Application:
		r := d.applications.Edit(e, row)
		old := r.fact
		if old == nil {
			d.applicationByKey.Add(e, f.Key, f.Row())
		}
		r.fact = f
		r.touched = max(r.touched, d.Revision)
		if old == nil || !slices.EqualFunc(old.Actions, f.Actions, func(a, b Action) bool { return a.Key == b.Key }) {
			r.fits = new(fits)
			if old != nil {
				d.compileAgain(f.ID)
			}
		}
	case *Resource:
		r := d.resources.Edit(e, row)
		a := d.applications.Edit(e, int(f.Application))
		if r.fact == nil {
			a.byPath.Add(e, f.Path, f.Row())
			r.place = len(a.resources)
			a.resources = with(a.resources, f.ID)
			a.fits = new(fits)
		} else if r.fact.Retired {
			a.retired--
		}
		if f.Retired {
			a.retired++
		}
		r.fact = f
		a.touched = max(a.touched, d.Revision)
	case *Fence:
		d.fences.Set(e, row, fenceRec{f})
		a := d.applications.Edit(e, int(f.Application))
		a.fences = with(a.fences, f.ID)
		a.fits = new(fits)
		a.touched = max(a.touched, d.Revision)
	case *Role:
		r := d.roles.Edit(e, row)
		isNew := r.fact == nil
		changed := isNew || r.fact.Retired != f.Retired
		r.fact = f
		r.touched = max(r.touched, d.Revision)
		if isNew {
			d.roleByKey.Add(e, d.RoleKey(f.ID), f.Row())
		}
		if changed {
			d.closeOver(f.ID)
		}
	case *Inclusion:
		d.inclusions.Set(e, row, inclusionRec{f})
		r := d.roles.Edit(e, int(f.Role))
		r.includes = with(r.includes, f.ID)
		r.touched = max(r.touched, d.Revision)
		i := d.roles.Edit(e, int(f.Included))
		i.includedBy = with(i.includedBy, f.ID)
		d.closeOver(f.Role)
	case *Permission:
		d.permissions.Set(e, row, permissionRec{f})
		r := d.roles.Edit(e, int(f.Role))
		r.permissions = with(r.permissions, f.ID)
		r.touched = max(r.touched, d.Revision)
		d.closeOver(f.Role)
	case *Assignment:
		r := d.roles.Edit(e, int(f.Role))
		pos := r.holders.Len()
		r.holders.Set(e, pos, f.ID)
		d.assignments.Set(e, row, flatAssignment(f, pos))
		d.give(f, adder[link](d))
	}
}

// join changes what a member is joined to.
func (d *Draft) join(f *Membership, change func([]link, link) []link) {
	j := joinedBy(f)
	if f.Member.User != 0 {
		u := d.users.Edit(d.edit, int(f.Member.User))
		u.set(u.given(), change(u.groups(), j))
		u.touched = max(u.touched, d.Revision)
		return
	}
	g := d.groups.Edit(d.edit, int(f.Member.Group))
	g.parents = change(g.parents, j)
	g.touched = max(g.touched, d.Revision)
	up := d.groups.Edit(d.edit, int(f.Group))
	up.children = without(up.children, f.Member.Group)
	if slices.ContainsFunc(g.parents, func(j link) bool { return j.group() == f.Group }) {
		up.children = with(up.children, f.Member.Group)
	}
	d.gather(f.Member.Group)
}

// give changes what is given to a user or a group itself.
func (d *Draft) give(f *Assignment, change func([]link, link) []link) {
	x := givenBy(f)
	if f.Assignee.User != 0 {
		u := d.users.Edit(d.edit, int(f.Assignee.User))
		u.set(change(u.given(), x), u.groups())
		u.touched = max(u.touched, d.Revision)
		return
	}
	g := d.groups.Edit(d.edit, int(f.Assignee.Group))
	g.given = change(g.given, x)
	g.touched = max(g.touched, d.Revision)
	d.gather(f.Assignee.Group)
}

// end closes a fact for good. Users, groups, applications, resources and roles
// do not end: they depart or retire.
func (d *Draft) end(f Fact) {
	d.track(f)
	e := d.edit
	row := int(f.Row())
	switch f := f.(type) {
	case *Membership:
		pos := int(d.memberships.At(row).pos)
		g := d.groups.Edit(e, int(f.Group))
		last := g.members.Pop(e)
		if last != f.ID {
			g.members.Set(e, pos, last)
			d.memberships.Edit(e, int(last)).pos = uint32(pos)
		}
		d.memberships.Set(e, row, membershipRow{})
		d.join(f, without[link])
	case *Fence:
		d.fences.Set(e, row, fenceRec{})
		a := d.applications.Edit(e, int(f.Application))
		a.fences = without(a.fences, f.ID)
		a.fits = new(fits)
		a.touched = max(a.touched, d.Revision)
	case *Inclusion:
		d.inclusions.Set(e, row, inclusionRec{})
		r := d.roles.Edit(e, int(f.Role))
		r.includes = without(r.includes, f.ID)
		r.touched = max(r.touched, d.Revision)
		i := d.roles.Edit(e, int(f.Included))
		i.includedBy = without(i.includedBy, f.ID)
		d.closeOver(f.Role)
	case *Permission:
		d.permissions.Set(e, row, permissionRec{})
		r := d.roles.Edit(e, int(f.Role))
		r.permissions = without(r.permissions, f.ID)
		r.touched = max(r.touched, d.Revision)
		d.closeOver(f.Role)
	case *Assignment:
		pos := int(d.assignments.At(row).pos)
		r := d.roles.Edit(e, int(f.Role))
		last := r.holders.Pop(e)
		if last != f.ID {
			r.holders.Set(e, pos, last)
			d.assignments.Edit(e, int(last)).pos = uint32(pos)
		}
		d.assignments.Set(e, row, assignmentRow{})
		d.give(f, without[link])
	}
}

// adder is with, or while loading, when nothing is shared yet, append.
func adder[T any](d *Draft) func([]T, T) []T {
	if d.loading {
		return func(s []T, v T) []T { return append(s, v) }
	}
	return with[T]
}

// with and without copy: the slice may be shared with an older snapshot.
func with[T any](s []T, v T) []T { return append(s[:len(s):len(s)], v) }

func without[T comparable](s []T, v T) []T {
	out := make([]T, 0, len(s))
	for _, x := range s {
		if x != v {
			out = append(out, x)
		}
	}
	return out
}

// closeOver recompiles the closure of a role and of every role that includes
// it, directly or through others.
func (d *Draft) closeOver(id RoleID) {
	todo, seen := []RoleID{id}, map[RoleID]bool{id: true}
	for len(todo) > 0 {
		r := todo[0]
		todo = todo[1:]
		rec := d.roles.Edit(d.edit, int(r))
		rec.closure = d.closure(r)
		d.rule(rec)
		for _, in := range rec.includedBy {
			up := d.inclusions.At(int(in)).fact.Role
			if !seen[up] {
				seen[up] = true
				todo = append(todo, up)
			}
		}
	}
}

// compileAgain compiles every role that gives anything in an application anew.
func (d *Draft) compileAgain(app ApplicationID) {
	for i := range d.roles.Len() {
		rec := d.roles.At(i)
		if rec != nil && slices.ContainsFunc(rec.rules, func(r rule) bool { return r.app == app }) {
			d.rule(d.roles.Edit(d.edit, i))
		}
	}
}

// rule compiles what a role gives anew, and with it what fits in every
// application where it gives something or did.
func (d *Draft) rule(rec *roleRec) {
	was := rec.rules
	rec.rules = d.rules(rec.closure)
	for _, rules := range [][]rule{was, rec.rules} {
		for i := range rules {
			if i == 0 || rules[i].app != rules[i-1].app {
				d.applications.Edit(d.edit, int(rules[i].app)).fits = new(fits)
			}
		}
	}
}

func (d *Draft) rules(closure []RoleID) []rule {
	var out []rule
	for _, r := range closure {
		for _, p := range d.roles.At(int(r)).permissions {
			out = append(out, d.compile(d.Permission(p)))
		}
	}
	slices.SortStableFunc(out, func(a, b rule) int { return cmp.Compare(a.app, b.app) })
	return out
}

func (d *Draft) closure(id RoleID) []RoleID {
	var out []RoleID
	var walk func(RoleID)
	walk = func(r RoleID) {
		rec := d.roles.At(int(r))
		if rec == nil || rec.fact == nil || rec.fact.Retired || slices.Contains(out, r) {
			return
		}
		out = append(out, r)
		for _, in := range rec.includes {
			walk(d.inclusions.At(int(in)).fact.Included)
		}
	}
	walk(id)
	return out
}
