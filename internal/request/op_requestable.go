package request

import (
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() {
	change.Register(&SetRoute{}, "Add an approval route, or edit the one with the key")
	change.Register(&MakeRequestable{}, "Make a role requestable, or edit how it is requested")
	change.Register(&EndRequestable{}, "Take a role out of the access catalogue; requests that wait go on")
}

// RouteRef names a route by key or id.
type RouteRef string

// Refers marks it as a reference; see change.Descriptor.
func (RouteRef) Refers() {}

// StepRef is a step as it is asked for.
type StepRef struct {
	Whose Whose            `json:"whose" enum:"manager,unit_head,owner,group,users" doc:"who decides: the beneficiary's manager, the head of their unit, the owner of the role or its application, members of a group, or named users"`
	Group change.GroupRef  `json:"group,omitempty"`
	Users []change.UserRef `json:"users,omitempty"`
	All   bool             `json:"all,omitempty" doc:"every one of them must approve; else one is enough"`
}

// SetRoute writes an approval route, or alters the one with the key.
type SetRoute struct {
	Key   string    `json:"key" doc:"lower-case words joined by hyphens"`
	Label string    `json:"label,omitempty" doc:"what people call it"`
	Steps []StepRef `json:"steps" doc:"in the order in which they decide"`

	SamePerson bool `json:"same_person,omitempty" doc:"one person may decide on several steps of a request; else each step needs somebody else"`

	Route RouteRef `json:"route,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*SetRoute) Verb() string { return "set_route" }

// ApplyTo implements change.Operation.
func (o SetRoute) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write approval routes") {
		return
	}
	old := FindRoute(&d.Snapshot, o.Key)
	if old != nil && o.Label == "" {
		o.Label = old.Label
	}
	ok := d.CheckNew(o.Key, false, &o.Label, "")
	f := &Route{Key: o.Key, Label: o.Label, SamePerson: o.SamePerson}
	if len(o.Steps) == 0 {
		d.Fault("steps", "is empty: nobody would be asked")
		ok = false
	}
	o.Steps = slices.Clone(o.Steps)
	for i := range o.Steps {
		step, good := o.Steps[i].settle(d)
		ok = ok && good
		f.Steps = append(f.Steps, step)
	}
	if !ok {
		return
	}
	if old != nil {
		f.ID = old.ID
		d.ReadsFact(old)
		if old.Label == f.Label && old.SamePerson == f.SamePerson && slices.EqualFunc(old.Steps, f.Steps, equalSteps) {
			o.Route = RouteRef(f.ID.String())
			d.Note(change.AlreadySo, old.Since())
			return
		}
		for _, offer := range Requestables(&d.Snapshot) { // what is asked for by it is given on the writer's authority
			if offer.Route == f.ID && !offer.Ended {
				d.Promise(offer.Role)
			}
		}
	} else {
		f.ID = RouteID(d.Allocate(FactRoute))
	}
	o.Route = RouteRef(f.ID.String())
	d.Put(f)
	return settled
}

func equalSteps(a, b Step) bool {
	return a.Whose == b.Whose && a.Group == b.Group && a.All == b.All && slices.Equal(a.Users, b.Users)
}

func (o *StepRef) settle(d *change.Draft) (step Step, ok bool) {
	step, ok = Step{Whose: o.Whose, All: o.All}, true
	if (o.Group != "") != (o.Whose == Group) || (len(o.Users) > 0) != (o.Whose == Users) {
		d.Fault("steps", "name a group where members of one decide, users where named ones do, and neither otherwise")
		return step, false
	}
	switch o.Whose {
	case Manager, Head, Owner:
	case Group:
		step.Group, ok = d.SettleGroup("steps", &o.Group)
		if ok && (step.Group == fact.PublicGroup || step.Group == fact.AllUsersGroup) {
			d.Fault("steps", "a step for everybody asks nobody")
			ok = false
		}
	case Users:
		o.Users = slices.Clone(o.Users)
		for i := range o.Users {
			id, good := d.SettleUser("steps", &o.Users[i])
			ok = ok && good
			step.Users = append(step.Users, id)
		}
	default:
		d.Fault("steps", "are for the manager, the unit_head, the owner, a group or users, not “%s”", o.Whose)
		ok = false
	}
	return step, ok
}

// Sentence implements change.Operation.
func (o *SetRoute) Sentence(s *access.Snapshot, n change.Names) string {
	f := FindRoute(s, string(o.Route))
	if f == nil {
		return "Wrote the route " + o.Label
	}
	return "Wrote the route " + f.Label + ": " + f.Words(s, n)
}

// Words says who decides, in plain words.
func (f *Route) Words(s *access.Snapshot, n change.Names) string {
	var out []string
	for i := range f.Steps {
		out = append(out, f.Steps[i].Words(s, n))
	}
	return strings.Join(out, ", then ")
}

// Nobody says why a step has nobody who could decide, and what would mend it.
func (t *Step) Nobody() string {
	switch t.Whose {
	case Manager:
		return "the user has no active manager. Set one"
	case Head:
		return "neither the user's unit nor one above it has an active head. Set one"
	case Owner:
		return "the role has no active owner. Set one"
	}
	return "this step has no active approver. Change the approval route, and request the role again"
}

// Words says who decides on a step, in plain words.
func (t *Step) Words(s *access.Snapshot, n change.Names) string {
	switch t.Whose {
	case Manager:
		return "the manager"
	case Head:
		return "the head of the unit"
	case Owner:
		return "the owner of the role"
	case Group:
		if t.All {
			return "all of " + s.Group(t.Group).Label
		}
		return "one of " + s.Group(t.Group).Label
	}
	var names []string
	for _, id := range t.Users {
		names = append(names, n.UserName(id))
	}
	return strings.Join(names, map[bool]string{true: " and ", false: " or "}[t.All])
}

// MakeRequestable makes a role one that people may ask for, or alters how.
type MakeRequestable struct {
	Role    change.RoleRef `json:"role"`
	Words   string         `json:"words" doc:"what one can do with it, in the words of who would ask"`
	Route   RouteRef       `json:"route" doc:"who approves: key or id of a route"`
	MaxDays int            `json:"max_days,omitempty" minimum:"0" maximum:"3650" doc:"days it is given for at most; 0: without end"`
}

// Verb implements change.Operation.
func (*MakeRequestable) Verb() string { return "make_requestable" }

// ApplyTo implements change.Operation.
func (o MakeRequestable) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	role, ok := d.SettleRole("role", &o.Role)
	if ok && !d.Need(access.ActUpdate, d.RolePath(role), "make the role %s requestable", d.RoleKey(role)) {
		return
	}
	route := FindRoute(&d.Snapshot, string(o.Route))
	if route == nil {
		d.Missing(FactRoute, "route", string(o.Route))
		ok = false
	}
	o.Words = strings.TrimSpace(o.Words)
	if o.Words == "" {
		d.Fault("words", "is missing: people look for what they want to do")
		ok = false
	}
	ok = d.CheckText("words", o.Words, 500) && ok
	if o.MaxDays < 0 || o.MaxDays > 3650 {
		d.Fault("max_days", "is 0 to 3650 days")
		ok = false
	}
	if !ok {
		return
	}
	if d.Role(role).Retired {
		d.Fault("role", "%s is retired and would give nothing", d.RoleKey(role))
		return
	}
	o.Route = RouteRef(route.ID.String())
	f := &Requestable{Role: role, Words: o.Words, Route: route.ID, MaxDays: o.MaxDays}
	if old := RequestableOf(&d.Snapshot, role); old != nil {
		d.ReadsFact(old)
		f.Translations = old.Translations
		if old.Words == f.Words && old.Route == f.Route && old.MaxDays == f.MaxDays {
			d.Note(change.AlreadySo, old.Since())
			return
		}
	}
	d.Promise(role) // anybody may ask, and is given it on this authority
	d.Put(f)
	return settled
}

// Sentence implements change.Operation.
func (o *MakeRequestable) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindRole(string(o.Role))
	text := "Made the role " + change.RoleLabel(s, id) + " requestable"
	if f := FindRoute(s, string(o.Route)); f != nil {
		text += "; approved by " + f.Words(s, n)
	}
	return text
}

// EndRequestable ends the asking for a role. Requests that wait go on.
type EndRequestable struct {
	Role change.RoleRef `json:"role"`
}

// Verb implements change.Operation.
func (*EndRequestable) Verb() string { return "end_requestable" }

// ApplyTo implements change.Operation.
func (o EndRequestable) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	role, ok := d.SettleRole("role", &o.Role)
	if !ok || !d.Need(access.ActUpdate, d.RolePath(role), "make the role %s requestable", d.RoleKey(role)) {
		return
	}
	old := RequestableOf(&d.Snapshot, role)
	if old == nil {
		d.Fault("role", "%s is not requestable", d.RoleKey(role))
		return
	}
	f := *old
	f.Ended = true
	d.Put(&f)
	return settled
}

// Sentence implements change.Operation.
func (o *EndRequestable) Sentence(s *access.Snapshot, _ change.Names) string {
	id, _ := s.FindRole(string(o.Role))
	return "The role " + change.RoleLabel(s, id) + " is no longer requestable"
}
