package access

import (
	"slices"
	"time"
)

// put opens a fact, in the place of the one with the same id if there is one,
// and keeps every index.
func (d *Builder) put(f Fact) {
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
		} else {
			if r.active {
				d.active--
			}
			if r.fact.Erased {
				d.erased--
			}
			if f.UserName != r.fact.UserName { // erased: nobody is found by the old one
				name := fold(f.UserName)
				r.name = shorten(name)
				d.userByName.Add(e, name, f.Row())
			}
		}
		r.state(f)
		if r.active {
			d.active++
		}
		if f.Erased {
			d.erased++
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
		switch was := r.fact != nil && r.fact.Open; {
		case f.Open && !was:
			a.open = with(a.open, f.ID)
		case was && !f.Open:
			a.open = without(a.open, f.ID)
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
	case RecordFact:
		f.since(d.Revision)
		if r, ok := f.(*Default); ok {
			r.expression = compileRule(r.Filter)
		}
		d.records[recordPlace(f.Kind())].Set(e, row, f)
	}
}

// join changes what a member is joined to.
func (d *Builder) join(f *Membership, change func([]link, link) []link) {
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
func (d *Builder) give(f *Assignment, change func([]link, link) []link) {
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
func (d *Builder) end(f Fact) {
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
	case RecordFact:
		d.records[recordPlace(f.Kind())].Set(e, row, nil)
	}
}

// adder is with, or while loading, when nothing is shared yet, append.
func adder[T any](d *Builder) func([]T, T) []T {
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
