package change

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/patterns"
	"ableroster/internal/record"
)

// Whoever owns a team manages it as its rule says, and needs no other right: they put people into
// it, invite people who are not there yet, and give it the roles of the rule. What somebody gains
// by that they gain as a member of the team, or not at all.

// managed is a team that somebody manages, and the roles that it may be given.
type managed struct {
	group fact.GroupID
	rule  *fact.TeamRule
	gives []fact.RoleID // with all that they include
}

// managedBy are the teams that somebody manages.
func managedBy(s *access.Snapshot, owner fact.UserID) []managed {
	u := s.User(owner)
	if !slices.ContainsFunc(record.TeamRules(s), func(f *fact.TeamRule) bool { return f.Chooses(u) }) {
		return nil // nobody else manages any, however many there are
	}
	var out []managed
	for _, t := range record.TeamsOf(s, owner) {
		if rule := record.ManagedTeam(s, owner, t.Group); rule != nil {
			m := managed{group: t.Group, rule: rule}
			for _, r := range rule.Roles {
				m.gives = append(m.gives, s.RoleClosure(r)...)
			}
			out = append(out, m)
		}
	}
	return out
}

// reads are what somebody may see as they manage some teams.
func reads(s *access.Snapshot, teams []managed) (out []patterns.Area) {
	seen := map[*fact.TeamRule]bool{}
	for _, m := range teams {
		out = patterns.Widen(out, patterns.Area{Pattern: s.GroupPath(m.group)})
		if seen[m.rule] {
			continue
		}
		seen[m.rule] = true
		for _, r := range m.rule.Roles {
			out = patterns.Widen(out, patterns.Area{Pattern: s.RolePath(r)})
		}
		if m.rule.People != "" {
			out = patterns.Widen(out, patterns.Area{Pattern: patterns.Join("users", m.rule.People)})
		}
	}
	return out
}

// inTeam says whether a user is in a team that the caller manages.
func (a *Authority) inTeam(s *access.Snapshot, id fact.UserID) bool {
	return len(a.teams) > 0 && slices.ContainsFunc(s.JoinedTo(fact.Member{User: id}), func(l access.Link) bool {
		return !l.ByRule() && slices.ContainsFunc(a.teams, func(m managed) bool { return m.group == l.Group() })
	})
}

// gainedInTeam says whether somebody gains a role as a member of one of some teams, each of which may
// be given it.
func gainedInTeam(s *access.Snapshot, teams []managed, g *RoleGain, at calendar.Instant) bool {
	if g.Also != 0 {
		return false
	}
	if g.Decides != 0 { // of whom they invite, whoever sponsors them by the rule
		return g.User != 0 && slices.ContainsFunc(teams, func(m managed) bool {
			return m.rule.Sponsor == g.Decides && invitedInto(s, []managed{m}, s.User(g.User))
		})
	}
	return slices.ContainsFunc(teams, func(m managed) bool {
		switch {
		case !slices.Contains(m.gives, g.Role):
			return false
		case g.User == 0:
			return g.Through == m.group
		}
		left := g.When
		if left == nil {
			left = calendar.Always().From(at)
		}
		in, bounds := held.GroupIntervals(s, g.User)[m.group], fact.Bounds{Scopes: g.Scopes, Schedule: g.Schedule}.String()
		for _, x := range s.GroupTable.At(int(m.group)).Given {
			if l := s.LimitsOf(x); l.Bounds().String() == bounds && slices.Contains(s.RoleClosure(x.Role()), g.Role) {
				left = left.Minus(in.Within(l.Window))
			}
		}
		return len(left) == 0
	})
}

// byTeam says whether the author of a draft needs no right, since they manage the team that a group
// is.
func (d *Draft) byTeam(id fact.GroupID) bool {
	return d.May != nil && !d.Replays && record.ManagedTeam(&d.Snapshot, d.Author, id) != nil
}

// NeedTeam is Need, for what whoever manages a team may do in it.
func (d *Draft) NeedTeam(id fact.GroupID, action, path, what string, args ...any) bool {
	return d.byTeam(id) || d.Need(action, path, what, args...)
}

