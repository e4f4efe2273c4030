package access

import (
	"slices"
	"time"

	"ableroster/internal/fact"
)

// Put opens a fact, in the place of the one with the same id if there is one,
// and keeps every index.
func (d *Builder) Put(f fact.Fact) {
	d.track(f)
	d.Reserve(f.Kind(), f.Row())
	row := int(f.Row())
	e := d.edit
	switch f := f.(type) {
	case *fact.Organisation:
		d.organisation = *f
		if z, err := time.LoadLocation(f.TimeZone); err == nil {
			d.zone = z
		}
	case *fact.User:
		r := d.UserTable.Edit(e, row)
		if r.Fact == nil {
			name := fact.Fold(f.UserName)
			r.name = shorten(name)
			d.userByName.Add(e, name, f.Row())
		} else {
			if r.active {
				d.ActiveUsers--
			}
			if r.Fact.Erased {
				d.erased--
			}
			if f.UserName != r.Fact.UserName { // erased: nobody is found by the old one
				name := fact.Fold(f.UserName)
				r.name = shorten(name)
				d.userByName.Add(e, name, f.Row())
			}
		}
		r.state(f)
		r.limited = d.isLimited(f)
		if r.active {
			d.ActiveUsers++
		}
		if f.Erased {
			d.erased++
		}
		r.Touched = max(r.Touched, d.Revision)
		d.choose(r)
	case *fact.Group:
		r := d.GroupTable.Edit(e, row)
		was := ""
		if r.Fact == nil {
			d.groupByKey.Add(e, f.Key, f.Row())
		} else {
			was = r.Fact.Filter
		}
		r.Fact = f
		r.Touched = max(r.Touched, d.Revision)
		if f.Filter != was {
			r.Rule = fact.CompileRule(f.Filter)
			d.chooseAgain(f.ID)
		}
	case *fact.Membership:
		g := d.GroupTable.Edit(e, int(f.Group))
		pos := g.Members.Len()
		g.Members.Set(e, pos, f.ID)
		d.MembershipTable.Set(e, row, flatMembership(f, pos))
		d.join(f, adder[Link](d))
	case *fact.Application:
		r := d.ApplicationTable.Edit(e, row)
		old := r.Fact
		if old == nil {
			d.applicationByKey.Add(e, f.Key, f.Row())
		}
		r.Fact = f
		r.Touched = max(r.Touched, d.Revision)
		if old == nil || !slices.EqualFunc(old.Actions, f.Actions, func(a, b fact.Action) bool { return a.Key == b.Key }) {
			r.Fits = new(fits)
			if old != nil {
				d.compileAgain(f.ID)
			}
		}
	case *fact.Resource:
		r := d.ResourceTable.Edit(e, row)
		a := d.ApplicationTable.Edit(e, int(f.Application))
		if r.Fact == nil {
			a.byPath.Add(e, f.Path, f.Row())
			r.place = len(a.Resources)
			a.Resources = With(a.Resources, f.ID)
			a.Fits = new(fits)
		} else if r.Fact.Retired {
			a.Retired--
		}
		if f.Retired {
			a.Retired++
		}
		switch was := r.Fact != nil && r.Fact.Open; {
		case f.Open && !was:
			a.Open = With(a.Open, f.ID)
		case was && !f.Open:
			a.Open = without(a.Open, f.ID)
		}
		r.Fact = f
		d.serve(e, a, f)
		a.Touched = max(a.Touched, d.Revision)
	case *fact.Fence:
		d.FenceTable.Set(e, row, FenceEntry{f})
		a := d.ApplicationTable.Edit(e, int(f.Application))
		a.Fences = With(a.Fences, f.ID)
		a.Fits = new(fits)
		a.Touched = max(a.Touched, d.Revision)
	case *fact.Role:
		r := d.RoleTable.Edit(e, row)
		isNew := r.Fact == nil
		changed := isNew || r.Fact.Retired != f.Retired
		r.Fact = f
		r.Touched = max(r.Touched, d.Revision)
		if isNew {
			d.roleByKey.Add(e, d.RoleKey(f.ID), f.Row())
		}
		if changed {
			d.closeOver(f.ID)
		}
	case *fact.Inclusion:
		d.InclusionTable.Set(e, row, InclusionEntry{f})
		r := d.RoleTable.Edit(e, int(f.Role))
		r.Includes = With(r.Includes, f.ID)
		r.Touched = max(r.Touched, d.Revision)
		i := d.RoleTable.Edit(e, int(f.Included))
		i.IncludedBy = With(i.IncludedBy, f.ID)
		d.closeOver(f.Role)
	case *fact.Permission:
		d.PermissionTable.Set(e, row, PermissionEntry{f})
		r := d.RoleTable.Edit(e, int(f.Role))
		r.Permissions = With(r.Permissions, f.ID)
		r.Touched = max(r.Touched, d.Revision)
		d.closeOver(f.Role)
	case *fact.Assignment:
		r := d.RoleTable.Edit(e, int(f.Role))
		pos := r.Holders.Len()
		r.Holders.Set(e, pos, f.ID)
		d.AssignmentTable.Set(e, row, flatAssignment(f, pos))
		d.give(f, adder[Link](d))
	case fact.RecordFact:
		f.OpenedBy(d.Revision)
		if r, ok := f.(interface{ Compile() }); ok {
			r.Compile()
		}
		if a, ok := f.(*fact.Absences); ok {
			u := d.UserTable.Edit(e, row)
			u.limited = len(a.List) > 0 || d.IsClosed(u.Fact)
			u.Touched = max(u.Touched, d.Revision)
		}
		if of, ok := f.(fact.OfUser); ok {
			u := d.UserTable.Edit(e, int(of.Whose()))
			u.Touched = max(u.Touched, d.Revision)
		}
		d.RecordTables[fact.RecordPlace(f.Kind())].Set(e, row, f)
		if t, ok := f.(*fact.EmploymentType); ok {
			d.closeTypes(t)
		}
	}
}

