package access

import "ableroster/internal/patterns"

// A role or a group may say within which unit it may be held. Then nobody outside
// it comes to hold the role or to be in the group, in whatever way, and whoever
// moves out of the unit holds it no longer; so what a role or a group gives can be
// judged over all who could ever have it, without a look at who does.
//
// That is kept by structure: what gives (a group, a role that includes, a default
// rule) lies inside what it gives.

// heldInside says whether one part of the organisation lies inside another: units,
// blank for all of it.
func heldInside(inner, outer string) bool {
	return outer == "" || inner != "" && patterns.Covers(outer, inner)
}

// reachPath is the part of the register of users that a unit is; blank is all.
func reachPath(unit string) string {
	if unit == "" {
		return "users"
	}
	return patterns.Join("users", unit)
}

// ruleUnit is the unit a filter insists on, or nothing.
func ruleUnit(filter string) string {
	if path := RuleReach(filter); path != "users" {
		return path[len("users/"):]
	}
	return ""
}

func (s *Snapshot) roleReach(id RoleID) string   { return reachPath(s.Role(id).HeldWithin) }
func (s *Snapshot) groupReach(id GroupID) string { return reachPath(s.Group(id).HeldWithin) }

// RoleReachPath is the part of the register of users in which a role may be held.
func (s *Snapshot) RoleReachPath(id RoleID) string { return s.roleReach(id) }

// RoleReachesUser says whether a role may be held by a user, where they are now.
func (s *Snapshot) RoleReachesUser(id RoleID, user UserID) bool {
	return heldInside(s.User(user).Unit, s.Role(id).HeldWithin)
}

// withinWords says where somebody or something is that may hold things only there.
func withinWords(unit string) string {
	if unit == "" {
		return "anywhere in the organisation"
	}
	return "in " + unit
}

// mayHold says whether a user, or all who may ever be in a group, lie inside where a
// role or a group may be held, and files the fault.
func (d *Draft) mayHold(field, what, within string, m Member) bool {
	switch {
	case within == "":
		return true
	case m.User != 0:
		if u := d.User(m.User); !heldInside(u.Unit, within) {
			return d.judged(field, "%s may be held only within %s, and %s is not there", what, within, u.UserName)
		}
	default:
		if g := d.Group(m.Group); !heldInside(g.HeldWithin, within) {
			return d.judged(field, "%s may be held only within %s, and members of %s may be %s: say of the group that it is held within %s", what, within, g.Key, withinWords(g.HeldWithin), within)
		}
	}
	return true
}

// narrowRole files the faults of what gives a role beyond where it may be held from
// now on, and takes it from the users outside it.
func (d *Draft) narrowRole(r *Role) bool {
	ok := true
	rec := d.roles.At(int(r.ID))
	for i := range rec.holders.Len() {
		f := d.Assignment(rec.holders.Get(i))
		if g := f.Assignee.Group; g != 0 {
			ok = d.mayHold("held_within", "the role", r.HeldWithin, Member{Group: g}) && ok
		}
	}
	for _, i := range rec.includedBy {
		if by := d.Role(d.inclusions.At(int(i)).fact.Role); !heldInside(by.HeldWithin, r.HeldWithin) {
			ok = d.judged("held_within", "it is included by %s, which may be held %s", d.RoleKey(by.ID), withinWords(by.HeldWithin)) && ok
		}
	}
	for _, i := range rec.includes {
		ok = d.mayInclude("held_within", r, d.Role(d.inclusions.At(int(i)).fact.Included)) && ok
	}
	for _, f := range d.Defaults() {
		for _, id := range f.Roles {
			if id == r.ID && !f.Ended {
				ok = d.defaultInside("held_within", f, d.RoleKey(r.ID), r.HeldWithin) && ok
			}
		}
	}
	return ok
}

// mayInclude says whether a role lies inside where another may be held, and files the
// fault.
func (d *Draft) mayInclude(field string, r, in *Role) bool {
	return heldInside(r.HeldWithin, in.HeldWithin) ||
		d.judged(field, "%s may be held only within %s, and %s may be held %s", d.RoleKey(in.ID), in.HeldWithin, d.RoleKey(r.ID), withinWords(r.HeldWithin))
}

// defaultInside says whether whom a default rule chooses lies inside where something
// may be held, and files the fault.
func (d *Draft) defaultInside(field string, f *Default, what, within string) bool {
	return heldInside(ruleUnit(f.Filter), within) ||
		d.judged(field, "%s may be held only within %s, and the default rule %s gives it to others: its filter must insist on within eq \"%s\"", what, within, f.Key, within)
}

// narrowGroup is narrowRole for a group.
func (d *Draft) narrowGroup(g *Group) bool {
	ok := true
	rec := d.groups.At(int(g.ID))
	if g.HeldWithin != "" && g.Filter != "" && !heldInside(ruleUnit(g.Filter), g.HeldWithin) {
		ok = d.judged("filter", "must insist on within eq \"%s\", where alone the group may be held", g.HeldWithin)
	}
	for _, x := range rec.given {
		if r := d.Role(x.role()); !heldInside(g.HeldWithin, r.HeldWithin) {
			ok = d.judged("held_within", "the group holds %s, which may be held only within %s", d.RoleKey(r.ID), r.HeldWithin) && ok
		}
	}
	for _, j := range rec.parents {
		if up := d.Group(j.group()); !heldInside(g.HeldWithin, up.HeldWithin) {
			ok = d.judged("held_within", "the group is in %s, which may be held only within %s", up.Key, up.HeldWithin) && ok
		}
	}
	for _, c := range rec.children {
		ok = d.mayHold("held_within", "the group", g.HeldWithin, Member{Group: c}) && ok
	}
	for _, f := range d.Defaults() {
		for _, id := range f.Groups {
			if id == g.ID && !f.Ended {
				ok = d.defaultInside("held_within", f, g.Key, g.HeldWithin) && ok
			}
		}
	}
	return ok
}

// letGo takes from users what may not be held where they are now: from those who
// moved, and from all outside where a role or a group is held from now on. What
// default rules gave them has gone already.
func (d *Draft) letGo() {
	var users []UserID
	roles, groups := map[RoleID]bool{}, map[GroupID]bool{}
	for _, k := range d.order {
		switch f := d.fact(k).(type) {
		case *User:
			if old, ok := d.changed[k].(*User); ok && old.Unit != f.Unit {
				users = append(users, f.ID)
			}
		case *Role:
			roles[f.ID] = f.HeldWithin != ""
		case *Group:
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
		for _, a := range d.Given(Assignee{User: id}) {
			if !heldInside(u.Unit, d.Role(a.Role).HeldWithin) {
				d.end(a)
			}
		}
		for _, m := range d.MembershipsOf(Member{User: id}) {
			if !heldInside(u.Unit, d.Group(m.Group).HeldWithin) {
				d.end(m)
			}
		}
	}
}
