package roles

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/patterns"
)

func init() {
	change.Register(&AddApplication{}, "Register an application, with the root of its tree")
	change.Register(&UpdateApplication{}, "Edit an application; what is not given stays")
}

// AddApplication registers an application and the root of its tree.
type AddApplication struct {
	Key         string         `json:"key"`
	Label       string         `json:"label,omitempty" doc:"what people call it"`
	Description string         `json:"description,omitempty" doc:"what it is for, in plain words"`
	State       fact.State     `json:"state,omitempty" enum:"draft,rehearsal,live" doc:"draft by default"`
	Owner       change.UserRef `json:"owner,omitempty" doc:"its owner"`
	Actions     []fact.Action  `json:"actions" doc:"the words that can be done in it"`
	Open        bool           `json:"open,omitempty" doc:"nothing below the root need be registered"`

	Application change.ApplicationRef `json:"application,omitempty" set:"service"`
	Resource    change.ResourceRef    `json:"resource,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddApplication) Verb() string { return "add_application" }

// ApplyTo implements change.Operation.
func (o AddApplication) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	before := len(d.Faults)
	if m := d.CheckKey(o.Key); m != "" {
		d.Fault("key", "%s", m)
	} else if !d.Need(access.ActCreate, patterns.Join("applications", o.Key), "add applications") {
		d.Fails(fact.FactApplication, o.Key)
		return
	} else if id, taken := d.FindApplication(o.Key); taken {
		d.Taken("key", fact.FactApplication, uint32(id), o.Key, "keys")
	}
	d.CheckTexts(&o.Label, o.Key, o.Description)
	if o.State == "" {
		o.State = fact.StateDraft
	}
	if o.State != fact.StateDraft && o.State != fact.StateRehearsal && o.State != fact.StateLive {
		d.Fault("state", "is draft, rehearsal or live for a new application")
	}
	checkActions(d, o.Actions)
	var owner fact.UserID
	if o.Owner != "" {
		owner, _ = d.SettleUser("owner", &o.Owner)
	}
	if len(d.Faults) > before {
		d.Fails(fact.FactApplication, o.Key)
		return
	}
	a := &fact.Application{ID: fact.ApplicationID(d.Allocate(fact.FactApplication)), Key: o.Key, Label: o.Label,
		Description: o.Description, State: o.State, Actions: o.Actions, Owner: owner}
	o.Application = change.ApplicationRef(a.ID.String())
	d.Put(a)
	r := &fact.Resource{ID: fact.ResourceID(d.Allocate(fact.FactResource)), Application: a.ID, Path: patterns.Root, NodeKind: "application", Label: o.Label, Open: o.Open}
	o.Resource = change.ResourceRef(r.ID.String())
	d.Put(r)
	return settled
}

func checkActions(d *change.Draft, actions []fact.Action) {
	if len(actions) == 0 {
		d.Fault("actions", "names no action: nothing could be protected")
	}
	if len(actions) > access.MostActions {
		d.Fault("actions", "names more than %d actions", access.MostActions)
	}
	for i, a := range actions {
		if m := d.CheckKey(a.Key); m != "" {
			d.Fault("actions", "%q %s", a.Key, m)
		}
		if m := cmp.Or(fact.CheckLabel(a.Label, 200), fact.CheckLabel(a.Description, 2000)); m != "" {
			d.Fault("actions", "what %q is called %s", a.Key, m)
		}
		if slices.ContainsFunc(actions[:i], func(b fact.Action) bool { return a.Key == b.Key }) {
			d.Fault("actions", "names %q twice", a.Key)
		}
	}
}

// Sentence implements change.Operation.
func (o *AddApplication) Sentence(*access.Snapshot, change.Names) string {
	return "Added the application " + o.Label
}

// UpdateApplication alters an application; what is not given stays.
type UpdateApplication struct {
	Application change.ApplicationRef `json:"application"`
	Label       *string               `json:"label,omitempty" doc:"what people call it"`
	Description *string               `json:"description,omitempty" doc:"what it is for, in plain words"`
	State       *fact.State           `json:"state,omitempty" enum:"draft,rehearsal,live,retired" doc:"state"`
	Owner       *change.UserRef       `json:"owner,omitempty" doc:"its owner; blank for nobody"`
	Trial       *change.GroupRef      `json:"trial_group,omitempty" doc:"whose members are judged as if it were live while it is a draft; blank for none"`
	Actions     []fact.Action         `json:"actions,omitempty" doc:"all actions it shall declare"`
	Direct      *fact.Direct          `json:"direct_assignments,omitempty" enum:",warned,refused" doc:"whether roles are given to users themselves: blank for welcome"`
}

// Verb implements change.Operation.
func (*UpdateApplication) Verb() string { return "update_application" }

// ApplyTo implements change.Operation.
func (o UpdateApplication) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleApplication("application", &o.Application)
	if !ok {
		return
	}
	if id == fact.AbleRoster {
		d.Fault("application", "able-roster is built in")
		return
	}
	if !d.Need(access.ActUpdate, d.ApplicationPath(id), "update the application %s", d.Application(id).Key) {
		return
	}
	old := d.Application(id)
	a := *old
	fact.SetIf(&a.Label, o.Label)
	fact.SetIf(&a.Description, o.Description)
	fact.SetIf(&a.State, o.State)
	d.CheckTexts(&a.Label, a.Key, a.Description)
	switch a.State {
	case fact.StateDraft, fact.StateRehearsal, fact.StateLive, fact.StateRetired:
	default:
		d.Fault("state", "is draft, rehearsal, live or retired")
	}
	if fact.SetIf(&a.Direct, o.Direct); a.Direct != fact.DirectWelcome && a.Direct != fact.DirectWarned && a.Direct != fact.DirectRefused {
		d.Fault("direct_assignments", "is warned, refused, or blank for welcome")
	}
	settle.Owner(d, &a.Owner, &o.Owner)
	settle.Other("trial_group", &a.Trial, &o.Trial, d.SettleGroup)
	if o.Actions != nil {
		checkActions(d, o.Actions)
		a.Actions = o.Actions
	}
	if a.Label == old.Label && a.Description == old.Description && a.State == old.State && a.Trial == old.Trial && a.Owner == old.Owner && a.Direct == old.Direct && slices.Equal(a.Actions, old.Actions) {
		d.Note(change.AlreadySo, d.ApplicationTable.At(int(id)).Touched)
		return
	}
	d.Put(&a)
	return settled
}

// Sentence implements change.Operation.
func (o *UpdateApplication) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindApplication(string(o.Application))
	what := "Updated the application " + s.Application(id).Label
	if o.State != nil {
		what += ", now " + string(*o.State)
	}
	if o.Owner != nil {
		what += answeredBy(s, n, *o.Owner)
	}
	if o.Direct != nil {
		what += map[fact.Direct]string{fact.DirectWelcome: ", direct assignments welcome", fact.DirectWarned: ", direct assignments warned about", fact.DirectRefused: ", direct assignments refused"}[*o.Direct]
	}
	return what
}

// answeredBy says who answers for something from now on.
func answeredBy(s *access.Snapshot, n change.Names, ref change.UserRef) string {
	id, ok := s.FindUser(string(ref))
	if !ok {
		return ", no owner"
	}
	return ", owned by " + n.UserName(id)
}
