package access

import (
	"slices"
	"time"
)

func init() {
	register(&SetOrganisation{})
	register(&AddApplication{})
	register(&UpdateApplication{})
	register(&AddResource{})
}

// SetOrganisation gives the organisation its name and time zone.
type SetOrganisation struct {
	Name     string `json:"name"`
	TimeZone string `json:"time_zone" doc:"IANA name; days begin in it"`
}

// Verb implements Operation.
func (*SetOrganisation) Verb() string { return "set_organisation" }

func (o *SetOrganisation) apply(d *Draft) {
	if m := checkLabel(o.Name, 200); m != "" || o.Name == "" {
		d.fault("name", "must be a text of at most 200 bytes")
	}
	if _, err := time.LoadLocation(o.TimeZone); err != nil || o.TimeZone == "" || o.TimeZone == "Local" {
		d.fault("time_zone", "“%s” is not a time zone such as Europe/Lisbon", o.TimeZone)
		return
	}
	d.need(ActUpdate, "settings", "update the settings")
	if d.organisation == (Organisation{o.Name, o.TimeZone}) {
		d.note(AlreadySo, 0)
		return
	}
	d.put(&Organisation{o.Name, o.TimeZone})
}

// Sentence implements Operation.
func (o *SetOrganisation) Sentence(*Snapshot, Names) string {
	return "Named the organisation " + o.Name + ", with days in " + o.TimeZone
}

// AddApplication registers an application and the root of its tree.
type AddApplication struct {
	Key         string   `json:"key"`
	Label       string   `json:"label,omitempty"`
	Description string   `json:"description,omitempty"`
	State       State    `json:"state,omitempty" enum:"draft,live" doc:"draft by default"`
	Actions     []Action `json:"actions" doc:"the words that can be done in it"`
	Open        bool     `json:"open,omitempty" doc:"nothing below the root need be registered"`

	Application ApplicationRef `json:"application,omitempty" doc:"set by the service"`
	Resource    ResourceRef    `json:"resource,omitempty" doc:"set by the service"`
}

// Verb implements Operation.
func (*AddApplication) Verb() string { return "add_application" }

func (o *AddApplication) settled() string {
	return named(ApplicationRef(string(o.Application)+string(o.Resource)), "application")
}

func (o *AddApplication) apply(d *Draft) {
	before := len(d.Faults)
	if m := checkKey(o.Key); m != "" {
		d.fault("key", "%s", m)
	} else if _, taken := d.FindApplication(o.Key); taken {
		d.fault("key", "“%s” is taken: keys are never reused", o.Key)
	}
	d.checkTexts(&o.Label, o.Key, o.Description)
	if o.State == "" {
		o.State = StateDraft
	}
	if o.State != StateDraft && o.State != StateLive {
		d.fault("state", "is draft or live for a new application")
	}
	d.checkActions(o.Actions)
	if len(d.Faults) > before {
		d.fail(FactApplication, o.Key)
		return
	}
	a := &Application{ID: ApplicationID(d.allocate(FactApplication)), Key: o.Key, Label: o.Label,
		Description: o.Description, State: o.State, Actions: o.Actions}
	o.Application = ApplicationRef(a.ID.String())
	d.put(a)
	r := &Resource{ID: ResourceID(d.allocate(FactResource)), Application: a.ID, Path: Root, NodeKind: "application", Label: o.Label, Open: o.Open}
	o.Resource = ResourceRef(r.ID.String())
	d.put(r)
	d.need(ActCreate, d.ApplicationPath(a.ID), "add applications")
}

