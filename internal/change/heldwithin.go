package change

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/record"
)

// A role or a group may say within which unit it may be held. Then nobody outside
// it comes to hold the role or to be in the group, in whatever way, and whoever
// moves out of the unit holds it no longer; so what a role or a group gives can be
// judged over all who could ever have it, without a look at who does.
//
// That is kept by structure: what gives (a group, a role that includes, a default
// rule) lies inside what it gives.

// HeldInside says whether one part of the organisation lies inside another: units,
// blank for all of it.
func HeldInside(inner, outer string) bool {
	return outer == "" || inner != "" && patterns.Covers(outer, inner)
}

// reachPath is the part of the register of users that a unit is; blank is all.
func reachPath(unit string) string {
	if unit == "" {
		return "users"
	}
	return patterns.Join("users", unit)
}

// RuleUnit is the unit a filter insists on, or nothing.
func RuleUnit(filter string) string {
	if path := fact.RuleReach(filter); path != "users" {
		return path[len("users/"):]
	}
	return ""
}

func roleReach(s *access.Snapshot, id fact.RoleID) string   { return reachPath(s.Role(id).HeldWithin) }
func groupReach(s *access.Snapshot, id fact.GroupID) string { return reachPath(s.Group(id).HeldWithin) }

// RoleReachPath is the part of the register of users in which a role may be held.
func RoleReachPath(s *access.Snapshot, id fact.RoleID) string { return roleReach(s, id) }

// RoleReachesUser says whether a role may be held by a user, where they are now.
func RoleReachesUser(s *access.Snapshot, id fact.RoleID, user fact.UserID) bool {
	return HeldInside(s.User(user).Unit, s.Role(id).HeldWithin)
}

// withinWords says where somebody or something is that may hold things only there.
func withinWords(unit string) string {
	if unit == "" {
		return "anywhere in the organisation"
	}
	return "in " + unit
}

// MayHold says whether a user, or all who may ever be in a group, lie inside where a
// role or a group may be held, and files the fault.
func (d *Draft) MayHold(field, what, within string, m fact.Member) bool {
	switch {
	case within == "":
		return true
	case m.User != 0:
		if u := d.User(m.User); !HeldInside(u.Unit, within) {
			return d.Judged(field, "%s may be held only within %s, and %s is not there", what, within, u.UserName)
		}
	default:
		if g := d.Group(m.Group); !HeldInside(g.HeldWithin, within) {
			return d.Judged(field, "%s may be held only within %s, and members of %s may be %s: say of the group that it is held within %s", what, within, g.Key, withinWords(g.HeldWithin), within)
		}
	}
	return true
}

// NarrowRole files the faults of what gives a role beyond where it may be held from
// now on, and takes it from the users outside it.
func (d *Draft) NarrowRole(r *fact.Role) bool {
	ok := true
	rec := d.RoleTable.At(int(r.ID))
	for i := range rec.Holders.Len() {
		f := d.Assignment(rec.Holders.Get(i))
		if g := f.Assignee.Group; g != 0 {
			ok = d.MayHold("held_within", "the role", r.HeldWithin, fact.Member{Group: g}) && ok
		}
	}
	for _, i := range rec.IncludedBy {
		if by := d.Role(d.InclusionTable.At(int(i)).Fact.Role); !HeldInside(by.HeldWithin, r.HeldWithin) {
			ok = d.Judged("held_within", "it is included by %s, which may be held %s", d.RoleKey(by.ID), withinWords(by.HeldWithin)) && ok
		}
	}
	for _, i := range rec.Includes {
		ok = d.MayInclude("held_within", r, d.Role(d.InclusionTable.At(int(i)).Fact.Included)) && ok
	}
	for _, f := range record.Defaults(&d.Snapshot) {
		for _, id := range f.Roles {
			if id == r.ID && !f.Ended {
				ok = d.DefaultInside("held_within", f, d.RoleKey(r.ID), r.HeldWithin) && ok
			}
		}
	}
	return ok
}

