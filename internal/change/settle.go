package change

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/record"
)

// ScopeRef is a scope as it is asked for: the application by key or id.
type ScopeRef struct {
	Application ApplicationRef `json:"application"`
	Pattern     string         `json:"pattern" doc:"a path whose segments may contain *"`
}

// SettleScopes settles the scopes of a grant, in a list of their own, and files their faults.
func (d *Draft) SettleScopes(list *[]ScopeRef) ([]fact.Scope, bool) {
	ok := true
	var out []fact.Scope
	refs := slices.Clone(*list)
	*list = refs
	for i := range refs {
		app, found := d.SettleApplication("scopes", &refs[i].Application)
		if err := patterns.CheckPattern(refs[i].Pattern); err != nil {
			d.Fault("scopes", "%d: the pattern %s", i+1, err)
			ok = false
		}
		ok = ok && found
		out = append(out, fact.Scope{Application: app, Pattern: refs[i].Pattern})
	}
	slices.SortFunc(out, fact.Scope.Compare)
	return slices.Compact(out), ok
}

// NeedAssign asks for the rights to give or take a role: assign on the role,
// and assign on the user or update on the group. What members of the group
// come to hold is judged by the effect. It says whether the author has them.
func (d *Draft) NeedAssign(role fact.RoleID, to fact.Assignee) bool {
	if to.Group != 0 && d.byTeam(to.Group) && slices.Contains(record.ManagedTeam(&d.Snapshot, d.Author, to.Group).Roles, role) {
		return true
	}
	may := d.Need(access.ActAssign, d.RolePath(role), "assign the role %s", d.RoleKey(role))
	if to.User != 0 {
		return d.Need(access.ActAssign, d.UserPath(to.User), "assign roles to %s", d.User(to.User).UserName) && may
	}
	return d.Need(access.ActUpdate, d.GroupPath(to.Group), "update the group %s", d.Group(to.Group).Key) && may
}
