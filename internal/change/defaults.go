package change

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/record"
)

// giveDefaults opens what default rules give by the facts as they are now, and
// closes what they no longer do: to the users that changed by every rule, and
// by the rules that changed to everybody.
func (d *Draft) giveDefaults() {
	rules := record.Defaults(&d.Snapshot)
	var users []fact.UserID
	changed, all, elsewhere := map[fact.DefaultID]bool{}, false, false
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *fact.User:
			users = append(users, f.ID)
		case *fact.Positions:
			users = append(users, f.User)
		case *fact.Default:
			changed[f.ID] = true
			before, _ := c.Before.(*fact.Default)
			all = all || f.Final || before != nil && before.Final
		case *fact.Attribute: // another value may be filled in at a position
			elsewhere = true
		case *fact.Organisation: // days begin elsewhere
			all = all || d.Zone().String() != d.Base().Zone().String()
		}
	}
	slices.SortFunc(rules, fact.InOrder)
	if all { // what later rules give is another question
		for _, f := range rules {
			changed[f.ID] = true
		}
	}
	if elsewhere {
		users = append(users, d.placed()...)
	}
	users = sorted(users)
	if len(rules) > 0 && len(changed) < len(rules) {
		for _, id := range users {
			d.giveEach(id, rules, func(f *fact.Default) bool { return !changed[f.ID] })
		}
	}
	if len(changed) > 0 {
		for i := range d.UserTable.Len() {
			d.Rest(i)
			if u := d.UserTable.At(i); u != nil && u.Fact != nil {
				d.giveEach(fact.UserID(i), rules, func(f *fact.Default) bool { return changed[f.ID] })
			}
		}
	}
	d.placeInGroups(users, all)
}

// place is where a user is at some time: their own place, or one of a position.
type place struct {
	user   *fact.User // as there
	window calendar.Window
	former *fact.Position // when it is the one they moved from
	final  bool           // no further rule gives there
}

// places are those of a user, their own first.
func (d *Draft) places(u *fact.User) []place {
	out := []place{{user: u}}
	if u.Status == fact.Departed {
		return out
	}
	for i := range d.Positions(u.ID).Listed() {
		p := &d.Positions(u.ID).List[i]
		at := place{user: p.In(u), window: d.PositionWindow(p)}
		d.FillAgain(at.user)
		if p.Former {
			at.former = p
		}
		out = append(out, at)
	}
	return out
}

// gift is what a rule gives one user at one of their places.
type gift struct {
	window calendar.Window
	scopes []fact.Scope
	roles  bool // without, its groups alone
}

// giveEach gives one user what some of the rules give, in their order, and takes the rest of
// what these gave.
func (d *Draft) giveEach(id fact.UserID, rules []*fact.Default, some func(*fact.Default) bool) {
	places := d.places(d.UserTable.At(int(id)).Fact)
	given := d.givenByRules(id)
	for _, f := range rules {
		var gifts []gift
		for i := range places {
			p := &places[i]
			if p.final || !f.Final && !some(f) || !f.Chooses(p.user) {
				continue
			}
			p.final = f.Final
			if g, ok := d.giftAt(f, p); ok && !slices.ContainsFunc(gifts, g.within) {
				gifts = append(gifts, g)
			}
		}
		if some(f) && (len(gifts) > 0 || slices.Contains(given, f.ID)) {
			d.giveDefault(id, f, gifts)
		}
	}
}

// givenByRules are the rules that give a user something now.
func (d *Draft) givenByRules(id fact.UserID) (out []fact.DefaultID) {
	u := d.UserTable.At(int(id))
	for _, g := range u.Given() {
		if rule := fact.DefaultID(d.AssignmentTable.At(int(g.ID)).Rule); rule != 0 {
			out = append(out, rule)
		}
	}
	for _, j := range u.Groups() {
		if !j.ByRule() {
			if rule := d.MembershipTable.At(int(j.ID)).Rule; rule != 0 {
				out = append(out, rule)
			}
		}
	}
	return out
}

