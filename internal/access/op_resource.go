package access

import (
	"slices"

	"ableroster/internal/patterns"
)

func init() {
	Register(&AddResource{}, "Register a resource; its parent must be registered")
	Register(&UpdateResource{}, "Edit a registered resource; what is not given stays")
	Register(&AddFence{}, "Add a fence: permissions written for something wider do not reach what it covers")
	Register(&RemoveFence{}, "Remove a fence")
}

// AddResource registers a resource; its parent must be registered.
type AddResource struct {
	Application ApplicationRef `json:"application"`
	Path        string         `json:"path"`
	NodeKind    string         `json:"kind,omitempty" doc:"in your own words: screen, register, report"`
	Label       string         `json:"label,omitempty" doc:"what people call it"`
	Description string         `json:"description,omitempty" doc:"what it is for, in plain words"`
	Open        bool           `json:"open,omitempty" doc:"what lies below need not be registered"`
	Addresses   []string       `json:"addresses,omitempty" doc:"where the application serves it"`

	Resource ResourceRef `json:"resource,omitempty" set:"service"`
}

// Verb implements Operation.
func (*AddResource) Verb() string { return "add_resource" }

func (o AddResource) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	app, ok := d.application("application", &o.Application)
	if !ok {
		return
	}
	if !d.need(ActUpdate, d.ApplicationPath(app), "update the application %s", d.Application(app).Key) {
		return
	}
	before := len(d.Faults)
	if app == AbleRoster {
		d.fault("application", "the tree of able-roster is built in")
	}
	if err := patterns.CheckPath(o.Path); err != nil {
		d.fault("path", "%s", err)
	} else if _, taken := d.FindResource(app, o.Path); taken {
		d.fault("path", "“%s” is registered already", o.Path)
	} else if _, ok := d.FindResource(app, patterns.ParentPath(o.Path)); !ok {
		d.fault("path", "the parent “%s” is not registered", patterns.ParentPath(o.Path))
	}
	d.checkTexts(&o.Label, o.Path, o.Description)
	d.checkServed(o.NodeKind, o.Addresses)
	if len(d.Faults) > before {
		return
	}
	r := &Resource{ID: ResourceID(d.allocate(FactResource)), Application: app, Path: o.Path, NodeKind: o.NodeKind,
		Label: o.Label, Description: o.Description, Open: o.Open, Addresses: o.Addresses}
	o.Resource = ResourceRef(r.ID.String())
	d.put(r)
	return settled
}

// mostAddresses bounds the addresses under which a resource is served.
const mostAddresses = 50

// checkServed checks the kind of a resource and its addresses.
func (d *Draft) checkServed(kind string, addresses []string) {
	if m := checkLabel(kind, 64); m != "" {
		d.fault("kind", "%s", m)
	}
	if len(addresses) > mostAddresses {
		d.fault("addresses", "are more than %d", mostAddresses)
		return
	}
	for i, a := range addresses {
		if m := checkLabel(a, 500); m != "" {
			d.fault("addresses", "number %d %s", i+1, m)
		} else if a == "" {
			d.fault("addresses", "number %d is blank", i+1)
		} else if slices.Contains(addresses[:i], a) {
			d.fault("addresses", "“%s” is given twice", a)
		}
	}
}

// Sentence implements Operation.
func (o *AddResource) Sentence(s *Snapshot, _ Names) string {
	id, _ := s.FindApplication(string(o.Application))
	return "Registered " + o.Path + " in " + s.Application(id).Label
}

// UpdateResource alters a registered resource; what is not given stays.
type UpdateResource struct {
	Application ApplicationRef `json:"application"`
	Path        string         `json:"path"`
	Label       *string        `json:"label,omitempty" doc:"what people call it"`
	Description *string        `json:"description,omitempty" doc:"what it is for, in plain words"`
	NodeKind    *string        `json:"kind,omitempty"`
	Open        *bool          `json:"open,omitempty" doc:"what lies below need not be registered"`
	Retired     *bool          `json:"retired,omitempty" doc:"as unregistered, with all below it"`
	Addresses   []string       `json:"addresses,omitempty" doc:"all addresses under which it is served"`

	Resource ResourceRef `json:"resource,omitempty" set:"service"`
}

// Verb implements Operation.
func (*UpdateResource) Verb() string { return "update_resource" }

