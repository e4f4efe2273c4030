package access

import (
	"slices"

	"ableroster/internal/filter"
)

// FactDefault is the kind of default rules.
var FactDefault = RecordKind("default")

// Default is a rule that gives roles and groups to everybody, or to the users a
// filter over their facts chooses, for as long as it chooses them. What it
// gives is opened and closed in the revision that makes it so, and names it.
type Default struct {
	Lifetime
	ID          DefaultID `json:"-"`
	Key         string    `json:"key"`
	Label       string    `json:"label"`
	Description string    `json:"description,omitempty"`
	Everybody   bool      `json:"everybody,omitempty"` // every person; the filter is blank
	Filter      string    `json:"filter,omitempty"`
	Roles       []RoleID  `json:"roles,omitempty"`
	Groups      []GroupID `json:"groups,omitempty"`
	Ended       bool      `json:"ended,omitempty"` // it gives nothing any more

	expression filter.Expression // the filter compiled
}

// mostDefaults bounds how many rules are ever written: two bytes an assignment
// are what a million users have room for.
const mostDefaults = 1<<16 - 1

// Kind and Row identify it.
func (*Default) Kind() FactKind { return FactDefault }
func (f *Default) Row() uint32  { return uint32(f.ID) }

// Chooses says whether the rule gives to a user: a departed one is given
// nothing, and machine accounts only where a filter asks for them.
func (f *Default) Chooses(u *User) bool {
	switch {
	case f.Ended || u.Status == Departed:
		return false
	case f.Everybody:
		return u.UserKind == Person
	}
	return f.expression != nil && filter.Match(f.expression, ruleSchema, u)
}

// Default is the rule under a number, or nil.
func (s *Snapshot) Default(id DefaultID) *Default {
	f, _ := s.RecordFact(FactDefault, uint32(id)).(*Default)
	return f
}

// Defaults are all rules, ended ones too.
func (s *Snapshot) Defaults() []*Default { return RecordFactsOf[*Default](s, FactDefault) }

// FindDefault finds a rule by key or id.
func (s *Snapshot) FindDefault(ref string) (DefaultID, bool) {
	if f, ok := FindKeyed[*Default](s, FactDefault, ref, Same); ok {
		return f.ID, true
	}
	return 0, false
}

// Name and Over implement Keyed.
func (f *Default) Name() string { return f.Key }
func (f *Default) Over() bool   { return f.Ended }

// giveDefaults opens what default rules give by the facts as they are now, and
// closes what they no longer do: to the users that changed by every rule, and
// by the rules that changed to everybody.
func (d *Draft) giveDefaults() {
	rules := d.Defaults()
	if len(rules) == 0 {
		return
	}
	var users []UserID
	changed := map[DefaultID]bool{}
	for _, k := range d.order {
		switch k.kind {
		case FactUser:
			users = append(users, UserID(k.row))
		case FactDefault:
			changed[DefaultID(k.row)] = true
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
			for i := range d.users.Len() {
				if u := d.users.At(i); u != nil && u.fact != nil {
					d.giveDefault(UserID(i), f)
				}
			}
		}
	}
}

// giveDefault gives one user what one rule gives, and takes the rest of it.
func (d *Draft) giveDefault(id UserID, f *Default) {
	u := d.users.At(int(id))
	chosen := f.Chooses(u.fact)
	roles, groups := f.Roles, f.Groups
	if !chosen {
		roles, groups = nil, nil
	}
	var has []link
	for _, g := range u.given() {
		if DefaultID(d.assignments.At(int(g.id)).rule) == f.ID {
			has = append(has, g)
		}
	}
	var joined []link
	for _, j := range u.groups() {
		if !j.byRule() && d.memberships.At(int(j.id)).rule == f.ID {
			joined = append(joined, j)
		}
	}
	for _, g := range has {
		if !slices.Contains(roles, g.role()) {
			d.end(d.Assignment(g.assignment()))
		}
	}
	for _, j := range joined {
		if !slices.Contains(groups, j.group()) {
			d.end(d.Membership(j.membership()))
		}
	}
	for _, r := range roles {
		if !slices.ContainsFunc(has, func(g link) bool { return g.role() == r }) {
			d.put(&Assignment{ID: AssignmentID(d.allocate(FactAssignment)), Assignee: Assignee{User: id}, Role: r, Origin: ByDefault, Rule: f.ID, Opened: d.Revision})
		}
	}
	for _, g := range groups {
		if !slices.ContainsFunc(joined, func(j link) bool { return j.group() == g }) {
			d.put(&Membership{ID: MembershipID(d.allocate(FactMembership)), Group: g, Member: Member{User: id}, Rule: f.ID, Opened: d.Revision})
		}
	}
}

// defaultGains are the roles that default rules come to give, or to give more
// of: judged when written, over all they can reach. What they give later, to
// whoever arrives or changes, is given on the authority of who wrote them.
func (d *Draft) defaultGains(widened map[RoleID]bool) []RoleGain {
	var out []RoleGain
	for _, f := range d.Defaults() {
		if f.Ended {
			continue
		}
		before := map[RoleID]bool{}
		if old := d.base.Default(f.ID); old != nil && !old.Ended && old.Filter == f.Filter && old.Everybody == f.Everybody {
			before = d.base.defaultGives(old)
		}
		within := ""
		if f.Filter != "" {
			within = ruleReach(f.Filter)
		}
		for r := range d.defaultGives(f) {
			if !before[r] || widened[r] {
				out = append(out, RoleGain{Role: r, Within: within})
			}
		}
	}
	return out
}

// defaultGives are the roles a rule gives: its own, those of its groups and of
// the groups above them, and what these include.
func (s *Snapshot) defaultGives(f *Default) map[RoleID]bool {
	out := map[RoleID]bool{}
	for _, r := range f.Roles {
		for _, x := range s.roles.At(int(r)).closure {
			out[x] = true
		}
	}
	for _, g := range f.Groups {
		for _, h := range s.chosenRoles(g) {
			out[h.role] = true
		}
	}
	return out
}
