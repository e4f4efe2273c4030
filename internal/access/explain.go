package access

import (
	"cmp"
	"slices"

	"ableroster/internal/calendar"
)

// Chain is one way from a user through memberships, an assignment and included
// active roles to a permission: the path of facts.
type Chain struct {
	Rule        GroupID        // the group whose filter chooses the user, when the way begins so
	Memberships []MembershipID // from the user, or that group, outward
	BuiltIn     GroupID        // all-users or public, when the way goes through it
	Assignment  AssignmentID
	Roles       []RoleID // the assigned role, then what it includes
	Permission  PermissionID
	Window      calendar.Window // the time all windows on the way hold; see Never
	Never       bool            // the windows on the way have no time in common
	Fails       Reason          // why it does not hold at the instant, or nothing
}

// Length is how many facts lie between the user and the permission.
func (c *Chain) Length() int {
	n := len(c.Memberships) + len(c.Roles)
	if c.BuiltIn != 0 || c.Rule != 0 {
		n++
	}
	return n
}

// maxWays bounds how many ways through one assignment to one permission are listed,
// and maxSteps how far is looked for them. Groups and roles nested as lattices can have
// more ways than anybody would read. Of what is cut the shortest way is listed all the
// same: no assignment that gives something is left out.
const (
	maxWays  = 20
	maxSteps = 50_000
)

// Explanation is a decision with the chains behind it, shortest first: those
// that hold when allowed, those that came near when denied.
type Explanation struct {
	Decision
	Live   Reason // what the answer's would be if the application did not rehearse
	User   UserID // 0 when nobody, or unknown
	Chains []Chain
	More   bool // there are more chains than listed
}

// Explain answers a question with its reasons.
func (s *Snapshot) Explain(q Question) (Explanation, error) {
	var a asked
	d, err := s.check(&q, &a)
	if err != nil {
		return Explanation{}, err
	}
	out := Explanation{Decision: d, Live: d.Reason, User: a.user}
	if d.Reason == Rehearsal {
		out.Live = s.judge(&a).Reason
	}
	want := Reason("") // how the chains shown fail
	switch out.Live {
	case Granted:
	case NotOwner, OutsideSchedule, NotYet, Ended, OutOfScope, Fenced:
		want = out.Live
	default:
		return out, nil
	}
	all, more := s.chains(a.user, a.at, &a, func(p *Permission) bool { return p.fits(&a) })
	for _, c := range all {
		if c.Fails == want {
			out.Chains = append(out.Chains, c)
		}
	}
	sortChains(out.Chains)
	out.More = more
	return out, nil
}

func sortChains(cs []Chain) {
	slices.SortFunc(cs, func(a, b Chain) int {
		return cmp.Or(cmp.Compare(a.Length(), b.Length()), cmp.Compare(a.Assignment, b.Assignment),
			cmp.Compare(a.Rule, b.Rule), slices.Compare(a.Memberships, b.Memberships), slices.Compare(a.Roles, b.Roles),
			cmp.Compare(a.Permission, b.Permission))
	})
}

// chains are all ways from a user to the permissions that fit, whatever else
// fails, and whether there were more than are listed. With a question each says
// how it fails what was asked, else only how its windows do.
func (s *Snapshot) chains(id UserID, at calendar.Instant, a *asked, fit func(*Permission) bool) ([]Chain, bool) {
	return s.walk(id, &walker{s: s, at: at, asked: a, fit: fit})
}

// chainsTo are all ways from a user to a role, permissions aside.
func (s *Snapshot) chainsTo(id UserID, at calendar.Instant, role RoleID) ([]Chain, bool) {
	return s.walk(id, &walker{s: s, at: at, role: role})
}

func (s *Snapshot) walk(id UserID, w *walker) ([]Chain, bool) {
	w.assigned(Chain{BuiltIn: PublicGroup}, holdsNow, s.groups.At(int(PublicGroup)).given)
	if id == 0 {
		if w.cut {
			w.shortest(nil)
		}
		return w.out, w.more
	}
	u := s.users.At(int(id))
	if u == nil || u.fact == nil {
		return nil, false
	}
	if u.person {
		w.assigned(Chain{BuiltIn: AllUsersGroup}, holdsNow, s.groups.At(int(AllUsersGroup)).given)
	}
	w.assigned(Chain{}, holdsNow, u.given())
	w.climb(Chain{}, holdsNow, u.groups())
	if w.cut { // what was not come to
		w.shortest(u)
	}
	return w.out, w.more
}

type walker struct {
	s     *Snapshot
	at    calendar.Instant
	asked *asked
	fit   func(*Permission) bool
	role  RoleID // instead of permissions: the role to find ways to
	out   []Chain
	ways  map[wayKey]int // how many of each are listed
	more  bool           // there are more ways than are listed
	cut   bool           // the walk was broken off
	steps int
}

// wayKey is what chains may lead by and to, however they come to it.
type wayKey struct {
	assignment AssignmentID
	to         uint32 // the permission or the role
	fails      Reason
}

// pass narrows a chain by one window.
func (c Chain) pass(win calendar.Window) Chain {
	both, ok := c.Window.Intersect(win)
	c.Window, c.Never = both, c.Never || !ok
	return c
}

func (w *walker) climb(c Chain, m miss, via []link) {
	for _, j := range via {
		if w.stop() {
			return
		}
		window := w.s.windowOf(j)
		up := c.pass(window)
		if j.byRule() {
			up.Rule = j.group()
		} else {
			up.Memberships = with(c.Memberships, j.membership())
		}
		m := max(m, missOf(window, w.at))
		g := w.s.groups.At(int(j.group()))
		w.assigned(up, m, g.given)
		w.climb(up, m, g.parents)
	}
}

