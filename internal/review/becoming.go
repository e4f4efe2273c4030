package review

import (
	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

func init() {
	change.OnJudge(becoming)
	change.OnDuties(duties)
}

// looking is an open round and whom it looks at.
type looking struct {
	*Round
	at func(*fact.User) bool
}

// open are the rounds that wait for decisions of a kind of reviewer.
func open(s *access.Snapshot, whose Whose) []looking {
	var out []looking
	for _, r := range Rounds(s) {
		if r.State == Open && r.Reviewers == whose && r.Moved == 0 { // what moves open goes by whoever is the manager: see openForMoves
			out = append(out, looking{r, r.users(s)})
		}
	}
	return out
}

// in says whether a round looks at a role.
func (r looking) in(s *access.Snapshot, role fact.RoleID) bool {
	return r.Application == 0 || query.RoleReaches(s, role, r.Application)
}

// becoming are the gains of a draft by which somebody comes to review what others
// hold: as their manager, as the owner of their role, or in the place of a reviewer. Whoever makes them so could as
// well give the roles, and so take them back. Whoever opens a review and names its
// reviewers is held to the right to do that.
func becoming(d *change.Draft) []change.RoleGain {
	out := change.OfSubstitutes(d, duties)
	managers, owners, heads := open(&d.Snapshot, Manager), open(&d.Snapshot, Owner), open(&d.Snapshot, Head)
	if len(managers)+len(owners)+len(heads) == 0 {
		return out
	}
	out = append(out, ofHeads(&d.Snapshot, heads, change.HeadsMade(d))...)
	owns := func(role fact.RoleID, owner fact.UserID) {
		if g, ok := ofOwner(&d.Snapshot, owners, role); ok {
			g.Decides = owner
			out = append(out, g)
		}
	}
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *fact.User:
			if old, _ := c.Before.(*fact.User); f.Manager != 0 && old != nil && old.Manager != f.Manager {
				for _, g := range ofManager(&d.Snapshot, managers, f.ID) {
					g.Decides = f.Manager
					out = append(out, g)
				}
			}
		case *fact.Role:
			if old, _ := c.Before.(*fact.Role); f.Owner != 0 && old != nil && old.Owner != f.Owner {
				owns(f.ID, f.Owner)
			}
		case *fact.Application:
			if old, _ := c.Before.(*fact.Application); f.Owner == 0 || old == nil || old.Owner == f.Owner {
				continue
			}
			for r := range d.Roles() {
				if r.Application == f.ID && r.Owner == 0 {
					owns(r.ID, f.Owner)
				}
			}
		}
	}
	return out
}

// ofManager are the roles that a user's manager reviews in some rounds: those the user
// holds themselves. What a group or a rule gives, a review only proposes to take back.
func ofManager(s *access.Snapshot, rounds []looking, user fact.UserID) []change.RoleGain {
	var out []change.RoleGain
	for _, r := range rounds {
		if !r.at(s.User(user)) {
			continue
		}
		query.EachAssignment(s, user, r.At, func(a *fact.Assignment) {
			if a.Assignee.User == user && a.Rule == 0 && a.Opened <= r.Fixed && r.in(s, a.Role) {
				out = append(out, change.RoleGain{User: user, Role: a.Role})
			}
		})
	}
	return out
}

// ofHeads are the roles that the heads of some units review in some rounds.
func ofHeads(s *access.Snapshot, rounds []looking, units []*fact.Unit) (out []change.RoleGain) {
	if len(units) == 0 || len(rounds) == 0 {
		return nil
	}
	for role := range s.Roles() {
		g, ok := ofOwner(s, rounds, role.ID)
		if !ok {
			continue
		}
		for _, u := range units {
			if one, in := change.InUnitAlone(s, g, u.Path); in {
				one.Decides = u.Head
				out = append(out, one)
			}
		}
	}
	return out
}

// ofOwner is a role as its owner reviews it in some rounds; ok is false where none
// looks at it.
func ofOwner(s *access.Snapshot, rounds []looking, role fact.RoleID) (g change.RoleGain, ok bool) {
	for _, r := range rounds {
		if r.in(s, role) {
			return change.RoleGain{Role: role, Within: change.RoleReachPath(s, role)}, true
		}
	}
	return g, false
}

// duties are the roles of others that a user reviews.
func duties(s *access.Snapshot, id fact.UserID) []change.RoleGain {
	var out []change.RoleGain
	if rounds := open(s, Manager); len(rounds) > 0 {
		for u := range s.Users() {
			if u.Manager == id && u.Status != fact.Departed {
				out = append(out, ofManager(s, rounds, u.ID)...)
			}
		}
	}
	if rounds := open(s, Head); len(rounds) > 0 {
		out = append(out, ofHeads(s, rounds, change.LedBy(s, id))...)
	}
	if rounds := open(s, Owner); len(rounds) > 0 {
		for role := range s.Roles() {
			if s.OwnerOf(role.ID) == id {
				if g, ok := ofOwner(s, rounds, role.ID); ok {
					out = append(out, g)
				}
			}
		}
	}
	for _, r := range open(s, Users) {
		for _, named := range r.Named {
			if named != id {
				continue
			}
			for role := range s.Roles() {
				if r.in(s, role.ID) {
					out = append(out, change.RoleGain{Role: role.ID, Within: change.RoleReachPath(s, role.ID)})
				}
			}
		}
	}
	return out
}
