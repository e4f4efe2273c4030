package access

import (
	"cmp"
	"slices"
	"time"

	"ableroster/internal/patterns"
)

func init() {
	Register(&SetOrganisation{}, "Set the name and the time zone of the organisation")
	Register(&AddApplication{}, "Register an application, with the root of its tree")
	Register(&UpdateApplication{}, "Edit an application; what is not given stays")
}

// SetOrganisation gives the organisation its name and time zone.
type SetOrganisation struct {
	Name     string `json:"name"`
	TimeZone string `json:"time_zone" doc:"IANA name; days begin in it"`
}

// Verb implements Operation.
func (*SetOrganisation) Verb() string { return "set_organisation" }

func (o SetOrganisation) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	if !d.need(ActUpdate, "settings", "update the settings") {
		return
	}
	if m := checkLabel(o.Name, 200); m != "" || o.Name == "" {
		d.fault("name", "must be a text of at most 200 bytes")
	}
	if _, err := time.LoadLocation(o.TimeZone); err != nil || o.TimeZone == "" || o.TimeZone == "Local" {
		d.fault("time_zone", "“%s” is not a time zone such as Europe/Lisbon", o.TimeZone)
		return
	}
	f := Organisation{o.Name, o.TimeZone, d.organisation.SignIn, d.organisation.Second}
	if d.organisation == f {
		d.note(AlreadySo, 0)
		return
	}
	d.put(&f)
	return settled
}

// Sentence implements Operation.
func (o *SetOrganisation) Sentence(*Snapshot, Names) string {
	return "Named the organisation " + o.Name + ", with days in " + o.TimeZone
}

// AddApplication registers an application and the root of its tree.
type AddApplication struct {
	Key         string   `json:"key"`
	Label       string   `json:"label,omitempty" doc:"what people call it"`
	Description string   `json:"description,omitempty" doc:"what it is for, in plain words"`
	State       State    `json:"state,omitempty" enum:"draft,rehearsal,live" doc:"draft by default"`
	Owner       UserRef  `json:"owner,omitempty" doc:"its owner"`
	Actions     []Action `json:"actions" doc:"the words that can be done in it"`
	Open        bool     `json:"open,omitempty" doc:"nothing below the root need be registered"`

	Application ApplicationRef `json:"application,omitempty" set:"service"`
	Resource    ResourceRef    `json:"resource,omitempty" set:"service"`
}

// Verb implements Operation.
func (*AddApplication) Verb() string { return "add_application" }

func (o AddApplication) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	before := len(d.Faults)
	if m := d.checkKey(o.Key); m != "" {
		d.fault("key", "%s", m)
	} else if !d.need(ActCreate, patterns.Join("applications", o.Key), "add applications") {
		d.fail(FactApplication, o.Key)
		return
	} else if id, taken := d.FindApplication(o.Key); taken {
		d.taken("key", FactApplication, uint32(id), o.Key, "keys")
	}
	d.checkTexts(&o.Label, o.Key, o.Description)
	if o.State == "" {
		o.State = StateDraft
	}
	if o.State != StateDraft && o.State != StateRehearsal && o.State != StateLive {
		d.fault("state", "is draft, rehearsal or live for a new application")
	}
	d.checkActions(o.Actions)
	var owner UserID
	if o.Owner != "" {
		owner, _ = d.user("owner", &o.Owner)
	}
	if len(d.Faults) > before {
		d.fail(FactApplication, o.Key)
		return
	}
	a := &Application{ID: ApplicationID(d.allocate(FactApplication)), Key: o.Key, Label: o.Label,
		Description: o.Description, State: o.State, Actions: o.Actions, Owner: owner}
	o.Application = ApplicationRef(a.ID.String())
	d.put(a)
	r := &Resource{ID: ResourceID(d.allocate(FactResource)), Application: a.ID, Path: patterns.Root, NodeKind: "application", Label: o.Label, Open: o.Open}
	o.Resource = ResourceRef(r.ID.String())
	d.put(r)
	return settled
}

