package access

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

func init() {
	Register(&AddRole{}, "Add a role of an application, or of the organisation")
	Register(&UpdateRole{}, "Edit a role: its texts, its owner and its limits; what is not given stays")
	Register(&RetireRole{}, "Retire a role: it gives nothing any more")
	Register(&IncludeRole{}, "Include a role in another: holders of the one hold the other too")
	Register(&ExcludeRole{}, "End the inclusion of a role in another")
	Register(&AddPermission{}, "Add a permission to a role: actions on what a pattern covers")
	Register(&RemovePermission{}, "Remove a permission from its role")
}

// AddRole makes a role of an application, or of the organisation.
type AddRole struct {
	Key         string         `json:"key"`
	Application ApplicationRef `json:"application,omitempty" doc:"none for a role of the organisation"`
	Label       string         `json:"label,omitempty" doc:"what people call it"`
	Description string         `json:"description,omitempty" doc:"what it is for, in plain words"`
	Owner       UserRef        `json:"owner,omitempty" doc:"its owner; none: the application's owner"`
	Risk        Risk           `json:"risk,omitempty" enum:"low,medium,high" doc:"how much harm it could do in wrong hands"`
	MaxDays     int            `json:"max_days,omitempty" minimum:"0" maximum:"3650" doc:"days an assignment of it may last at most; 0: without end"`

	HeldWithin string `json:"held_within,omitempty" doc:"the unit within which alone it may be held; blank: anywhere. Whoever moves out of it holds it no longer"`

	Role RoleRef `json:"role,omitempty" set:"service"`
}

// Verb implements Operation.
func (*AddRole) Verb() string { return "add_role" }

func (o AddRole) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	before := len(d.Faults)
	r := &Role{Key: o.Key, Risk: o.Risk, MaxDays: o.MaxDays, HeldWithin: o.HeldWithin}
	full := o.Key
	if o.Application != "" {
		if id, ok := d.application("application", &o.Application); ok {
			r.Application = id
			full = d.Application(id).Key + "/" + o.Key
		}
	}
	if m := d.checkKey(o.Key); m != "" {
		d.fault("key", "%s", m)
	} else if (o.Application == "" || r.Application != 0) && !d.need(ActCreate, rolePath(d.Application(r.Application), o.Key), "add the role %s", full) {
		d.fail(FactRole, full)
		return
	} else if id, taken := d.FindRole(full); taken {
		d.taken("key", FactRole, uint32(id), full, "keys")
	}
	d.checkTexts(&o.Label, o.Key, o.Description)
	d.checkRole(r)
	if o.Owner != "" {
		r.Owner, _ = d.user("owner", &o.Owner)
	}
	if len(d.Faults) > before {
		d.fail(FactRole, full)
		return
	}
	r.ID, r.Label, r.Description = RoleID(d.allocate(FactRole)), o.Label, o.Description
	o.Role = RoleRef(r.ID.String())
	d.put(r)
	return settled
}

// Sentence implements Operation.
func (o *AddRole) Sentence(*Snapshot, Names) string { return "Added the role " + o.Label }

// checkRole files the faults of how a role may be held.
func (d *Draft) checkRole(r *Role) {
	switch r.Risk {
	case RiskUnsaid, RiskLow, RiskMedium, RiskHigh:
	default:
		d.fault("risk", "is low, medium or high")
	}
	d.unit("held_within", r.HeldWithin)
	if r.MaxDays < 0 || r.MaxDays > 3650 {
		d.fault("max_days", "is 0 to 3650 days")
	}
}

// lasts says whether an assignment of a role ends as soon as the role asks for,
// and files the fault.
func (d *Draft) lasts(id RoleID, w calendar.Window) bool {
	longest := d.Role(id).MaxDays
	switch until := max(w.From, d.at) + calendar.Days(longest); {
	case longest == 0:
	case w.Until == 0:
		d.fault("until", "is missing: %s is held for %s at most", d.RoleKey(id), Count(longest, "day"))
		return false
	case w.Until > until:
		d.fault("until", "is too late: %s is held for %s at most", d.RoleKey(id), Count(longest, "day"))
		return false
	}
	return true
}

