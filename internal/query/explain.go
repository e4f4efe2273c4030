package query

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Chain is one way from a user through memberships, an assignment and included
// active roles to a permission: the path of facts.
type Chain struct {
	Rule        fact.GroupID        // the group whose filter chooses the user, when the way begins so
	Memberships []fact.MembershipID // from the user, or that group, outward
	BuiltIn     fact.GroupID        // all-users or public, when the way goes through it
	Assignment  fact.AssignmentID
	Roles       []fact.RoleID // the assigned role, then what it includes
	Permission  fact.PermissionID
	Window      calendar.Window // the time all windows on the way hold; see Never
	Never       bool            // the windows on the way have no time in common
	Fails       access.Reason   // why it does not hold at the instant, or nothing
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
	access.Decision
	Live   access.Reason // what the answer's would be if the application did not rehearse
	User   fact.UserID   // 0 when nobody, or unknown
	Chains []Chain
	More   bool // there are more chains than listed
}

// Explain answers a question with its reasons.
func Explain(s *access.Snapshot, q access.Question) (Explanation, error) {
	var a access.Asked
	if err := s.Resolve(&q, &a); err != nil {
		return Explanation{}, err
	}
	return ExplainResolved(s, &q, &a), nil
}

// ExplainResolved is Explain, of a question whose names are resolved.
func ExplainResolved(s *access.Snapshot, q *access.Question, a *access.Asked) Explanation {
	d := s.Answer(q, a)
	out := Explanation{Decision: d, Live: d.Reason, User: a.User}
	if d.Reason == access.Rehearsal {
		out.Live = s.Judge(a).Reason
	}
	want := access.Reason("") // how the chains shown fail
	switch out.Live {
	case access.Granted:
	case access.NotOwner, access.OutsideSchedule, access.NotYet, access.Ended, access.OutOfScope, access.Fenced:
		want = out.Live
	default:
		return out
	}
	all, more := Chains(s, a.User, a.At, a, func(p *fact.Permission) bool { return access.Fits(p, a) })
	for _, c := range all {
		if c.Fails == want {
			out.Chains = append(out.Chains, c)
		}
	}
	sortChains(out.Chains)
	out.More = more
	return out
}

func sortChains(cs []Chain) {
	slices.SortFunc(cs, func(a, b Chain) int {
		return cmp.Or(cmp.Compare(a.Length(), b.Length()), cmp.Compare(a.Assignment, b.Assignment),
			cmp.Compare(a.Rule, b.Rule), slices.Compare(a.Memberships, b.Memberships), slices.Compare(a.Roles, b.Roles),
			cmp.Compare(a.Permission, b.Permission))
	})
}

// Chains are all ways from a user to the permissions that fit, whatever else
// fails, and whether there were more than are listed. With a question each says
// how it fails what was asked, else only how its windows do.
func Chains(s *access.Snapshot, id fact.UserID, at calendar.Instant, a *access.Asked, fit func(*fact.Permission) bool) ([]Chain, bool) {
	return walk(s, id, &walker{s: s, at: at, asked: a, fit: fit})
}

// chainsTo are all ways from a user to a role, permissions aside.
func chainsTo(s *access.Snapshot, id fact.UserID, at calendar.Instant, role fact.RoleID) ([]Chain, bool) {
	return walk(s, id, &walker{s: s, at: at, role: role})
}

func walk(s *access.Snapshot, id fact.UserID, w *walker) ([]Chain, bool) {
	w.assigned(Chain{BuiltIn: fact.PublicGroup}, access.HoldsNow, s.GroupTable.At(int(fact.PublicGroup)).Given)
	if id == 0 {
		if w.cut {
			w.shortest(nil)
		}
		return w.out, w.more
	}
	u := s.UserTable.At(int(id))
	if u == nil || u.Fact == nil {
		return nil, false
	}
	if u.Person {
		w.assigned(Chain{BuiltIn: fact.AllUsersGroup}, access.HoldsNow, s.GroupTable.At(int(fact.AllUsersGroup)).Given)
	}
	w.assigned(Chain{}, access.HoldsNow, u.Given())
	w.climb(Chain{}, access.HoldsNow, u.Groups())
	if w.cut { // what was not come to
		w.shortest(u)
	}
	return w.out, w.more
}

type walker struct {
	s     *access.Snapshot
	at    calendar.Instant
	asked *access.Asked
	fit   func(*fact.Permission) bool
	role  fact.RoleID // instead of permissions: the role to find ways to
	out   []Chain
	ways  map[wayKey]int // how many of each are listed
	more  bool           // there are more ways than are listed
	cut   bool           // the walk was broken off
	steps int
}

// wayKey is what chains may lead by and to, however they come to it.
type wayKey struct {
	assignment fact.AssignmentID
	to         uint32 // the permission or the role
	fails      access.Reason
}

// pass narrows a chain by one window.
func (c Chain) pass(win calendar.Window) Chain {
	both, ok := c.Window.Intersect(win)
	c.Window, c.Never = both, c.Never || !ok
	return c
}

func (w *walker) climb(c Chain, m access.Miss, via []access.Link) {
	for _, j := range via {
		if w.stop() {
			return
		}
		window := w.s.WindowOf(j)
		up := c.pass(window)
		if j.ByRule() {
			up.Rule = j.Group()
		} else {
			up.Memberships = access.With(c.Memberships, j.Membership())
		}
		m := max(m, access.MissOf(window, w.at))
		g := w.s.GroupTable.At(int(j.Group()))
		w.assigned(up, m, g.Given)
		w.climb(up, m, g.Parents)
	}
}