// guest is somebody whom the author of a draft invites into a team of theirs.
type guest struct {
	user fact.UserID
	need Need
}

// mostGuests bounds how many people one change invites into teams, and how many whom a rule invites have
// not taken it up: each is mailed, at the word of somebody who has no other right.
const mostGuests = 200

// NeedInvite asks for the right to add a user whom the draft is about to add, which whoever manages a
// team that invites such people has, if they end up in it: they report to whom the rule says, and
// invited, called once their number is known, says who it is. More says that values of declared
// attributes are given, which is for nobody but who has the right. Ok is false where the author has not.
func (d *Draft) NeedInvite(u *fact.User, more bool) (invited func(fact.UserID), ok bool) {
	path := d.NewUserPath(u.Unit)
	what := "add users" + InUnit(u.Unit)
	if !more && len(d.guests) < mostGuests && d.May != nil && !d.Replays && !d.May(access.ActCreate, path) {
		for _, m := range d.managed() {
			if m.rule.Invites && (u.Manager == 0 || u.Manager == m.rule.Sponsor) && m.rule.Guests.Fits(u, d.Today()) {
				if len(d.guests) == 0 && waiting(&d.Snapshot, m.rule) >= mostGuests {
					d.Fault("", "%d people whom teams like %s invited have not taken it up: ask your access administrator to withdraw some", mostGuests, m.rule.Label)
				}
				u.Manager = m.rule.Sponsor
				return func(id fact.UserID) {
					d.guests = append(d.guests, guest{id, Need{d.op, access.ActCreate, path, what}})
				}, true
			}
		}
	}
	return func(fact.UserID) {}, d.Need(access.ActCreate, path, "%s", what)
}

// managed are the teams that the author manages as the first guest is added: a change of many users looks
// for them once.
func (d *Draft) managed() []managed {
	if d.manages == nil {
		d.manages = append([]managed{}, managedBy(&d.Snapshot, d.Author)...)
	}
	return d.manages
}

// waiting is how many people there are whom a rule invites and who have not taken it up.
func waiting(s *access.Snapshot, f *fact.TeamRule) (n int) {
	for u := range s.Users() {
		if isGuest(u, f) {
			n++
		}
	}
	return n
}

// isGuest says whether a user is one whom a rule invites, and has not taken it up.
func isGuest(u *fact.User, f *fact.TeamRule) bool {
	g := f.Guests
	return f.Invites && u.Status == fact.Invited && u.Manager == f.Sponsor && u.Unit == g.Unit && u.Employment == g.Employment && u.Company == g.Company
}

// TakesUpGuest says whether the draft is what becomes of an invitation that is taken up, into a team that
// its author manages.
func (d *Draft) TakesUpGuest(u *fact.User) bool {
	return d.TakesUp && d.May != nil && !d.Replays && invitedInto(&d.Snapshot, managedBy(&d.Snapshot, d.Author), u)
}

// Invited says whether a user was invited into a team that the caller manages, and has not taken it up.
func (a *Authority) Invited(s *access.Snapshot, id fact.UserID) bool {
	u := s.User(id)
	return u != nil && invitedInto(s, a.teams, u)
}

// invitedInto says whether a user is one who was invited into one of some teams.
func invitedInto(s *access.Snapshot, teams []managed, u *fact.User) bool {
	return slices.ContainsFunc(teams, func(m managed) bool { return isGuest(u, m.rule) && record.InTeam(s, u.ID, m.group) })
}

// Administers says whether a role gives anything in Able Roster itself.
func Administers(s *access.Snapshot, role fact.RoleID) bool {
	return len(administers(s, &fact.Assignment{Role: role})) > 0
}

// notInvited are the rights that the caller lacks to have added guests of a draft that are in no team of
// theirs.
func (a *Authority) notInvited(d *Draft, teams []managed) (out []Refusal) {
	for i, g := range d.guests {
		if !a.May(g.need.Action, g.need.Path) && !invitedInto(&d.Snapshot, teams, d.User(g.user)) {
			out = append(out, Refusal{Need: &d.guests[i].need})
		}
	}
	return out
}