func (o UpdateResource) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	app, ok := d.application("application", &o.Application)
	if !ok {
		return
	}
	if !d.need(ActUpdate, d.ApplicationPath(app), "update the application %s", d.Application(app).Key) {
		return
	}
	if app == AbleRoster {
		d.fault("application", "the tree of able-roster is built in")
		return
	}
	old, ok := d.FindResource(app, o.Path)
	if !ok {
		d.fault("path", "“%s” is not registered", o.Path)
		return
	}
	r := *old
	set(&r.Label, o.Label)
	set(&r.Description, o.Description)
	set(&r.NodeKind, o.NodeKind)
	set(&r.Open, o.Open)
	set(&r.Retired, o.Retired)
	if o.Addresses != nil {
		r.Addresses = o.Addresses
	}
	d.checkTexts(&r.Label, r.Path, r.Description)
	d.checkServed(r.NodeKind, r.Addresses)
	if r.Path == patterns.Root && r.Retired {
		d.fault("retired", "the root is never retired; retire the application")
	}
	o.Resource = ResourceRef(r.ID.String())
	if r.Label == old.Label && r.Description == old.Description && r.NodeKind == old.NodeKind && r.Open == old.Open &&
		r.Retired == old.Retired && slices.Equal(r.Addresses, old.Addresses) {
		d.note(AlreadySo, d.applications.At(int(app)).touched)
		return
	}
	d.put(&r)
	return settled
}

// Sentence implements Operation.
func (o *UpdateResource) Sentence(s *Snapshot, _ Names) string {
	id, _ := s.FindApplication(string(o.Application))
	verb := "Updated "
	if o.Retired != nil {
		verb = map[bool]string{true: "Retired ", false: "Brought back "}[*o.Retired]
	}
	return verb + o.Path + " in " + s.Application(id).Label
}

// AddFence marks what a pattern covers as not reached, for some actions, by
// permissions written for something wider.
type AddFence struct {
	Application ApplicationRef `json:"application"`
	Pattern     string         `json:"pattern" doc:"not the root"`
	Actions     []string       `json:"actions" doc:"declared actions, or * for all, later ones too"`
	Reason      string         `json:"why,omitempty" doc:"why it is there, for whoever runs into it"`

	Fence FenceRef `json:"fence,omitempty" set:"service"`
}

// Verb implements Operation.
func (*AddFence) Verb() string { return "add_fence" }

func (o AddFence) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	app, ok := d.application("application", &o.Application)
	if !ok {
		return
	}
	if !d.need(ActUpdate, d.ApplicationPath(app), "update the application %s", d.Application(app).Key) {
		return
	}
	before := len(d.Faults)
	if app == AbleRoster {
		d.fault("application", "able-roster has no fences")
	}
	if err := patterns.CheckPattern(o.Pattern); err != nil {
		d.fault("pattern", "%s", err)
	} else if o.Pattern == patterns.Root {
		d.fault("pattern", "a fence is not on the root")
	}
	if len(o.Actions) == 0 {
		d.fault("actions", "names no action")
	}
	o.Actions = slices.Compact(slices.Sorted(slices.Values(o.Actions)))
	for _, a := range o.Actions {
		if f := d.Application(app); a != AllActions && !f.declares(a) {
			d.fault("actions", "%s declares no action “%s”", f.Key, a)
		}
	}
	if m := checkLabel(o.Reason, 500); m != "" {
		d.fault("why", "%s", m)
	}
	if len(d.Faults) > before {
		return
	}
	for _, f := range d.Fences(app) {
		if f.Pattern == o.Pattern && slices.Equal(f.Actions, o.Actions) {
			o.Fence = FenceRef(f.ID.String())
			d.note(AlreadySo, d.applications.At(int(app)).touched)
			return
		}
	}
	f := &Fence{ID: FenceID(d.allocate(FactFence)), Application: app, Pattern: o.Pattern, Actions: o.Actions, Reason: o.Reason}
	o.Fence = FenceRef(f.ID.String())
	d.put(f)
	return settled
}

// Sentence implements Operation.
func (o *AddFence) Sentence(s *Snapshot, _ Names) string {
	id, _ := s.FindApplication(string(o.Application))
	return "Fenced " + o.Pattern + " in " + s.Application(id).Label + " for " + fenceWords(o.Actions)
}

func fenceWords(actions []string) string {
	if slices.Contains(actions, AllActions) {
		return "all actions"
	}
	return words(actions)
}

// RemoveFence takes a fence away.
type RemoveFence struct {
	Fence FenceRef `json:"fence" doc:"its id"`

	Application ApplicationRef `json:"application,omitempty" set:"service"`
	Pattern     string         `json:"pattern,omitempty" set:"service"`
}

// Verb implements Operation.
func (*RemoveFence) Verb() string { return "remove_fence" }

func (o RemoveFence) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	n, _ := ParseID("fence", string(o.Fence))
	f := d.Fence(FenceID(n))
	if f == nil || !d.visible(FactApplication, uint32(f.Application)) {
		d.fault("fence", "there is no fence “%s”", o.Fence)
		return
	}
	d.read(FactApplication, uint32(f.Application))
	if !d.need(ActUpdate, d.ApplicationPath(f.Application), "update the application %s", d.Application(f.Application).Key) {
		return
	}
	o.Application, o.Pattern = ApplicationRef(f.Application.String()), f.Pattern
	d.end(f)
	return settled
}

// Sentence implements Operation.
func (o *RemoveFence) Sentence(s *Snapshot, _ Names) string {
	id, _ := s.FindApplication(string(o.Application))
	return "Removed the fence on " + o.Pattern + " in " + s.Application(id).Label
}