// giftAt is what a rule that chooses a user at a place gives them there; ok is false when
// that is nothing.
func (d *Draft) giftAt(f *fact.Default, p *place) (g gift, ok bool) {
	within := func(w calendar.Window) bool {
		g.window, ok = g.window.Intersect(w)
		return ok
	}
	if !within(f.Active) || !within(p.window) {
		return gift{}, false
	}
	if p.former != nil {
		if f.OverlapDays == 0 || !within(calendar.Window{Until: (p.former.Start + calendar.Date(f.OverlapDays) + 1).Begins(d.Zone())}) {
			return gift{}, false
		}
	}
	if f.Counted() {
		first := p.user.Start
		if first == 0 {
			return gift{}, false
		}
		first += calendar.Date(f.After)
		w := calendar.Window{From: first.Begins(d.Zone())}
		if f.Lasts != 0 {
			w.Until = (first + calendar.Date(f.Lasts)).Begins(d.Zone())
		}
		if !within(w) {
			return gift{}, false
		}
	}
	if f.Written != 0 && g.window.Over(f.Written.Begins(d.Zone())) {
		return gift{}, false
	}
	g.scopes, g.roles = f.ScopesFor(p.user)
	return g, true
}

// within says whether another gift is there when this one is, and as wide.
func (g gift) within(o gift) bool {
	w, ok := o.window.Intersect(g.window)
	return ok && w == g.window && g.roles == o.roles && slices.Equal(g.scopes, o.scopes)
}

// giveDefault gives one user what one rule gives them, and takes the rest of it.
func (d *Draft) giveDefault(id fact.UserID, f *fact.Default, gifts []gift) {
	type given struct {
		role  fact.RoleID
		group fact.GroupID
		gift
	}
	var want []given
	for _, g := range gifts {
		for _, r := range f.Roles {
			if g.roles {
				want = append(want, given{role: r, gift: g})
			}
		}
		for _, group := range f.Groups {
			x := given{group: group, gift: gift{window: g.window}}
			if !slices.ContainsFunc(want, func(w given) bool { return w.group == group && x.within(w.gift) }) {
				want = append(want, x)
			}
		}
	}
	is := func(w given, role fact.RoleID, group fact.GroupID, window calendar.Window, scopes []fact.Scope) bool {
		return w.role == role && w.group == group && w.window == window && slices.Equal(w.scopes, scopes)
	}
	keep := func(same func(given) bool) bool {
		if i := slices.IndexFunc(want, same); i >= 0 {
			want = slices.Delete(want, i, i+1)
			return true
		}
		return false
	}
	u := d.UserTable.At(int(id))
	var ends []fact.Fact
	for _, g := range u.Given() {
		if fact.DefaultID(d.AssignmentTable.At(int(g.ID)).Rule) != f.ID {
			continue
		}
		l := d.LimitsOf(g)
		if !keep(func(w given) bool { return is(w, g.Role(), 0, l.Window, l.Scopes) }) {
			ends = append(ends, d.Assignment(g.Assignment()))
		}
	}
	for _, j := range u.Groups() {
		if j.ByRule() || d.MembershipTable.At(int(j.ID)).Rule != f.ID {
			continue
		}
		if !keep(func(w given) bool { return is(w, 0, j.Group(), d.WindowOf(j), nil) }) {
			ends = append(ends, d.Membership(j.Membership()))
		}
	}
	for _, f := range ends {
		d.End(f)
	}
	for _, w := range want {
		if w.group != 0 {
			d.Put(&fact.Membership{ID: fact.MembershipID(d.Allocate(fact.FactMembership)), Group: w.group, Member: fact.Member{User: id}, Window: w.window, Rule: f.ID, Opened: d.Revision})
			continue
		}
		d.Put(&fact.Assignment{ID: fact.AssignmentID(d.Allocate(fact.FactAssignment)), Assignee: fact.Assignee{User: id}, Role: w.role, Window: w.window, Scopes: w.scopes, Origin: fact.ByDefault, Rule: f.ID, Opened: d.Revision})
	}
}

// defaultGains are the roles that default rules come to give, or to give more
// of: judged when written, over all they can reach. What they give later, to
// whoever arrives or changes, is given on the authority of who wrote them.
func (d *Draft) defaultGains(widened map[fact.RoleID]bool) []RoleGain {
	var out []RoleGain
	for _, f := range record.Defaults(&d.Snapshot) {
		if f.Ended {
			continue
		}
		before := map[fact.RoleID]bool{}
		if old := record.Default(d.Base(), f.ID); old != nil && !old.Ended && old.Filter == f.Filter && old.Everybody == f.Everybody && !gives(old, f) {
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

// gives says whether a rule gives at other times, or within other scopes, than it did.
func gives(old, f *fact.Default) bool {
	return old.Active != f.Active || old.After != f.After || old.Lasts != f.Lasts || old.OverlapDays < f.OverlapDays || old.Order != f.Order || old.Final && !f.Final || !slices.Equal(old.Scopes, f.Scopes)
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
		for _, h := range held.RolesOfChosen(s, g) {
			out[h.Role] = true
		}
	}
	return out
}