// given is a chain with an assignment at its end, and what it misses by then.
func (w *walker) given(c Chain, m miss, g link) (Chain, miss) {
	l := w.s.limitsOf(g)
	a := c.pass(l.window)
	a.Assignment = g.assignment()
	m = max(m, missOf(l.window, w.at))
	if w.asked != nil {
		m = max(m, l.miss(w.asked))
	}
	return a, m
}

func (w *walker) assigned(c Chain, m miss, all []link) {
	for _, g := range all {
		a, m := w.given(c, m, g)
		w.descend(a, m, g.role())
	}
}

func (w *walker) descend(c Chain, m miss, r RoleID) {
	if w.stop() {
		return
	}
	rec := w.s.roles.At(int(r))
	if rec.fact.Retired {
		return
	}
	c.Roles = with(c.Roles, r)
	if w.role == r {
		w.found(c, m)
	}
	for _, id := range rec.permissions {
		if w.role != 0 {
			break
		}
		p := w.s.permissions.At(int(id)).fact
		if !w.fit(p) {
			continue
		}
		hit := c
		hit.Permission = id
		w.found(hit, max(m, w.missOf(p)))
	}
	for _, in := range rec.includes {
		w.descend(c, m, w.s.inclusions.At(int(in)).fact.Included)
	}
}

// stop says whether the walk is broken off.
func (w *walker) stop() bool {
	if w.steps++; w.steps > maxSteps {
		w.more, w.cut = true, true
	}
	return w.cut
}

func (w *walker) found(c Chain, m miss) {
	c.Fails = missReasons[m]
	k := wayKey{c.Assignment, uint32(c.Permission), c.Fails}
	if w.role != 0 {
		k.to = uint32(w.role)
	}
	if w.ways == nil {
		w.ways = map[wayKey]int{}
	}
	if w.ways[k]++; w.ways[k] > maxWays {
		w.more = true
		return
	}
	w.out = append(w.out, c)
}

// shortest adds the shortest way through each assignment that leads to something, where
// none is listed yet: it goes through each group and each role once for each way of
// failing, breadth first.
func (w *walker) shortest(u *userRec) {
	type place struct {
		group GroupID
		miss  miss
	}
	type step struct {
		place
		chain Chain
	}
	seen := map[place]bool{}
	var todo []step
	climb := func(c Chain, m miss, via []link) {
		for _, j := range via {
			window := w.s.windowOf(j)
			p := place{j.group(), max(m, missOf(window, w.at))}
			if seen[p] {
				continue
			}
			seen[p] = true
			up := c.pass(window)
			if j.byRule() {
				up.Rule = j.group()
			} else {
				up.Memberships = with(c.Memberships, j.membership())
			}
			todo = append(todo, step{p, up})
		}
	}
	w.shortestOf(Chain{BuiltIn: PublicGroup}, holdsNow, w.s.groups.At(int(PublicGroup)).given)
	if u == nil { // nobody signed in
		return
	}
	if u.person {
		w.shortestOf(Chain{BuiltIn: AllUsersGroup}, holdsNow, w.s.groups.At(int(AllUsersGroup)).given)
	}
	w.shortestOf(Chain{}, holdsNow, u.given())
	climb(Chain{}, holdsNow, u.groups())
	for ; len(todo) > 0; todo = todo[1:] {
		g := w.s.groups.At(int(todo[0].group))
		w.shortestOf(todo[0].chain, todo[0].miss, g.given)
		climb(todo[0].chain, todo[0].miss, g.parents)
	}
}

// shortestOf is that of the assignments of one group, or of the user.
func (w *walker) shortestOf(c Chain, m miss, all []link) {
	for _, g := range all {
		a, m := w.given(c, m, g)
		seen := map[RoleID]bool{}
		type step struct {
			role RoleID
			path []RoleID
		}
		for todo := []step{{g.role(), nil}}; len(todo) > 0; todo = todo[1:] {
			x := todo[0]
			rec := w.s.roles.At(int(x.role))
			if seen[x.role] || rec.fact.Retired {
				continue
			}
			seen[x.role] = true
			hit := a
			hit.Roles = with(x.path, x.role)
			if w.role == x.role {
				w.first(hit, m)
			}
			for _, id := range rec.permissions {
				if p := w.s.permissions.At(int(id)).fact; w.role == 0 && w.fit(p) {
					hit.Permission = id
					w.first(hit, max(m, w.missOf(p)))
				}
			}
			for _, in := range rec.includes {
				todo = append(todo, step{w.s.inclusions.At(int(in)).fact.Included, hit.Roles})
			}
		}
	}
}

// first lists a chain where none of its way is listed.
func (w *walker) first(c Chain, m miss) {
	k := wayKey{c.Assignment, uint32(c.Permission), missReasons[m]}
	if w.role != 0 {
		k.to = uint32(w.role)
	}
	if w.ways[k] == 0 {
		w.found(c, m)
	}
}

// missOf is how a permission fails what is asked, the assignment aside.
func (w *walker) missOf(p *Permission) miss {
	a := w.asked
	switch {
	case a == nil:
		return holdsNow
	case w.s.fenced(a.rec, p.Pattern, a.action.key, a.path):
		return missFence
	case p.Own && !a.owns:
		return missOwner
	}
	return holdsNow
}
