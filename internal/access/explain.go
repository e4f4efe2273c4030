package access

import (
	"cmp"
	"slices"
)

// Chain is one way from a user through memberships, an assignment and included
// active roles to a permission: the path of facts.
type Chain struct {
	Memberships []MembershipID // from the user outward
	BuiltIn     GroupID        // all-users or public, when the way goes through it
	Assignment  AssignmentID
	Roles       []RoleID // the assigned role, then what it includes
	Permission  PermissionID
	Window      Window // the time all windows on the way hold; see Never
	Never       bool   // the windows on the way have no time in common
	Fails       Reason // why it does not hold at the instant, or nothing
}

// Length is how many facts lie between the user and the permission.
func (c *Chain) Length() int {
	n := len(c.Memberships) + len(c.Roles)
	if c.BuiltIn != 0 {
		n++
	}
	return n
}

// maxChains bounds what one explanation lists. Groups and roles nested as
// lattices can have more ways than anybody would read.
const maxChains = 200

// Explanation is a decision with the chains behind it, shortest first: those
// that hold when allowed, those that came near when denied.
type Explanation struct {
	Decision
	User   UserID // 0 when nobody, or unknown
	Chains []Chain
	More   bool // there are more chains than listed
}

// Explain answers a question with its reasons.
func (s *Snapshot) Explain(q Question) (Explanation, error) {
	d, a, err := s.check(q)
	if err != nil {
		return Explanation{}, err
	}
	out := Explanation{Decision: d, User: a.user}
	switch d.Reason {
	case Granted, NotYet, Ended:
	default:
		return out, nil
	}
	all, more := s.chains(a.user, a.at, func(p *Permission) bool { return p.fits(a) })
	for _, c := range all {
		if (c.Fails == "") == d.Allowed {
			out.Chains = append(out.Chains, c)
		}
	}
	sortChains(out.Chains)
	out.More = more
	if d.Reason == NotYet { // a chain that has ended is no nearer
		out.Chains = slices.DeleteFunc(out.Chains, func(c Chain) bool { return c.Fails == Ended })
	}
	return out, nil
}

func sortChains(cs []Chain) {
	slices.SortFunc(cs, func(a, b Chain) int {
		return cmp.Or(cmp.Compare(a.Length(), b.Length()), cmp.Compare(a.Assignment, b.Assignment),
			slices.Compare(a.Memberships, b.Memberships), slices.Compare(a.Roles, b.Roles),
			cmp.Compare(a.Permission, b.Permission))
	})
}

// nearMiss is the first of all chains' codes: not_yet before ended, and
// no_grant without a chain.
func (s *Snapshot) nearMiss(a asked) Reason {
	best := NoGrant
	chains, _ := s.chains(a.user, a.at, func(p *Permission) bool { return p.fits(a) })
	for _, c := range chains {
		if c.Fails == NotYet {
			return NotYet
		}
		best = Ended
	}
	return best
}

// chains are all ways from a user to the permissions that fit, whatever their
// windows, and whether there were more than are listed.
func (s *Snapshot) chains(id UserID, at Instant, fit func(*Permission) bool) ([]Chain, bool) {
	w := walker{s: s, at: at, fit: fit}
	w.assigned(Chain{BuiltIn: PublicGroup}, s.groups.At(int(PublicGroup)).assignments)
	if id == 0 {
		return w.out, w.more
	}
	u := s.users.At(int(id))
	if u == nil || u.fact == nil {
		return nil, false
	}
	if u.fact.UserKind == Person {
		w.assigned(Chain{BuiltIn: AllUsersGroup}, s.groups.At(int(AllUsersGroup)).assignments)
	}
	w.assigned(Chain{}, u.assignments)
	w.climb(Chain{}, u.groups)
	return w.out, w.more
}

type walker struct {
	s    *Snapshot
	at   Instant
	fit  func(*Permission) bool
	out  []Chain
	more bool
}

// pass narrows a chain by one window.
func (w *walker) pass(c Chain, win Window) Chain {
	switch {
	case win.Until != 0 && w.at >= win.Until:
		c.Fails = Ended
	case w.at < win.From && c.Fails == "":
		c.Fails = NotYet
	}
	both, ok := c.Window.intersect(win)
	c.Window, c.Never = both, c.Never || !ok
	return c
}

func (w *walker) climb(c Chain, via []MembershipID) {
	for _, m := range via {
		f := w.s.memberships.At(int(m)).fact
		up := w.pass(c, f.Window)
		up.Memberships = with(c.Memberships, m)
		g := w.s.groups.At(int(f.Group))
		w.assigned(up, g.assignments)
		w.climb(up, g.parents)
	}
}

func (w *walker) assigned(c Chain, given []AssignmentID) {
	for _, id := range given {
		f := w.s.assignments.At(int(id)).fact
		a := w.pass(c, f.Window)
		a.Assignment = id
		w.descend(a, f.Role)
	}
}

func (w *walker) descend(c Chain, r RoleID) {
	if w.more {
		return
	}
	rec := w.s.roles.At(int(r))
	if rec.fact.Retired {
		return
	}
	c.Roles = with(c.Roles, r)
	for _, p := range rec.permissions {
		if w.fit(w.s.permissions.At(int(p)).fact) {
			if len(w.out) == maxChains {
				w.more = true
				return
			}
			hit := c
			hit.Permission = p
			w.out = append(w.out, hit)
		}
	}
	for _, in := range rec.includes {
		w.descend(c, w.s.inclusions.At(int(in)).fact.Included)
	}
}
