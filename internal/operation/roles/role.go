package roles

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
)

func init() {
	change.Register(&AddRole{}, "Add a role of an application, or of the organisation")
	change.Register(&UpdateRole{}, "Edit a role: its texts, its owner and its limits; what is not given stays")
	change.Register(&RetireRole{}, "Retire a role: it gives nothing any more")
	change.Register(&IncludeRole{}, "Include a role in another: holders of the one hold the other too")
	change.Register(&ExcludeRole{}, "End the inclusion of a role in another")
}

// AddRole makes a role of an application, or of the organisation.
type AddRole struct {
	Key         string                `json:"key"`
	Application change.ApplicationRef `json:"application,omitempty" doc:"none for a role of the organisation"`
	Label       string                `json:"label,omitempty" doc:"what people call it"`
	Description string                `json:"description,omitempty" doc:"what it is for, in plain words"`
	Owner       change.UserRef        `json:"owner,omitempty" doc:"its owner; none: the application's owner"`
	Risk        fact.Risk             `json:"risk,omitempty" enum:"low,medium,high" doc:"how much harm it could do in wrong hands"`
	MaxDays     int                   `json:"max_days,omitempty" minimum:"0" maximum:"3650" doc:"days an assignment of it may last at most; 0: without end"`

	HeldWithin string `json:"held_within,omitempty" doc:"the unit within which alone it may be held; blank: anywhere. Whoever moves out of it holds it no longer"`
	MaxShares  int    `json:"max_shares,omitempty" minimum:"0" maximum:"1000" doc:"with how many users it may be shared within one resource at most, by whoever holds the same there; 0: it is not shareable"`

	Role change.RoleRef `json:"role,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddRole) Verb() string { return "add_role" }

// ApplyTo implements change.Operation.
func (o AddRole) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	before := len(d.Faults)
	r := &fact.Role{Key: o.Key, Risk: o.Risk, MaxDays: o.MaxDays, HeldWithin: o.HeldWithin, MaxShares: o.MaxShares}
	full := o.Key
	if o.Application != "" {
		if id, ok := d.SettleApplication("application", &o.Application); ok {
			r.Application = id
			full = d.Application(id).Key + "/" + o.Key
		}
	}
	if m := d.CheckKey(o.Key); m != "" {
		d.Fault("key", "%s", m)
	} else if (o.Application == "" || r.Application != 0) && !d.Need(access.ActCreate, access.RolePath(d.Application(r.Application), o.Key), "add the role %s", full) {
		d.Fails(fact.FactRole, full)
		return
	} else if id, taken := d.FindRole(full); taken {
		d.Taken("key", fact.FactRole, uint32(id), full, "keys")
	}
	d.CheckTexts(&o.Label, o.Key, o.Description)
	checkRole(d, r)
	if o.Owner != "" {
		r.Owner, _ = d.SettleUser("owner", &o.Owner)
	}
	if len(d.Faults) > before {
		d.Fails(fact.FactRole, full)
		return
	}
	r.ID, r.Label, r.Description = fact.RoleID(d.Allocate(fact.FactRole)), o.Label, o.Description
	o.Role = change.RoleRef(r.ID.String())
	d.Put(r)
	if r.MaxShares > 0 {
		d.Promise(r.ID)
	}
	return settled
}

// Sentence implements change.Operation.
func (o *AddRole) Sentence(*access.Snapshot, change.Names) string { return "Added the role " + o.Label }

// checkRole files the faults of how a role may be held.
func checkRole(d *change.Draft, r *fact.Role) {
	switch r.Risk {
	case fact.RiskUnsaid, fact.RiskLow, fact.RiskMedium, fact.RiskHigh:
	default:
		d.Fault("risk", "is low, medium or high")
	}
	if old := d.Role(r.ID); d.CheckUnit("held_within", r.HeldWithin) && (old == nil || old.HeldWithin != r.HeldWithin) {
		d.KnownUnit("held_within", r.HeldWithin)
	}
	if r.MaxDays < 0 || r.MaxDays > 3650 {
		d.Fault("max_days", "is 0 to 3650 days")
	}
	switch {
	case r.MaxShares < 0 || r.MaxShares > 1000:
		d.Fault("max_shares", "is 0 to 1000 users")
	case r.MaxShares > 0 && (r.Application == 0 || r.Application == fact.AbleRoster):
		d.Fault("max_shares", "is of roles of an application alone, other than able-roster: it is shared within a resource")
	}
}

// lasts says whether an assignment of a role ends as soon as the role asks for,
// and files the fault.
func lasts(d *change.Draft, id fact.RoleID, w calendar.Window) bool {
	longest := d.Role(id).MaxDays
	switch until := max(w.From, d.At()) + calendar.Days(longest); {
	case longest == 0:
	case w.Until == 0:
		d.Fault("until", "is missing: %s is held for %s at most", d.RoleKey(id), fact.Count(longest, "day"))
		return false
	case w.Until > until:
		d.Fault("until", "is too late: %s is held for %s at most", d.RoleKey(id), fact.Count(longest, "day"))
		return false
	}
	return true
}

// UpdateRole alters how a role is described, its owner and how it may
// be held; what is not given stays.
type UpdateRole struct {
	Role        change.RoleRef  `json:"role"`
	Label       *string         `json:"label,omitempty" doc:"what people call it"`
	Description *string         `json:"description,omitempty" doc:"what it is for, in plain words"`
	Owner       *change.UserRef `json:"owner,omitempty" doc:"its owner; blank for the application's owner"`
	Risk        *fact.Risk      `json:"risk,omitempty" enum:",low,medium,high" doc:"how much harm it could do in wrong hands"`
	MaxDays     *int            `json:"max_days,omitempty" minimum:"0" maximum:"3650" doc:"days an assignment made from now on may last at most; 0: without end"`
	Retired     *bool           `json:"retired,omitempty" doc:"false brings a retired role back"`
	HeldWithin  *string         `json:"held_within,omitempty" doc:"the unit within which alone it may be held; blank: anywhere. Whoever moves out of it holds it no longer"`
	MaxShares   *int            `json:"max_shares,omitempty" minimum:"0" maximum:"1000" doc:"with how many users it may be shared within one resource at most, from now on; 0: it is not shareable"`
}

// Verb implements change.Operation.
func (*UpdateRole) Verb() string { return "update_role" }

// ApplyTo implements change.Operation.
func (o UpdateRole) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleRole("role", &o.Role)
	if !ok {
		return
	}
	if !d.Need(access.ActUpdate, d.RolePath(id), "update the role %s", d.RoleKey(id)) {
		return
	}
	before := len(d.Faults)
	old := d.Role(id)
	r := *old
	fact.SetIf(&r.Label, o.Label)
	fact.SetIf(&r.Description, o.Description)
	fact.SetIf(&r.Risk, o.Risk)
	fact.SetIf(&r.MaxDays, o.MaxDays)
	fact.SetIf(&r.Retired, o.Retired)
	fact.SetIf(&r.HeldWithin, o.HeldWithin)
	fact.SetIf(&r.MaxShares, o.MaxShares)
	settle.Owner(d, &r.Owner, &o.Owner)
	checkRole(d, &r)
	d.CheckTexts(&r.Label, r.Key, r.Description)
	if len(d.Faults) > before || r.HeldWithin != old.HeldWithin && !d.NarrowRole(&r) {
		return
	}
	if r == *old {
		d.Note(change.AlreadySo, d.RoleTable.At(int(id)).Touched)
		return
	}
	d.Put(&r)
	if r.MaxShares > old.MaxShares {
		d.Promise(id)
	}
	return settled
}

// Sentence implements change.Operation.
func (o *UpdateRole) Sentence(s *access.Snapshot, n change.Names) string {
	if o.Retired != nil {
		return map[bool]string{true: "Retired", false: "Brought back"}[*o.Retired] + " the role " + refRole(s, o.Role)
	}
	what := "Updated the role " + refRole(s, o.Role)
	if o.Owner != nil {
		what += answeredBy(s, n, *o.Owner)
	}
	if o.Risk != nil && *o.Risk != fact.RiskUnsaid {
		what += ", " + string(*o.Risk) + " risk"
	}
	if o.HeldWithin != nil && *o.HeldWithin != "" {
		what += ", held only within " + *o.HeldWithin
	}
	if o.MaxDays != nil && *o.MaxDays > 0 {
		what += ", held for " + fact.Count(*o.MaxDays, "day") + " at most"
	}
	if o.MaxShares != nil {
		what += map[bool]string{true: ", shareable with " + fact.Count(*o.MaxShares, "user") + " at most within a resource", false: ", not shareable"}[*o.MaxShares > 0]
	}
	return what
}

// RetireRole makes a role give nothing, and nothing through what it includes.
type RetireRole struct {
	Role change.RoleRef `json:"role"`
}

// Verb implements change.Operation.
func (*RetireRole) Verb() string { return "retire_role" }

// ApplyTo implements change.Operation.
func (o RetireRole) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleRole("role", &o.Role)
	if !ok {
		return
	}
	if !d.Need(access.ActUpdate, d.RolePath(id), "update the role %s", d.RoleKey(id)) {
		return
	}
	r := *d.Role(id)
	if r.Retired {
		d.Note(change.AlreadySo, d.RoleTable.At(int(id)).Touched)
		return
	}
	r.Retired = true
	d.Put(&r)
	return settled
}

// Sentence implements change.Operation.
func (o *RetireRole) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Retired the role " + refRole(s, o.Role)
}

func refRole(s *access.Snapshot, r change.RoleRef) string {
	id, _ := s.FindRole(string(r))
	return change.RoleLabel(s, id)
}

// IncludeRole makes holders of a role hold another too.
type IncludeRole struct {
	Role     change.RoleRef `json:"role"`
	Includes change.RoleRef `json:"includes"`

	Inclusion change.InclusionRef `json:"inclusion,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*IncludeRole) Verb() string { return "include_role" }

// ApplyTo implements change.Operation.
func (o IncludeRole) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok1 := d.SettleRole("role", &o.Role)
	in, ok2 := d.SettleRole("includes", &o.Includes)
	if !ok1 || !ok2 {
		return
	}
	if !d.Need(access.ActUpdate, d.RolePath(id), "update the role %s", d.RoleKey(id)) {
		return
	}
	if a := d.Role(id).Application; a != 0 && d.Role(in).Application != a {
		d.Fault("includes", "a role of an application includes only roles of the same application")
		return
	}
	if !d.MayInclude("includes", d.Role(id), d.Role(in)) {
		return
	}
	if loop := roleLoop(d, id, in); loop != "" {
		d.Fault("includes", "would make a circle of roles: %s", loop)
		return
	}
	if f := inclusionOf(d, id, in); f != nil {
		d.Note(change.AlreadySo, d.RoleTable.At(int(id)).Touched)
		return
	}
	f := &fact.Inclusion{ID: fact.InclusionID(d.Allocate(fact.FactInclusion)), Role: id, Included: in, Opened: d.Revision}
	o.Inclusion = change.InclusionRef(f.ID.String())
	d.Put(f)
	return settled
}