// UpdateRole alters how a role is described, its owner and how it may
// be held; what is not given stays.
type UpdateRole struct {
	Role        RoleRef  `json:"role"`
	Label       *string  `json:"label,omitempty" doc:"what people call it"`
	Description *string  `json:"description,omitempty" doc:"what it is for, in plain words"`
	Owner       *UserRef `json:"owner,omitempty" doc:"its owner; blank for the application's owner"`
	Risk        *Risk    `json:"risk,omitempty" enum:",low,medium,high" doc:"how much harm it could do in wrong hands"`
	MaxDays     *int     `json:"max_days,omitempty" minimum:"0" maximum:"3650" doc:"days an assignment made from now on may last at most; 0: without end"`
	Retired     *bool    `json:"retired,omitempty" doc:"false brings a retired role back"`
	HeldWithin  *string  `json:"held_within,omitempty" doc:"the unit within which alone it may be held; blank: anywhere. Whoever moves out of it holds it no longer"`
}

// Verb implements Operation.
func (*UpdateRole) Verb() string { return "update_role" }

// ApplyTo implements Operation.
func (o UpdateRole) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	id, ok := d.role("role", &o.Role)
	if !ok {
		return
	}
	if !d.need(ActUpdate, d.RolePath(id), "update the role %s", d.RoleKey(id)) {
		return
	}
	before := len(d.Faults)
	old := d.Role(id)
	r := *old
	set(&r.Label, o.Label)
	set(&r.Description, o.Description)
	set(&r.Risk, o.Risk)
	set(&r.MaxDays, o.MaxDays)
	set(&r.Retired, o.Retired)
	set(&r.HeldWithin, o.HeldWithin)
	d.owner(&r.Owner, &o.Owner)
	d.checkRole(&r)
	d.checkTexts(&r.Label, r.Key, r.Description)
	if len(d.Faults) > before || r.HeldWithin != old.HeldWithin && !d.narrowRole(&r) {
		return
	}
	if r == *old {
		d.note(AlreadySo, d.roles.At(int(id)).touched)
		return
	}
	d.put(&r)
	return settled
}

// owner settles who answers for something: nil leaves it as it is.
func (d *Draft) owner(of *UserID, ref **UserRef) { other("owner", of, ref, d.user) }

// other settles a reference that may be given, in a text of its own: nil leaves what
// there is, a blank one clears it.
func other[R ~string, I ~uint32](field string, of *I, ref **R, settle func(string, *R) (I, bool)) {
	if *ref == nil {
		return
	}
	r := **ref
	*ref = &r
	if *of = 0; r != "" {
		*of, _ = settle(field, &r)
	}
}

// Sentence implements Operation.
func (o *UpdateRole) Sentence(s *Snapshot, n Names) string {
	if o.Retired != nil {
		return map[bool]string{true: "Retired", false: "Brought back"}[*o.Retired] + " the role " + refRole(s, o.Role)
	}
	what := "Updated the role " + refRole(s, o.Role)
	if o.Owner != nil {
		what += answeredBy(s, n, *o.Owner)
	}
	if o.Risk != nil && *o.Risk != RiskUnsaid {
		what += ", " + string(*o.Risk) + " risk"
	}
	if o.HeldWithin != nil && *o.HeldWithin != "" {
		what += ", held only within " + *o.HeldWithin
	}
	if o.MaxDays != nil && *o.MaxDays > 0 {
		what += ", held for " + Count(*o.MaxDays, "day") + " at most"
	}
	return what
}

// RetireRole makes a role give nothing, and nothing through what it includes.
type RetireRole struct {
	Role RoleRef `json:"role"`
}

// Verb implements Operation.
func (*RetireRole) Verb() string { return "retire_role" }

func (o RetireRole) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	id, ok := d.role("role", &o.Role)
	if !ok {
		return
	}
	if !d.need(ActUpdate, d.RolePath(id), "update the role %s", d.RoleKey(id)) {
		return
	}
	r := *d.Role(id)
	if r.Retired {
		d.note(AlreadySo, d.roles.At(int(id)).touched)
		return
	}
	r.Retired = true
	d.put(&r)
	return settled
}

// Sentence implements Operation.
func (o *RetireRole) Sentence(s *Snapshot, _ Names) string {
	return "Retired the role " + refRole(s, o.Role)
}

