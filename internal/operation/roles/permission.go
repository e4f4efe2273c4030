package roles

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

func init() {
	change.Register(&AddPermission{}, "Add a permission to a role: actions on what a pattern covers")
	change.Register(&RemovePermission{}, "Remove a permission from its role")
}

// AddPermission lets a role do actions on what a pattern covers.
type AddPermission struct {
	Role        change.RoleRef        `json:"role"`
	Application change.ApplicationRef `json:"application,omitempty" doc:"the role's own by default"`
	Actions     []string              `json:"actions" doc:"declared actions, or * for all, later ones too"`
	Pattern     string                `json:"pattern" doc:"a path whose segments may contain *"`
	Own         bool                  `json:"own,omitempty" doc:"only on resources whose owner is the user"`

	Permission change.PermissionRef `json:"permission,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddPermission) Verb() string { return "add_permission" }

// ApplyTo implements change.Operation.
func (o AddPermission) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleRole("role", &o.Role)
	if !ok {
		return
	}
	if !d.Need(access.ActUpdate, d.RolePath(id), "update the role %s", d.RoleKey(id)) {
		return
	}
	before := len(d.Faults)
	app := d.Role(id).Application
	switch {
	case o.Application != "":
		a, ok := d.SettleApplication("application", &o.Application)
		if ok && app != 0 && a != app {
			d.Fault("application", "a role of an application holds permissions in it alone")
		}
		app = a
	case app == 0:
		d.Fault("application", "is missing: a role of the organisation has none of its own")
	default:
		o.Application = change.ApplicationRef(app.String())
	}
	if err := patterns.CheckPattern(o.Pattern); err != nil {
		d.Fault("pattern", "%s", err)
	}
	if o.Own && app == fact.AbleRoster {
		d.Fault("own", "nothing in able-roster has an owner")
	}
	if len(o.Actions) == 0 {
		d.Fault("actions", "names no action")
	}
	o.Actions = slices.Compact(slices.Sorted(slices.Values(o.Actions)))
	for _, a := range o.Actions {
		if f := d.Application(app); f != nil && a != fact.AllActions && !access.Declares(f, a) {
			d.Fault("actions", "%s declares no action “%s”", f.Key, a)
		}
	}
	if len(d.Faults) > before {
		return
	}
	for _, p := range d.RoleTable.At(int(id)).Permissions {
		f := d.Permission(p)
		if f.Application == app && f.Pattern == o.Pattern && f.Own == o.Own && slices.Equal(f.Actions, o.Actions) {
			o.Permission = change.PermissionRef(f.ID.String())
			d.Note(change.AlreadySo, f.Opened)
			return
		}
	}
	f := &fact.Permission{ID: fact.PermissionID(d.Allocate(fact.FactPermission)), Role: id, Application: app,
		Actions: o.Actions, Pattern: o.Pattern, Own: o.Own, Opened: d.Revision}
	o.Permission = change.PermissionRef(f.ID.String())
	d.Put(f)
	return settled
}

// Sentence implements change.Operation.
func (o *AddPermission) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Let the role " + refRole(s, o.Role) + " " + fact.ActionWords(o.Actions) + " " + o.Pattern + fact.OwnWords(o.Own)
}

// RemovePermission takes a permission from its role.
type RemovePermission struct {
	Permission change.PermissionRef `json:"permission" doc:"its id"`

	Role    change.RoleRef `json:"role,omitempty" set:"service"`
	Actions []string       `json:"actions,omitempty" set:"service"`
	Pattern string         `json:"pattern,omitempty" set:"service"`
	Own     bool           `json:"own,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*RemovePermission) Verb() string { return "remove_permission" }

// ApplyTo implements change.Operation.
func (o RemovePermission) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	n, _ := fact.ParseID("permission", string(o.Permission))
	f := d.Permission(fact.PermissionID(n))
	if f == nil || !d.MaySee(fact.FactRole, uint32(f.Role)) {
		d.Fault("permission", "there is no permission “%s”", o.Permission)
		return
	}
	d.Reads(fact.FactRole, uint32(f.Role))
	if !d.Need(access.ActUpdate, d.RolePath(f.Role), "update the role %s", d.RoleKey(f.Role)) {
		return
	}
	o.Role, o.Actions, o.Pattern, o.Own = change.RoleRef(f.Role.String()), f.Actions, f.Pattern, f.Own
	d.End(f)
	return settled
}

// Sentence implements change.Operation.
func (o *RemovePermission) Sentence(s *access.Snapshot, _ change.Names) string {
	return "No longer lets the role " + refRole(s, o.Role) + " " + fact.ActionWords(o.Actions) + " " + o.Pattern + fact.OwnWords(o.Own)
}
