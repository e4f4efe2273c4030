package access

import (
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// The actions of able-roster.
const (
	ActRead     = "read"
	ActCreate   = "create"
	ActUpdate   = "update"
	ActAssign   = "assign"
	ActEvaluate = "evaluate"
)

// builtin makes what every organisation has: the two groups and the
// application with which Able Roster protects itself. It is in the program and
// not in the ledger, so that no change can take it away.
func builtin(d *Builder) {
	d.loading = true
	d.Put(&fact.Group{ID: fact.PublicGroup, Key: "public", Label: "Public", Description: "Anybody, signed in or not."})
	d.Put(&fact.Group{ID: fact.AllUsersGroup, Key: "all-users", Label: "All users", Description: "Every effective person; no service accounts."})
	d.Put(&fact.Application{ID: fact.AbleRoster, Key: "able-roster", Label: "Able Roster", State: fact.StateLive,
		Description: "Who may see and change users, groups, applications, roles and the ledger.",
		Actions: []fact.Action{
			{Key: ActRead, Label: "Read", Description: "See it and what hangs on it"},
			{Key: ActCreate, Label: "Create", Description: "Add new ones"},
			{Key: ActUpdate, Label: "Update", Description: "Edit it"},
			{Key: ActAssign, Label: "Assign", Description: "Give and take roles: needed on the role and on the user"},
			{Key: ActEvaluate, Label: "Evaluate", Description: "Ask for decisions about an application"},
		}})
	for i, r := range []fact.Resource{
		{Path: patterns.Root, NodeKind: "installation", Label: "Able Roster"},
		{Path: "users", NodeKind: "register", Label: "Users", Description: "users/UNIT…/@/USER ID", Open: true},
		{Path: "groups", NodeKind: "register", Label: "Groups", Description: "groups/UNIT…/@/KEY", Open: true},
		{Path: "applications", NodeKind: "register", Label: "Applications", Description: "applications/KEY", Open: true},
		{Path: "roles", NodeKind: "register", Label: "Roles", Description: "roles/APPLICATION or -/KEY", Open: true},
		{Path: "requests", NodeKind: "register", Label: "Requests", Open: true},
		{Path: "reviews", NodeKind: "register", Label: "Reviews", Open: true},
		{Path: "ledger", NodeKind: "register", Label: "Ledger"},
		{Path: "settings", NodeKind: "register", Label: "Settings"},
	} {
		r.ID = fact.ResourceID(i + 1)
		r.Application = fact.AbleRoster
		d.Put(&r)
	}
}

// UserPath is where a user lies in the tree of able-roster.
func (s *Snapshot) UserPath(id fact.UserID) string {
	u := s.User(id)
	if u == nil {
		return "users"
	}
	return UserPath(u)
}

// UserPath is where a user lies in the tree of able-roster.
func UserPath(u *fact.User) string { return patterns.Join("users", u.Unit, "@", u.ID.String()) }

// GroupPath is where a group lies in the tree of able-roster.
func (s *Snapshot) GroupPath(id fact.GroupID) string {
	g := s.Group(id)
	if g == nil {
		return "groups"
	}
	return GroupPath(g.Unit, g.Key)
}

// ApplicationPath is where an application lies in the tree of able-roster.
func (s *Snapshot) ApplicationPath(id fact.ApplicationID) string {
	a := s.Application(id)
	if a == nil {
		return "applications"
	}
	return patterns.Join("applications", a.Key)
}

// RolePath is where a role lies in the tree of able-roster.
func (s *Snapshot) RolePath(id fact.RoleID) string {
	r := s.Role(id)
	if r == nil {
		return "roles"
	}
	return RolePath(s.Application(r.Application), r.Key)
}

// RolePath is that of a role of an application; nil for one of the organisation.
func RolePath(app *fact.Application, key string) string {
	if app == nil {
		return patterns.Join("roles", "-", key)
	}
	return patterns.Join("roles", app.Key, key)
}

// GroupPath is where a group lies in the tree of able-roster.
func GroupPath(unit, key string) string { return patterns.Join("groups", unit, "@", key) }

// OwnerOf is who answers for a role: its owner, else its application's; 0 for
// nobody.
func (s *Snapshot) OwnerOf(id fact.RoleID) fact.UserID {
	r := s.Role(id)
	switch {
	case r == nil:
		return 0
	case r.Owner != 0 || r.Application == 0:
		return r.Owner
	}
	return s.Application(r.Application).Owner
}