func refRole(s *Snapshot, r RoleRef) string {
	id, _ := s.FindRole(string(r))
	return roleLabel(s, id)
}

// IncludeRole makes holders of a role hold another too.
type IncludeRole struct {
	Role     RoleRef `json:"role"`
	Includes RoleRef `json:"includes"`

	Inclusion InclusionRef `json:"inclusion,omitempty" set:"service"`
}

// Verb implements Operation.
func (*IncludeRole) Verb() string { return "include_role" }

func (o IncludeRole) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	id, ok1 := d.role("role", &o.Role)
	in, ok2 := d.role("includes", &o.Includes)
	if !ok1 || !ok2 {
		return
	}
	if !d.need(ActUpdate, d.RolePath(id), "update the role %s", d.RoleKey(id)) {
		return
	}
	if a := d.Role(id).Application; a != 0 && d.Role(in).Application != a {
		d.fault("includes", "a role of an application includes only roles of the same application")
		return
	}
	if !d.mayInclude("includes", d.Role(id), d.Role(in)) {
		return
	}
	if loop := d.roleLoop(id, in); loop != "" {
		d.fault("includes", "would make a circle of roles: %s", loop)
		return
	}
	if f := d.inclusionOf(id, in); f != nil {
		d.note(AlreadySo, d.roles.At(int(id)).touched)
		return
	}
	f := &Inclusion{ID: InclusionID(d.allocate(FactInclusion)), Role: id, Included: in, Opened: d.Revision}
	o.Inclusion = InclusionRef(f.ID.String())
	d.put(f)
	return settled
}

func (d *Draft) inclusionOf(id, in RoleID) *Inclusion {
	for _, i := range d.roles.At(int(id)).includes {
		if f := d.inclusions.At(int(i)).fact; f.Included == in {
			return f
		}
	}
	return nil
}

// roleLoop shows the circle that including in into id would close, retired
// roles counted: they may come back.
func (d *Draft) roleLoop(id, in RoleID) string {
	var walk func(RoleID, string, map[RoleID]bool) string
	walk = func(x RoleID, trail string, seen map[RoleID]bool) string {
		trail += " → " + d.RoleKey(x)
		if x == id {
			return trail
		}
		if seen[x] {
			return ""
		}
		seen[x] = true
		for _, i := range d.roles.At(int(x)).includes {
			if t := walk(d.inclusions.At(int(i)).fact.Included, trail, seen); t != "" {
				return t
			}
		}
		return ""
	}
	return walk(in, d.RoleKey(id), map[RoleID]bool{})
}

// Sentence implements Operation.
func (o *IncludeRole) Sentence(s *Snapshot, _ Names) string {
	return "Made the role " + refRole(s, o.Role) + " include " + refRole(s, o.Includes)
}

// ExcludeRole ends an inclusion.
type ExcludeRole struct {
	Role     RoleRef `json:"role"`
	Excludes RoleRef `json:"excludes"`

	Inclusion InclusionRef `json:"inclusion,omitempty" set:"service"`
}

// Verb implements Operation.
func (*ExcludeRole) Verb() string { return "exclude_role" }

func (o ExcludeRole) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	id, ok1 := d.role("role", &o.Role)
	in, ok2 := d.role("excludes", &o.Excludes)
	if !ok1 || !ok2 {
		return
	}
	if !d.need(ActUpdate, d.RolePath(id), "update the role %s", d.RoleKey(id)) {
		return
	}
	f := d.inclusionOf(id, in)
	if f == nil {
		d.fault("excludes", "%s does not include %s", d.RoleKey(id), d.RoleKey(in))
		return
	}
	o.Inclusion = InclusionRef(f.ID.String())
	d.end(f)
	return settled
}

// Sentence implements Operation.
func (o *ExcludeRole) Sentence(s *Snapshot, _ Names) string {
	return "Made the role " + refRole(s, o.Role) + " no longer include " + refRole(s, o.Excludes)
}

// AddPermission lets a role do actions on what a pattern covers.
type AddPermission struct {
	Role        RoleRef        `json:"role"`
	Application ApplicationRef `json:"application,omitempty" doc:"the role's own by default"`
	Actions     []string       `json:"actions" doc:"declared actions, or * for all, later ones too"`
	Pattern     string         `json:"pattern" doc:"a path whose segments may contain *"`
	Own         bool           `json:"own,omitempty" doc:"only on resources whose owner is the user"`

	Permission PermissionRef `json:"permission,omitempty" set:"service"`
}

