package finding

import (
	"runtime"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/record"
)

// amongPeople looks at each user and what was given to them, all processors
// sharing the work.
func (r *Report) amongPeople(used Accounts) [][]Finding {
	var users []*fact.User
	for u := range r.s.Users() {
		if u.Status == fact.Active {
			users = append(users, u)
		}
	}
	wants := map[fact.ApplicationID]bool{} // groups to hold its roles
	for a := range r.s.Applications() {
		wants[a.ID] = a.Direct != fact.DirectWelcome && a.State != fact.StateRetired
	}
	parts := make([][]Finding, runtime.GOMAXPROCS(0))
	var wait caught.Group
	for i := range parts {
		wait.Go(func() {
			for _, u := range users[len(users)*i/len(parts) : len(users)*(i+1)/len(parts)] {
				parts[i] = append(parts[i], r.onUser(u, wants, used)...)
			}
		})
	}
	wait.Wait()
	var out []Finding
	query.Over(r.s, r.at, func(id fact.AssignmentID) {
		a := r.s.Assignment(id)
		out = append(out, Finding{Code: Over, User: a.Assignee.User, Group: a.Assignee.Group, Role: a.Role, Application: r.s.Role(a.Role).Application, Assignment: id})
	})
	return append(parts, out)
}

func (r *Report) onUser(u *fact.User, wants map[fact.ApplicationID]bool, used Accounts) []Finding {
	var out []Finding
	today := calendar.DateOf(r.at.Time().In(r.s.Zone()))
	switch {
	case u.End != 0 && u.End < today:
		return append(out, Finding{Code: PastEnd, User: u.ID, Count: int(today - u.End)})
	case u.Start > today: // not here yet
	case r.s.Away(u.ID, r.at) || r.s.IsClosed(u) && !r.s.Effective(u.ID, r.at): // absent, or closed: so meant
	case !query.HoldsAnything(r.s, u.ID, r.at):
		out = append(out, Finding{Code: HoldsNothing, User: u.ID})
	}
	if last, can := used[u.ID]; can && r.at-last >= calendar.Days(Unused) {
		out = append(out, Finding{Code: AccountUnused, User: u.ID, Count: int((r.at - last) / calendar.Days(1))})
	}
	doubled := map[fact.AssignmentID]bool{}
	query.Doubled(r.s, u.ID, r.at, func(a fact.AssignmentID, g fact.GroupID) {
		doubled[a] = true
		role := r.s.Assignment(a).Role
		out = append(out, Finding{Code: Doubled, User: u.ID, Group: g, Role: role, Application: r.s.Role(role).Application, Assignment: a})
	})
	if u.UserKind == fact.Service { // never moves on
		if n := answering(r.s, u.ID); n < fact.Accountable {
			out = append(out, Finding{Code: Unaccounted, User: u.ID, Count: n})
		}
		out = append(out, r.onShared(u.ID)...)
		return out
	}
	query.DirectTo(r.s, u.ID, func(a fact.AssignmentID, role fact.RoleID, app fact.ApplicationID) {
		if wants[app] && !doubled[a] && !query.IsOver(r.s, a, r.at) {
			out = append(out, Finding{Code: Direct, User: u.ID, Role: role, Application: app, Assignment: a})
		}
	})
	return out
}

// answering is how many people who are there are accountable for a machine account.
func answering(s *access.Snapshot, id fact.UserID) (n int) {
	if f := record.MachineAccount(s, id); f != nil {
		for _, by := range f.Accountable {
			if s.User(by).Status == fact.Active {
				n++
			}
		}
	}
	return n
}

// inGroups are the groups without members that would give something to one, and the teams that nobody
// manages.
func inGroups(s *access.Snapshot) []Finding {
	var out []Finding
	for _, f := range access.RecordFactsOf[*fact.Team](s, fact.FactTeam) {
		if !f.Ended && record.ManagedTeam(s, s.Group(f.Group).Owner, f.Group) == nil {
			out = append(out, Finding{Code: TeamUnmanaged, Group: f.Group})
		}
	}
	for g := range s.Groups() {
		if g.ID == fact.PublicGroup || g.ID == fact.AllUsersGroup || g.Filter != "" || s.MemberCount(g.ID) > 0 {
			continue
		}
		if len(s.Given(fact.Assignee{Group: g.ID})) > 0 || len(s.MembershipsOf(fact.Member{Group: g.ID})) > 0 {
			out = append(out, Finding{Code: GroupEmpty, Group: g.ID})
		}
	}
	return out
}
