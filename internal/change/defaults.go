package change

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// giveDefaults opens what default rules give by the facts as they are now, and
// closes what they no longer do: to the users that changed by every rule, and
// by the rules that changed to everybody.
func (d *Draft) giveDefaults() {
	rules := d.Defaults()
	if len(rules) == 0 {
		return
	}
	var users []fact.UserID
	changed := map[fact.DefaultID]bool{}
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *fact.User:
			users = append(users, f.ID)
		case *fact.Default:
			changed[f.ID] = true
		}
	}
	slices.Sort(users)
	for _, id := range users {
		for _, f := range rules {
			if !changed[f.ID] {
				d.giveDefault(id, f)
			}
		}
	}
	for _, f := range rules {
		if changed[f.ID] {
			for i := range d.UserTable.Len() {
				if u := d.UserTable.At(i); u != nil && u.Fact != nil {
					d.giveDefault(fact.UserID(i), f)
				}
			}
		}
	}
}

// giveDefault gives one user what one rule gives, and takes the rest of it.
func (d *Draft) giveDefault(id fact.UserID, f *fact.Default) {
	u := d.UserTable.At(int(id))
	chosen := f.Chooses(u.Fact)
	roles, groups := f.Roles, f.Groups
	if !chosen {
		roles, groups = nil, nil
	}
	var has []access.Link
	for _, g := range u.Given() {
		if fact.DefaultID(d.AssignmentTable.At(int(g.ID)).Rule) == f.ID {
			has = append(has, g)
		}
	}
	var joined []access.Link
	for _, j := range u.Groups() {
		if !j.ByRule() && d.MembershipTable.At(int(j.ID)).Rule == f.ID {
			joined = append(joined, j)
		}
	}
	for _, g := range has {
		if !slices.Contains(roles, g.Role()) {
			d.End(d.Assignment(g.Assignment()))
		}
	}
	for _, j := range joined {
		if !slices.Contains(groups, j.Group()) {
			d.End(d.Membership(j.Membership()))
		}
	}
	for _, r := range roles {
		if !slices.ContainsFunc(has, func(g access.Link) bool { return g.Role() == r }) {
			d.Put(&fact.Assignment{ID: fact.AssignmentID(d.Allocate(fact.FactAssignment)), Assignee: fact.Assignee{User: id}, Role: r, Origin: fact.ByDefault, Rule: f.ID, Opened: d.Revision})
		}
	}
	for _, g := range groups {
		if !slices.ContainsFunc(joined, func(j access.Link) bool { return j.Group() == g }) {
			d.Put(&fact.Membership{ID: fact.MembershipID(d.Allocate(fact.FactMembership)), Group: g, Member: fact.Member{User: id}, Rule: f.ID, Opened: d.Revision})
		}
	}
}

// defaultGains are the roles that default rules come to give, or to give more
// of: judged when written, over all they can reach. What they give later, to
// whoever arrives or changes, is given on the authority of who wrote them.
func (d *Draft) defaultGains(widened map[fact.RoleID]bool) []RoleGain {
	var out []RoleGain
	for _, f := range d.Defaults() {
		if f.Ended {
			continue
		}
		before := map[fact.RoleID]bool{}
		if old := d.Base().Default(f.ID); old != nil && !old.Ended && old.Filter == f.Filter && old.Everybody == f.Everybody {
			before = DefaultGives(d.Base(), old)
		}
		within := ""
		if f.Filter != "" {
			within = fact.RuleReachOf(f.Filter)
		}
		for r := range DefaultGives(&d.Snapshot, f) {
			if !before[r] || widened[r] {
				out = append(out, RoleGain{Role: r, Within: within})
			}
		}
	}
	return out
}

// DefaultGives are the roles a rule gives: its own, those of its groups and of
// the groups above them, and what these include.
func DefaultGives(s *access.Snapshot, f *fact.Default) map[fact.RoleID]bool {
	out := map[fact.RoleID]bool{}
	for _, r := range f.Roles {
		for _, x := range s.RoleTable.At(int(r)).Closure {
			out[x] = true
		}
	}
	for _, g := range f.Groups {
		for _, h := range s.ChosenRoles(g) {
			out[h.Role] = true
		}
	}
	return out
}