// Verb implements Operation.
func (*AddPermission) Verb() string { return "add_permission" }

func (o AddPermission) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	id, ok := d.role("role", &o.Role)
	if !ok {
		return
	}
	if !d.need(ActUpdate, d.RolePath(id), "update the role %s", d.RoleKey(id)) {
		return
	}
	before := len(d.Faults)
	app := d.Role(id).Application
	switch {
	case o.Application != "":
		a, ok := d.application("application", &o.Application)
		if ok && app != 0 && a != app {
			d.fault("application", "a role of an application holds permissions in it alone")
		}
		app = a
	case app == 0:
		d.fault("application", "is missing: a role of the organisation has none of its own")
	default:
		o.Application = ApplicationRef(app.String())
	}
	if err := patterns.CheckPattern(o.Pattern); err != nil {
		d.fault("pattern", "%s", err)
	}
	if o.Own && app == AbleRoster {
		d.fault("own", "nothing in able-roster has an owner")
	}
	if len(o.Actions) == 0 {
		d.fault("actions", "names no action")
	}
	o.Actions = slices.Compact(slices.Sorted(slices.Values(o.Actions)))
	for _, a := range o.Actions {
		if f := d.Application(app); f != nil && a != AllActions && !f.declares(a) {
			d.fault("actions", "%s declares no action “%s”", f.Key, a)
		}
	}
	if len(d.Faults) > before {
		return
	}
	for _, p := range d.roles.At(int(id)).permissions {
		f := d.Permission(p)
		if f.Application == app && f.Pattern == o.Pattern && f.Own == o.Own && slices.Equal(f.Actions, o.Actions) {
			o.Permission = PermissionRef(f.ID.String())
			d.note(AlreadySo, f.Opened)
			return
		}
	}
	f := &Permission{ID: PermissionID(d.allocate(FactPermission)), Role: id, Application: app,
		Actions: o.Actions, Pattern: o.Pattern, Own: o.Own, Opened: d.Revision}
	o.Permission = PermissionRef(f.ID.String())
	d.put(f)
	return settled
}

// Sentence implements Operation.
func (o *AddPermission) Sentence(s *Snapshot, _ Names) string {
	return "Let the role " + refRole(s, o.Role) + " " + words(o.Actions) + " " + o.Pattern + ownWords(o.Own)
}

func ownWords(own bool) string {
	if own {
		return ", on their own alone"
	}
	return ""
}

func words(actions []string) string {
	out := ""
	for i, a := range actions {
		if a == AllActions {
			a = "do everything on"
		}
		switch {
		case i == 0:
		case i == len(actions)-1:
			out += " and "
		default:
			out += ", "
		}
		out += a
	}
	return out
}

// RemovePermission takes a permission from its role.
type RemovePermission struct {
	Permission PermissionRef `json:"permission" doc:"its id"`

	Role    RoleRef  `json:"role,omitempty" set:"service"`
	Actions []string `json:"actions,omitempty" set:"service"`
	Pattern string   `json:"pattern,omitempty" set:"service"`
	Own     bool     `json:"own,omitempty" set:"service"`
}

// Verb implements Operation.
func (*RemovePermission) Verb() string { return "remove_permission" }

func (o RemovePermission) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	n, _ := ParseID("permission", string(o.Permission))
	f := d.Permission(PermissionID(n))
	if f == nil || !d.visible(FactRole, uint32(f.Role)) {
		d.fault("permission", "there is no permission “%s”", o.Permission)
		return
	}
	d.read(FactRole, uint32(f.Role))
	if !d.need(ActUpdate, d.RolePath(f.Role), "update the role %s", d.RoleKey(f.Role)) {
		return
	}
	o.Role, o.Actions, o.Pattern, o.Own = RoleRef(f.Role.String()), f.Actions, f.Pattern, f.Own
	d.end(f)
	return settled
}

// Sentence implements Operation.
func (o *RemovePermission) Sentence(s *Snapshot, _ Names) string {
	return "No longer lets the role " + refRole(s, o.Role) + " " + words(o.Actions) + " " + o.Pattern + ownWords(o.Own)
}