// join changes what a member is joined to.
func (d *Builder) join(f *fact.Membership, change func([]Link, Link) []Link) {
	j := joinedBy(f)
	if f.Member.User != 0 {
		u := d.UserTable.Edit(d.edit, int(f.Member.User))
		u.set(u.Given(), change(u.Groups(), j))
		u.Touched = max(u.Touched, d.Revision)
		return
	}
	g := d.GroupTable.Edit(d.edit, int(f.Member.Group))
	g.Parents = change(g.Parents, j)
	g.Touched = max(g.Touched, d.Revision)
	up := d.GroupTable.Edit(d.edit, int(f.Group))
	up.Children = without(up.Children, f.Member.Group)
	if slices.ContainsFunc(g.Parents, func(j Link) bool { return j.Group() == f.Group }) {
		up.Children = With(up.Children, f.Member.Group)
	}
	d.gather(f.Member.Group)
}

// give changes what is given to a user or a group itself.
func (d *Builder) give(f *fact.Assignment, change func([]Link, Link) []Link) {
	x := givenBy(f)
	if f.Assignee.User != 0 {
		u := d.UserTable.Edit(d.edit, int(f.Assignee.User))
		u.set(change(u.Given(), x), u.Groups())
		u.Touched = max(u.Touched, d.Revision)
		return
	}
	g := d.GroupTable.Edit(d.edit, int(f.Assignee.Group))
	g.Given = change(g.Given, x)
	g.Touched = max(g.Touched, d.Revision)
	d.gather(f.Assignee.Group)
}

// End closes a fact for good. Users, groups, applications, resources and roles
// do not end: they depart or retire.
func (d *Builder) End(f fact.Fact) {
	d.track(f)
	e := d.edit
	row := int(f.Row())
	switch f := f.(type) {
	case *fact.Membership:
		pos := int(d.MembershipTable.At(row).pos)
		g := d.GroupTable.Edit(e, int(f.Group))
		last := g.Members.Pop(e)
		if last != f.ID {
			g.Members.Set(e, pos, last)
			d.MembershipTable.Edit(e, int(last)).pos = uint32(pos)
		}
		d.MembershipTable.Set(e, row, MembershipRow{})
		d.join(f, without[Link])
	case *fact.Fence:
		d.FenceTable.Set(e, row, FenceEntry{})
		a := d.ApplicationTable.Edit(e, int(f.Application))
		a.Fences = without(a.Fences, f.ID)
		a.Fits = new(fits)
		a.Touched = max(a.Touched, d.Revision)
	case *fact.Inclusion:
		d.InclusionTable.Set(e, row, InclusionEntry{})
		r := d.RoleTable.Edit(e, int(f.Role))
		r.Includes = without(r.Includes, f.ID)
		r.Touched = max(r.Touched, d.Revision)
		i := d.RoleTable.Edit(e, int(f.Included))
		i.IncludedBy = without(i.IncludedBy, f.ID)
		d.closeOver(f.Role)
	case *fact.Permission:
		d.PermissionTable.Set(e, row, PermissionEntry{})
		r := d.RoleTable.Edit(e, int(f.Role))
		r.Permissions = without(r.Permissions, f.ID)
		r.Touched = max(r.Touched, d.Revision)
		d.closeOver(f.Role)
	case *fact.Assignment:
		pos := int(d.AssignmentTable.At(row).pos)
		r := d.RoleTable.Edit(e, int(f.Role))
		last := r.Holders.Pop(e)
		if last != f.ID {
			r.Holders.Set(e, pos, last)
			d.AssignmentTable.Edit(e, int(last)).pos = uint32(pos)
		}
		d.AssignmentTable.Set(e, row, AssignmentRow{})
		d.give(f, without[Link])
	case fact.RecordFact:
		if of, ok := f.(fact.OfUser); ok {
			u := d.UserTable.Edit(e, int(of.Whose()))
			u.Touched = max(u.Touched, d.Revision)
		}
		d.RecordTables[fact.RecordPlace(f.Kind())].Set(e, row, nil)
	}
}

// adder is with, or while loading, when nothing is shared yet, append.
func adder[T any](d *Builder) func([]T, T) []T {
	if d.loading {
		return func(s []T, v T) []T { return append(s, v) }
	}
	return With[T]
}

// With and without copy: the slice may be shared with an older snapshot.
func With[T any](s []T, v T) []T { return append(s[:len(s):len(s)], v) }

func without[T comparable](s []T, v T) []T {
	out := make([]T, 0, len(s))
	for _, x := range s {
		if x != v {
			out = append(out, x)
		}
	}
	return out
}