func (d *Draft) checkActions(actions []Action) {
	if len(actions) == 0 {
		d.fault("actions", "names no action: nothing could be protected")
	}
	if len(actions) > mostActions {
		d.fault("actions", "names more than %d actions", mostActions)
	}
	for i, a := range actions {
		if m := d.checkKey(a.Key); m != "" {
			d.fault("actions", "%q %s", a.Key, m)
		}
		if m := cmp.Or(checkLabel(a.Label, 200), checkLabel(a.Description, 2000)); m != "" {
			d.fault("actions", "what %q is called %s", a.Key, m)
		}
		if slices.ContainsFunc(actions[:i], func(b Action) bool { return a.Key == b.Key }) {
			d.fault("actions", "names %q twice", a.Key)
		}
	}
}

// Sentence implements Operation.
func (o *AddApplication) Sentence(*Snapshot, Names) string { return "Added the application " + o.Label }

// UpdateApplication alters an application; what is not given stays.
type UpdateApplication struct {
	Application ApplicationRef `json:"application"`
	Label       *string        `json:"label,omitempty" doc:"what people call it"`
	Description *string        `json:"description,omitempty" doc:"what it is for, in plain words"`
	State       *State         `json:"state,omitempty" enum:"draft,rehearsal,live,retired" doc:"state"`
	Owner       *UserRef       `json:"owner,omitempty" doc:"its owner; blank for nobody"`
	Trial       *GroupRef      `json:"trial_group,omitempty" doc:"whose members are judged as if it were live while it is a draft; blank for none"`
	Actions     []Action       `json:"actions,omitempty" doc:"all actions it shall declare"`
	Direct      *Direct        `json:"direct_assignments,omitempty" enum:",warned,refused" doc:"whether roles are given to users themselves: blank for welcome"`
}

// Verb implements Operation.
func (*UpdateApplication) Verb() string { return "update_application" }

func (o UpdateApplication) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	id, ok := d.application("application", &o.Application)
	if !ok {
		return
	}
	if id == AbleRoster {
		d.fault("application", "able-roster is built in")
		return
	}
	if !d.need(ActUpdate, d.ApplicationPath(id), "update the application %s", d.Application(id).Key) {
		return
	}
	old := d.Application(id)
	a := *old
	set(&a.Label, o.Label)
	set(&a.Description, o.Description)
	set(&a.State, o.State)
	d.checkTexts(&a.Label, a.Key, a.Description)
	switch a.State {
	case StateDraft, StateRehearsal, StateLive, StateRetired:
	default:
		d.fault("state", "is draft, rehearsal, live or retired")
	}
	if set(&a.Direct, o.Direct); a.Direct != DirectWelcome && a.Direct != DirectWarned && a.Direct != DirectRefused {
		d.fault("direct_assignments", "is warned, refused, or blank for welcome")
	}
	d.owner(&a.Owner, &o.Owner)
	other("trial_group", &a.Trial, &o.Trial, d.group)
	if o.Actions != nil {
		d.checkActions(o.Actions)
		a.Actions = o.Actions
	}
	if a.Label == old.Label && a.Description == old.Description && a.State == old.State && a.Trial == old.Trial && a.Owner == old.Owner && a.Direct == old.Direct && slices.Equal(a.Actions, old.Actions) {
		d.note(AlreadySo, d.applications.At(int(id)).touched)
		return
	}
	d.put(&a)
	return settled
}

// Sentence implements Operation.
func (o *UpdateApplication) Sentence(s *Snapshot, n Names) string {
	id, _ := s.FindApplication(string(o.Application))
	what := "Updated the application " + s.Application(id).Label
	if o.State != nil {
		what += ", now " + string(*o.State)
	}
	if o.Owner != nil {
		what += answeredBy(s, n, *o.Owner)
	}
	if o.Direct != nil {
		what += map[Direct]string{DirectWelcome: ", direct assignments welcome", DirectWarned: ", direct assignments warned about", DirectRefused: ", direct assignments refused"}[*o.Direct]
	}
	return what
}

// answeredBy says who answers for something from now on.
func answeredBy(s *Snapshot, n Names, ref UserRef) string {
	id, ok := s.FindUser(string(ref))
	if !ok {
		return ", no owner"
	}
	return ", owned by " + n.UserName(id)
}