// MayInclude says whether a role lies inside where another may be held, and files the
// fault.
func (d *Draft) MayInclude(field string, r, in *fact.Role) bool {
	return HeldInside(r.HeldWithin, in.HeldWithin) ||
		d.Judged(field, "%s may be held only within %s, and %s may be held %s", d.RoleKey(in.ID), in.HeldWithin, d.RoleKey(r.ID), withinWords(r.HeldWithin))
}

// DefaultInside says whether whom a default rule chooses lies inside where something
// may be held, and files the fault.
func (d *Draft) DefaultInside(field string, f *fact.Default, what, within string) bool {
	return HeldInside(RuleUnit(f.Filter), within) ||
		d.Judged(field, "%s may be held only within %s, and the default rule %s gives it to others: its filter must insist on within eq \"%s\"", what, within, f.Key, within)
}

// NarrowGroup is NarrowRole for a group.
func (d *Draft) NarrowGroup(g *fact.Group) bool {
	ok := true
	rec := d.GroupTable.At(int(g.ID))
	if g.HeldWithin != "" && g.Filter != "" && !HeldInside(RuleUnit(g.Filter), g.HeldWithin) {
		ok = d.Judged("filter", "must insist on within eq \"%s\", where alone the group may be held", g.HeldWithin)
	}
	for _, x := range rec.Given {
		if r := d.Role(x.Role()); !HeldInside(g.HeldWithin, r.HeldWithin) {
			ok = d.Judged("held_within", "the group holds %s, which may be held only within %s", d.RoleKey(r.ID), r.HeldWithin) && ok
		}
	}
	for _, j := range rec.Parents {
		if up := d.Group(j.Group()); !HeldInside(g.HeldWithin, up.HeldWithin) {
			ok = d.Judged("held_within", "the group is in %s, which may be held only within %s", up.Key, up.HeldWithin) && ok
		}
	}
	for _, c := range rec.Children {
		ok = d.MayHold("held_within", "the group", g.HeldWithin, fact.Member{Group: c}) && ok
	}
	for _, f := range record.Defaults(&d.Snapshot) {
		for _, id := range f.Groups {
			if id == g.ID && !f.Ended {
				ok = d.DefaultInside("held_within", f, g.Key, g.HeldWithin) && ok
			}
		}
	}
	return ok
}

// letGo takes from users what may not be held where they are now: from those who
// moved, and from all outside where a role or a group is held from now on. What
// default rules gave them has gone already.
func (d *Draft) letGo() {
	var users []fact.UserID
	roles, groups := map[fact.RoleID]bool{}, map[fact.GroupID]bool{}
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *fact.User:
			if old, ok := c.Before.(*fact.User); ok && old.Unit != f.Unit {
				users = append(users, f.ID)
			}
		case *fact.Role:
			roles[f.ID] = f.HeldWithin != ""
		case *fact.Group:
			groups[f.ID] = f.HeldWithin != ""
		}
	}
	for r, bounded := range roles {
		for h := range d.AssignmentHeads(r) {
			if bounded && h.Assignee.User != 0 {
				users = append(users, h.Assignee.User)
			}
		}
	}
	for g, bounded := range groups {
		if !bounded {
			continue
		}
		for _, m := range d.Members(g) {
			if m.Member.User != 0 {
				users = append(users, m.Member.User)
			}
		}
	}
	for _, id := range sorted(users) {
		u := d.User(id)
		for _, a := range d.Given(fact.Assignee{User: id}) {
			if a.Rule == 0 && !HeldInside(u.Unit, d.Role(a.Role).HeldWithin) {
				d.End(a)
			}
		}
		for _, m := range d.MembershipsOf(fact.Member{User: id}) {
			if m.ByHand() && !HeldInside(u.Unit, d.Group(m.Group).HeldWithin) {
				d.End(m)
			}
		}
	}
}
