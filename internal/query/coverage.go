package query

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// Coverage is which roles reach what of an application: a row for each resource
// that is not retired, in order of path, with a cell for each declared action.
type Coverage struct {
	Application *fact.Application
	Rows        []CoverageRow
}

// CoverageRow is one resource.
type CoverageRow struct {
	Resource *fact.Resource
	Cells    []CoverageCell // one for each declared action
}

// CoverageCell is who reaches one action on one resource, whatever the limits of
// the assignments.
type CoverageCell struct {
	Roles     []fact.RoleID // active ones whose own permissions reach it
	Own       bool          // they all reach only what is the user's own
	Everybody Everybody
	Fenced    bool // a role would reach it but for a fence
}

// Everybody says whether a cell is reached by everybody.
type Everybody string

// Who everybody can be.
const (
	NotEverybody Everybody = ""
	EveryUser    Everybody = "all-users" // whoever is signed in
	Anybody      Everybody = "public"    // nobody signed in, too
)

// Tree is the resources of an application that are not retired, in an order in
// which all that lies below one follows it.
type Tree struct {
	s     *access.Snapshot
	app   *access.ApplicationEntry
	nodes []*fact.Resource
	keys  []string
}

// treeKey orders paths so that what lies below one follows it at once.
func treeKey(path string) string {
	if path == patterns.Root {
		return ""
	}
	return strings.ReplaceAll(path, "/", "\x00") + "\x00"
}

// TreeOf puts the resources of an application in order: made once, it says quickly
// what many patterns cover.
func TreeOf(s *access.Snapshot, id fact.ApplicationID) *Tree {
	t := &Tree{s: s, app: s.ApplicationTable.At(int(id))}
	type keyed struct {
		key string
		r   *fact.Resource
	}
	var all []keyed
	activeResources(s, t.app, func(r *fact.Resource) { all = append(all, keyed{treeKey(r.Path), r}) })
	slices.SortFunc(all, func(a, b keyed) int { return cmp.Compare(a.key, b.key) })
	for _, x := range all {
		t.nodes, t.keys = append(t.nodes, x.r), append(t.keys, x.key)
	}
	return t
}

// covered calls yield with the place of each resource a pattern covers.
func (t *Tree) covered(pattern string, yield func(int)) {
	plain, _, star := strings.Cut(pattern, "*")
	key := treeKey(pattern)
	if star { // all below the segments before it, and then each by itself
		key = ""
		if i := strings.LastIndexByte(plain, '/'); i > 0 {
			key = treeKey(plain[:i])
		}
	}
	i, _ := slices.BinarySearch(t.keys, key)
	for ; i < len(t.keys) && strings.HasPrefix(t.keys[i], key); i++ {
		if !star || patterns.Covers(pattern, t.nodes[i].Path) {
			yield(i)
		}
	}
}

// CoverageOf is who reaches what of an application at an instant, by the roles that seen
// lets through; by all of them where it is nil.
func CoverageOf(s *access.Snapshot, id fact.ApplicationID, at calendar.Instant, seen func(fact.RoleID) bool) Coverage {
	t := TreeOf(s, id)
	out := Coverage{Application: t.app.Fact, Rows: make([]CoverageRow, len(t.nodes))}
	actions := t.app.Fact.Actions
	for i, r := range t.nodes {
		out.Rows[i] = CoverageRow{r, make([]CoverageCell, len(actions))}
	}
	public, everybody := plainlyHeld(s, fact.PublicGroup, at), plainlyHeld(s, fact.AllUsersGroup, at)
	fences := s.Fences(id)
	for i := range s.RoleTable.Len() {
		rec := s.RoleTable.At(i)
		if rec == nil || rec.Fact == nil || rec.Fact.Retired || seen != nil && !seen(fact.RoleID(i)) {
			continue
		}
		for _, x := range rec.Permissions {
			p := s.PermissionTable.At(int(x)).Fact
			if p.Application != id {
				continue
			}
			t.covered(p.Pattern, func(n int) {
				for a := range actions {
					if access.Gives(p, actions[a].Key) {
						out.Rows[n].Cells[a].reach(p, fact.RoleID(i), fencedBy(fences, p.Pattern, actions[a].Key, t.nodes[n].Path), public, everybody)
					}
				}
			})
		}
	}
	return out
}

func fencedBy(fences []*fact.Fence, pattern, action, path string) bool {
	for _, f := range fences {
		if f.Guards(action) && patterns.Covers(f.Pattern, path) && !f.Passes(pattern) {
			return true
		}
	}
	return false
}

// reach enters that a role reaches the cell by a permission.
func (c *CoverageCell) reach(p *fact.Permission, role fact.RoleID, fenced bool, public, everybody map[fact.RoleID]bool) {
	switch {
	case fenced:
		c.Fenced = true
		return
	case len(c.Roles) == 0:
		c.Own = p.Own
	}
	c.Own = c.Own && p.Own
	if n := len(c.Roles); n == 0 || c.Roles[n-1] != role {
		c.Roles = append(c.Roles, role)
	}
	switch {
	case p.Own:
	case public[role]:
		c.Everybody = Anybody
	case everybody[role] && c.Everybody == NotEverybody:
		c.Everybody = EveryUser
	}
}

// plainlyHeld are the roles a group holds at an instant on no other bounds, with
// all they include.
func plainlyHeld(s *access.Snapshot, g fact.GroupID, at calendar.Instant) map[fact.RoleID]bool {
	out := map[fact.RoleID]bool{}
	for _, x := range s.GroupTable.At(int(g)).Given {
		l := s.LimitsOf(x)
		if !l.Window.Holds(at) || len(l.Scopes) > 0 || l.Schedule != nil {
			continue
		}
		for _, r := range s.RoleTable.At(int(x.Role())).Closure {
			out[r] = true
		}
	}
	return out
}

// PatternCovers are the paths of the registered resources that a pattern covers,
// in the order of the tree; and whether it reaches below an open one besides,
// where more may come.
func PatternCovers(s *access.Snapshot, id fact.ApplicationID, pattern string) (paths []string, open bool) {
	return TreeOf(s, id).Covers(pattern)
}

// Covers is PatternCovers for one pattern of many.
func (t *Tree) Covers(pattern string) (paths []string, open bool) {
	t.covered(pattern, func(i int) {
		paths = append(paths, t.nodes[i].Path)
		open = open || t.nodes[i].Open
	})
	return paths, open || BelowOpen(t.s, t.app, pattern)
}