// given is a chain with an assignment at its end, and what it misses by then.
func (w *walker) given(c Chain, m access.Miss, g access.Link) (Chain, access.Miss) {
	l := w.s.LimitsOf(g)
	a := c.pass(l.Window)
	a.Assignment = g.Assignment()
	m = max(m, access.MissOf(l.Window, w.at))
	if w.asked != nil {
		m = max(m, l.Miss(w.asked))
	}
	return a, m
}

func (w *walker) assigned(c Chain, m access.Miss, all []access.Link) {
	for _, g := range all {
		a, m := w.given(c, m, g)
		w.descend(a, m, g.Role())
	}
}

func (w *walker) descend(c Chain, m access.Miss, r fact.RoleID) {
	if w.stop() {
		return
	}
	rec := w.s.RoleTable.At(int(r))
	if rec.Fact.Retired {
		return
	}
	c.Roles = access.With(c.Roles, r)
	if w.role == r {
		w.found(c, m)
	}
	for _, id := range rec.Permissions {
		if w.role != 0 {
			break
		}
		p := w.s.PermissionTable.At(int(id)).Fact
		if !w.fit(p) {
			continue
		}
		hit := c
		hit.Permission = id
		w.found(hit, max(m, w.missOf(p)))
	}
	for _, in := range rec.Includes {
		w.descend(c, m, w.s.InclusionTable.At(int(in)).Fact.Included)
	}
}

// stop says whether the walk is broken off.
func (w *walker) stop() bool {
	if w.steps++; w.steps > maxSteps {
		w.more, w.cut = true, true
	}
	return w.cut
}

func (w *walker) found(c Chain, m access.Miss) {
	c.Fails = access.MissReasons[m]
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
func (w *walker) shortest(u *access.UserEntry) {
	type place struct {
		group fact.GroupID
		miss  access.Miss
	}
	type step struct {
		place
		chain Chain
	}
	seen := map[place]bool{}
	var todo []step
	climb := func(c Chain, m access.Miss, via []access.Link) {
		for _, j := range via {
			window := w.s.WindowOf(j)
			p := place{j.Group(), max(m, access.MissOf(window, w.at))}
			if seen[p] {
				continue
			}
			seen[p] = true
			up := c.pass(window)
			if j.ByRule() {
				up.Rule = j.Group()
			} else {
				up.Memberships = access.With(c.Memberships, j.Membership())
			}
			todo = append(todo, step{p, up})
		}
	}
	w.shortestOf(Chain{BuiltIn: fact.PublicGroup}, access.HoldsNow, w.s.GroupTable.At(int(fact.PublicGroup)).Given)
	if u == nil { // nobody signed in
		return
	}
	if u.Person {
		w.shortestOf(Chain{BuiltIn: fact.AllUsersGroup}, access.HoldsNow, w.s.GroupTable.At(int(fact.AllUsersGroup)).Given)
	}
	w.shortestOf(Chain{}, access.HoldsNow, u.Given())
	climb(Chain{}, access.HoldsNow, u.Groups())
	for ; len(todo) > 0; todo = todo[1:] {
		g := w.s.GroupTable.At(int(todo[0].group))
		w.shortestOf(todo[0].chain, todo[0].miss, g.Given)
		climb(todo[0].chain, todo[0].miss, g.Parents)
	}
}

// shortestOf is that of the assignments of one group, or of the user.
func (w *walker) shortestOf(c Chain, m access.Miss, all []access.Link) {
	for _, g := range all {
		a, m := w.given(c, m, g)
		seen := map[fact.RoleID]bool{}
		type step struct {
			role fact.RoleID
			path []fact.RoleID
		}
		for todo := []step{{g.Role(), nil}}; len(todo) > 0; todo = todo[1:] {
			x := todo[0]
			rec := w.s.RoleTable.At(int(x.role))
			if seen[x.role] || rec.Fact.Retired {
				continue
			}
			seen[x.role] = true
			hit := a
			hit.Roles = access.With(x.path, x.role)
			if w.role == x.role {
				w.first(hit, m)
			}
			for _, id := range rec.Permissions {
				if p := w.s.PermissionTable.At(int(id)).Fact; w.role == 0 && w.fit(p) {
					hit.Permission = id
					w.first(hit, max(m, w.missOf(p)))
				}
			}
			for _, in := range rec.Includes {
				todo = append(todo, step{w.s.InclusionTable.At(int(in)).Fact.Included, hit.Roles})
			}
		}
	}
}

// first lists a chain where none of its way is listed.
func (w *walker) first(c Chain, m access.Miss) {
	k := wayKey{c.Assignment, uint32(c.Permission), access.MissReasons[m]}
	if w.role != 0 {
		k.to = uint32(w.role)
	}
	if w.ways[k] == 0 {
		w.found(c, m)
	}
}

// missOf is how a permission fails what is asked, the assignment aside.
func (w *walker) missOf(p *fact.Permission) access.Miss {
	a := w.asked
	switch {
	case a == nil:
		return access.HoldsNow
	case w.s.Fenced(a.Rec, p.Pattern, a.Action.Key, a.Path):
		return access.MissFence
	case p.Own && !a.Owns:
		return access.MissOwner
	}
	return access.HoldsNow
}