func (d *Draft) checkActions(actions []Action) {
	if len(actions) == 0 {
		d.fault("actions", "names no action: nothing could be protected")
	}
	for i, a := range actions {
		if m := checkKey(a.Key); m != "" {
			d.fault("actions", "%q %s", a.Key, m)
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
	Label       *string        `json:"label,omitempty"`
	Description *string        `json:"description,omitempty"`
	State       *State         `json:"state,omitempty" enum:"draft,live,retired"`
	Actions     []Action       `json:"actions,omitempty" doc:"all actions it shall declare"`
}

// Verb implements Operation.
func (*UpdateApplication) Verb() string { return "update_application" }

func (o *UpdateApplication) apply(d *Draft) {
	id, ok := d.application("application", &o.Application)
	if !ok {
		return
	}
	if id == AbleRoster {
		d.fault("application", "able-roster is built in")
		return
	}
	old := d.Application(id)
	a := *old
	set(&a.Label, o.Label)
	set(&a.Description, o.Description)
	set(&a.State, o.State)
	d.checkTexts(&a.Label, a.Key, a.Description)
	if a.State != StateDraft && a.State != StateLive && a.State != StateRetired {
		d.fault("state", "is draft, live or retired")
	}
	if o.Actions != nil {
		d.checkActions(o.Actions)
		a.Actions = o.Actions
	}
	d.need(ActUpdate, d.ApplicationPath(id), "update the application %s", a.Key)
	if a.Label == old.Label && a.Description == old.Description && a.State == old.State && slices.Equal(a.Actions, old.Actions) {
		d.note(AlreadySo, d.applications.At(int(id)).touched)
		return
	}
	d.put(&a)
}

// Sentence implements Operation.
func (o *UpdateApplication) Sentence(s *Snapshot, _ Names) string {
	id, _ := s.FindApplication(string(o.Application))
	what := "Updated the application " + s.Application(id).Label
	if o.State != nil {
		what += ", now " + string(*o.State)
	}
	return what
}

// AddResource registers a resource; its parent must be registered.
type AddResource struct {
	Application ApplicationRef `json:"application"`
	Path        string         `json:"path"`
	NodeKind    string         `json:"kind,omitempty" doc:"in your own words: screen, register, report"`
	Label       string         `json:"label,omitempty"`
	Description string         `json:"description,omitempty"`
	Open        bool           `json:"open,omitempty" doc:"what lies below need not be registered"`
	Addresses   []string       `json:"addresses,omitempty" doc:"where the application serves it"`

	Resource ResourceRef `json:"resource,omitempty" doc:"set by the service"`
}

// Verb implements Operation.
func (*AddResource) Verb() string { return "add_resource" }

func (o *AddResource) settled() string { return named(o.Resource, "resource") }

func (o *AddResource) apply(d *Draft) {
	app, ok := d.application("application", &o.Application)
	if !ok {
		return
	}
	before := len(d.Faults)
	if app == AbleRoster {
		d.fault("application", "the tree of able-roster is built in")
	}
	if err := CheckPath(o.Path); err != nil {
		d.fault("path", "%s", err)
	} else if _, taken := d.FindResource(app, o.Path); taken {
		d.fault("path", "“%s” is registered already", o.Path)
	} else if _, ok := d.FindResource(app, parentPath(o.Path)); !ok {
		d.fault("path", "the parent “%s” is not registered", parentPath(o.Path))
	}
	d.checkTexts(&o.Label, o.Path, o.Description)
	if m := checkLabel(o.NodeKind, 64); m != "" {
		d.fault("kind", "%s", m)
	}
	if len(d.Faults) > before {
		return
	}
	d.need(ActUpdate, d.ApplicationPath(app), "update the application %s", d.Application(app).Key)
	r := &Resource{ID: ResourceID(d.allocate(FactResource)), Application: app, Path: o.Path, NodeKind: o.NodeKind,
		Label: o.Label, Description: o.Description, Open: o.Open, Addresses: o.Addresses}
	o.Resource = ResourceRef(r.ID.String())
	d.put(r)
}

// Sentence implements Operation.
func (o *AddResource) Sentence(s *Snapshot, _ Names) string {
	id, _ := s.FindApplication(string(o.Application))
	return "Registered " + o.Path + " in " + s.Application(id).Label
}
