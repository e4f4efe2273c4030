package access

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

// Coverage is which roles reach what of an application: a row for each resource
// that is not retired, in order of path, with a cell for each declared action.
type Coverage struct {
	Application *Application
	Rows        []CoverageRow
}

// CoverageRow is one resource.
type CoverageRow struct {
	Resource *Resource
	Cells    []CoverageCell // one for each declared action
}

// CoverageCell is who reaches one action on one resource, whatever the limits of
// the assignments.
type CoverageCell struct {
	Roles     []RoleID // active ones whose own permissions reach it
	Own       bool     // they all reach only what is the user's own
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
	s     *Snapshot
	app   *applicationRec
	nodes []*Resource
	keys  []string
}

// treeKey orders paths so that what lies below one follows it at once.
func treeKey(path string) string {
	if path == patterns.Root {
		return ""
	}
	return strings.ReplaceAll(path, "/", "\x00") + "\x00"
}

// Tree puts the resources of an application in order: made once, it says quickly
// what many patterns cover.
func (s *Snapshot) Tree(id ApplicationID) *Tree {
	t := &Tree{s: s, app: s.applications.At(int(id))}
	type keyed struct {
		key string
		r   *Resource
	}
	var all []keyed
	s.activeResources(t.app, func(r *Resource) { all = append(all, keyed{treeKey(r.Path), r}) })
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

// Coverage is who reaches what of an application at an instant, by the roles that seen
// lets through; by all of them where it is nil.
func (s *Snapshot) Coverage(id ApplicationID, at calendar.Instant, seen func(RoleID) bool) Coverage {
	t := s.Tree(id)
	out := Coverage{Application: t.app.fact, Rows: make([]CoverageRow, len(t.nodes))}
	actions := t.app.fact.Actions
	for i, r := range t.nodes {
		out.Rows[i] = CoverageRow{r, make([]CoverageCell, len(actions))}
	}
	public, everybody := s.plainlyHeld(PublicGroup, at), s.plainlyHeld(AllUsersGroup, at)
	fences := s.Fences(id)
	for i := range s.roles.Len() {
		rec := s.roles.At(i)
		if rec == nil || rec.fact == nil || rec.fact.Retired || seen != nil && !seen(RoleID(i)) {
			continue
		}
		for _, x := range rec.permissions {
			p := s.permissions.At(int(x)).fact
			if p.Application != id {
				continue
			}
			t.covered(p.Pattern, func(n int) {
				for a := range actions {
					if p.gives(actions[a].Key) {
						out.Rows[n].Cells[a].reach(p, RoleID(i), fencedBy(fences, p.Pattern, actions[a].Key, t.nodes[n].Path), public, everybody)
					}
				}
			})
		}
	}
	return out
}

func fencedBy(fences []*Fence, pattern, action, path string) bool {
	for _, f := range fences {
		if f.guards(action) && patterns.Covers(f.Pattern, path) && !f.passes(pattern) {
			return true
		}
	}
	return false
}

// reach enters that a role reaches the cell by a permission.
func (c *CoverageCell) reach(p *Permission, role RoleID, fenced bool, public, everybody map[RoleID]bool) {
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
func (s *Snapshot) plainlyHeld(g GroupID, at calendar.Instant) map[RoleID]bool {
	out := map[RoleID]bool{}
	for _, x := range s.groups.At(int(g)).given {
		l := s.limitsOf(x)
		if !l.window.Holds(at) || len(l.scopes) > 0 || l.schedule != nil {
			continue
		}
		for _, r := range s.roles.At(int(x.role())).closure {
			out[r] = true
		}
	}
	return out
}

// PatternCovers are the paths of the registered resources that a pattern covers,
// in the order of the tree; and whether it reaches below an open one besides,
// where more may come.
func (s *Snapshot) PatternCovers(id ApplicationID, pattern string) (paths []string, open bool) {
	return s.Tree(id).Covers(pattern)
}

// Covers is PatternCovers for one pattern of many.
func (t *Tree) Covers(pattern string) (paths []string, open bool) {
	t.covered(pattern, func(i int) {
		paths = append(paths, t.nodes[i].Path)
		open = open || t.nodes[i].Open
	})
	return paths, open || t.s.belowOpen(t.app, pattern)
}
