package access

import "ableroster/internal/patterns"

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
	d.put(&Group{ID: PublicGroup, Key: "public", Label: "Public", Description: "Anybody, signed in or not."})
	d.put(&Group{ID: AllUsersGroup, Key: "all-users", Label: "All users", Description: "Every effective person; no service accounts."})
	d.put(&Application{ID: AbleRoster, Key: "able-roster", Label: "Able Roster", State: StateLive,
		Description: "Who may see and change users, groups, applications, roles and the ledger.",
		Actions: []Action{
			{ActRead, "Read", "See it and what hangs on it"},
			{ActCreate, "Create", "Add new ones"},
			{ActUpdate, "Update", "Edit it"},
			{ActAssign, "Assign", "Give and take roles: needed on the role and on the user"},
			{ActEvaluate, "Evaluate", "Ask for decisions about an application"},
		}})
	for i, r := range []Resource{
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
		r.ID = ResourceID(i + 1)
		r.Application = AbleRoster
		d.put(&r)
	}
}

// UserPath is where a user lies in the tree of able-roster.
func (s *Snapshot) UserPath(id UserID) string {
	u := s.User(id)
	if u == nil {
		return "users"
	}
	return userPath(u)
}

func userPath(u *User) string { return patterns.Join("users", u.Unit, "@", u.ID.String()) }

// GroupPath is where a group lies in the tree of able-roster.
func (s *Snapshot) GroupPath(id GroupID) string {
	g := s.Group(id)
	if g == nil {
		return "groups"
	}
	return groupPath(g.Unit, g.Key)
}

// ApplicationPath is where an application lies in the tree of able-roster.
func (s *Snapshot) ApplicationPath(id ApplicationID) string {
	a := s.Application(id)
	if a == nil {
		return "applications"
	}
	return patterns.Join("applications", a.Key)
}

// RolePath is where a role lies in the tree of able-roster.
func (s *Snapshot) RolePath(id RoleID) string {
	r := s.Role(id)
	if r == nil {
		return "roles"
	}
	return rolePath(s.Application(r.Application), r.Key)
}

// rolePath is that of a role of an application; nil for one of the organisation.
func rolePath(app *Application, key string) string {
	if app == nil {
		return patterns.Join("roles", "-", key)
	}
	return patterns.Join("roles", app.Key, key)
}

func groupPath(unit, key string) string { return patterns.Join("groups", unit, "@", key) }

// OwnerOf is who answers for a role: its owner, else its application's; 0 for
// nobody.
func (s *Snapshot) OwnerOf(id RoleID) UserID {
	r := s.Role(id)
	switch {
	case r == nil:
		return 0
	case r.Owner != 0 || r.Application == 0:
		return r.Owner
	}
	return s.Application(r.Application).Owner
}