func inclusionOf(d *change.Draft, id, in fact.RoleID) *fact.Inclusion {
	for _, i := range d.RoleTable.At(int(id)).Includes {
		if f := d.InclusionTable.At(int(i)).Fact; f.Included == in {
			return f
		}
	}
	return nil
}

// roleLoop shows the circle that including in into id would close, retired
// roles counted: they may come back.
func roleLoop(d *change.Draft, id, in fact.RoleID) string {
	var walk func(fact.RoleID, string, map[fact.RoleID]bool) string
	walk = func(x fact.RoleID, trail string, seen map[fact.RoleID]bool) string {
		trail += " → " + d.RoleKey(x)
		if x == id {
			return trail
		}
		if seen[x] {
			return ""
		}
		seen[x] = true
		for _, i := range d.RoleTable.At(int(x)).Includes {
			if t := walk(d.InclusionTable.At(int(i)).Fact.Included, trail, seen); t != "" {
				return t
			}
		}
		return ""
	}
	return walk(in, d.RoleKey(id), map[fact.RoleID]bool{})
}

// Sentence implements change.Operation.
func (o *IncludeRole) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Made the role " + refRole(s, o.Role) + " include " + refRole(s, o.Includes)
}

// ExcludeRole ends an inclusion.
type ExcludeRole struct {
	Role     change.RoleRef `json:"role"`
	Excludes change.RoleRef `json:"excludes"`

	Inclusion change.InclusionRef `json:"inclusion,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*ExcludeRole) Verb() string { return "exclude_role" }

// ApplyTo implements change.Operation.
func (o ExcludeRole) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok1 := d.SettleRole("role", &o.Role)
	in, ok2 := d.SettleRole("excludes", &o.Excludes)
	if !ok1 || !ok2 {
		return
	}
	if !d.Need(access.ActUpdate, d.RolePath(id), "update the role %s", d.RoleKey(id)) {
		return
	}
	f := inclusionOf(d, id, in)
	if f == nil {
		d.Fault("excludes", "%s does not include %s", d.RoleKey(id), d.RoleKey(in))
		return
	}
	o.Inclusion = change.InclusionRef(f.ID.String())
	d.End(f)
	return settled
}

// Sentence implements change.Operation.
func (o *ExcludeRole) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Made the role " + refRole(s, o.Role) + " no longer include " + refRole(s, o.Excludes)
}
