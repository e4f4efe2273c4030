package request

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

func init() {
	change.OnJudge(Becoming)
	change.OnDuties(duties)
}

// decision is a step that somebody decides on, of a requestable role, or of a request that waits.
type decision struct {
	step Step
	gain change.RoleGain // what the last step gives
}

// decisions are all there are: the steps of each role that is offered, for whoever may
// hold it, and those that requests have ahead of them.
func decisions(s *access.Snapshot) []decision {
	var out []decision
	for _, o := range Requestables(s) {
		route := RouteOf(s, o.Route)
		if o.Ended || route == nil || s.Role(o.Role).Retired {
			continue
		}
		for _, step := range route.Steps {
			out = append(out, decision{step, change.RoleGain{Role: o.Role, Within: change.RoleReachPath(s, o.Role)}})
		}
	}
	for _, r := range Requests(s) {
		if gain, waits := r.Asks(); waits {
			for _, step := range r.Steps[r.Step:] {
				out = append(out, decision{step, gain})
			}
		}
	}
	return out
}

// Becoming are the gains of a draft by which somebody comes to decide on the giving of
// a role: as manager, as head of a unit, as owner, in a group that is asked, or in the place of any of them. Whoever makes them so
// could as well give the roles.
func Becoming(d *change.Draft) []change.RoleGain {
	managed, owned, groups := map[fact.UserID]fact.UserID{}, map[fact.RoleID]fact.UserID{}, map[fact.GroupID]bool{}
	led, out := change.HeadsMade(d), change.OfSubstitutes(d, duties)
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *fact.User:
			old, _ := c.Before.(*fact.User)
			if f.Manager != 0 && (old == nil || old.Manager != f.Manager) {
				managed[f.ID] = f.Manager
			}
			for _, g := range d.ChosenBy(f.ID) {
				if old == nil || !slices.Contains(d.Base().ChosenBy(f.ID), g) {
					groups[g] = true
				}
			}
		case *fact.Role:
			if old, _ := c.Before.(*fact.Role); f.Owner != 0 && (old == nil || old.Owner != f.Owner) {
				owned[f.ID] = f.Owner
			}
		case *fact.Application:
			if old, _ := c.Before.(*fact.Application); f.Owner == 0 || old != nil && old.Owner == f.Owner {
				continue
			}
			for r := range d.Roles() {
				if r.Application == f.ID && r.Owner == 0 {
					owned[r.ID] = f.Owner
				}
			}
		case *Request:
			if old, _ := c.Before.(*Request); old != nil && f.State == Waiting {
				out = append(out, newlyNamed(old, f)...)
			}
		case *fact.Membership:
			groups[f.Group] = true
		case *fact.Group:
			if old, _ := c.Before.(*fact.Group); f.Filter != "" && (old == nil || old.Filter != f.Filter) {
				groups[f.ID] = true
			}
		}
	}
	if len(managed)+len(owned)+len(groups)+len(led) == 0 {
		return out
	}
	above(&d.Snapshot, groups)
	for _, x := range decisions(&d.Snapshot) {
		g := x.gain
		switch x.step.Whose {
		case Manager:
			for user, manager := range managed {
				if one, ok := of(&d.Snapshot, g, user); ok {
					one.Decides = manager
					out = append(out, one)
				}
			}
		case Head:
			out = append(out, headed(&d.Snapshot, g, led)...)
		case Owner:
			if g.Decides = owned[g.Role]; g.Decides != 0 {
				out = append(out, g)
			}
		case Group:
			if groups[x.step.Group] {
				g.Group = x.step.Group
				out = append(out, g)
			}
		}
	}
	return out
}

// newlyNamed are the gains of those whom the steps ahead of a request come to name.
func newlyNamed(old, r *Request) (out []change.RoleGain) {
	gain, _ := r.Asks()
	for i := r.Step; i < len(r.Steps); i++ {
		for _, id := range r.Steps[i].Users {
			if i >= len(old.Steps) || !slices.Contains(old.Steps[i].Users, id) {
				gain.Decides = id
				out = append(out, gain)
			}
		}
	}
	return out
}

// headed is a gain as the heads of some units decide on it.
func headed(s *access.Snapshot, g change.RoleGain, units []*fact.Unit) (out []change.RoleGain) {
	for _, u := range units {
		if one, ok := change.InUnitAlone(s, g, u.Path); ok {
			one.Decides = u.Head
			out = append(out, one)
		}
	}
	return out
}

// of is a gain as one user has it; ok is false where they cannot.
func of(s *access.Snapshot, g change.RoleGain, user fact.UserID) (one change.RoleGain, ok bool) {
	if g.User != user && (g.User != 0 || !change.RoleReachesUser(s, g.Role, user)) {
		return g, false
	}
	g.User, g.Within = user, ""
	return g, true
}

// above adds the groups that some are in, at any depth.
func above(s *access.Snapshot, groups map[fact.GroupID]bool) {
	var todo []fact.GroupID
	for g := range groups {
		todo = append(todo, g)
	}
	for ; len(todo) > 0; todo = todo[1:] {
		for _, m := range s.MembershipsOf(fact.Member{Group: todo[0]}) {
			if !groups[m.Group] {
				groups[m.Group] = true
				todo = append(todo, m.Group)
			}
		}
	}
}

// duties are the roles on whose giving a user decides.
func duties(s *access.Snapshot, id fact.UserID) []change.RoleGain {
	var out []change.RoleGain
	var people []fact.UserID
	for u := range s.Users() {
		if u.Manager == id && u.Status != fact.Departed {
			people = append(people, u.ID)
		}
	}
	led := change.LedBy(s, id)
	for _, x := range decisions(s) {
		g := x.gain
		switch x.step.Whose {
		case Head:
			out = append(out, headed(s, g, led)...)
		case Manager:
			for _, user := range people {
				if one, ok := of(s, g, user); ok {
					out = append(out, one)
				}
			}
		case Owner:
			if s.OwnerOf(g.Role) == id {
				out = append(out, g)
			}
		case Group:
			if query.EverIn(s, id, x.step.Group) {
				out = append(out, g)
			}
		case Users:
			if slices.Contains(x.step.Users, id) {
				out = append(out, g)
			}
		}
	}
	return out
}
