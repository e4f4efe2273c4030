package roles

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

func init() {
	change.Register(&AddResource{}, "Register a resource; its parent must be registered")
	change.Register(&UpdateResource{}, "Edit a registered resource; what is not given stays")
	change.Register(&AddFence{}, "Add a fence: permissions written for something wider do not reach what it covers")
	change.Register(&RemoveFence{}, "Remove a fence")
}

// AddResource registers a resource; its parent must be registered.
type AddResource struct {
	Application change.ApplicationRef `json:"application"`
	Path        string                `json:"path"`
	NodeKind    string                `json:"kind,omitempty" doc:"in your own words: screen, register, report"`
	Label       string                `json:"label,omitempty" doc:"what people call it"`
	Description string                `json:"description,omitempty" doc:"what it is for, in plain words"`
	Open        bool                  `json:"open,omitempty" doc:"what lies below need not be registered"`
	Addresses   []string              `json:"addresses,omitempty" doc:"where the application serves it, such as /moorings/{berth}, or with a method before it and an action after it"`

	Resource change.ResourceRef `json:"resource,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddResource) Verb() string { return "add_resource" }

// ApplyTo implements change.Operation.
func (o AddResource) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	app, ok := d.SettleApplication("application", &o.Application)
	if !ok {
		return
	}
	if !d.Need(access.ActUpdate, d.ApplicationPath(app), "update the application %s", d.Application(app).Key) {
		return
	}
	before := len(d.Faults)
	if app == fact.AbleRoster {
		d.Fault("application", "the tree of able-roster is built in")
	}
	if err := patterns.CheckPath(o.Path); err != nil {
		d.Fault("path", "%s", err)
	} else if _, taken := d.FindResource(app, o.Path); taken {
		d.Fault("path", "“%s” is registered already", o.Path)
	} else if _, ok := d.FindResource(app, patterns.ParentPath(o.Path)); !ok {
		d.Fault("path", "the parent “%s” is not registered", patterns.ParentPath(o.Path))
	}
	d.CheckTexts(&o.Label, o.Path, o.Description)
	checkServed(d, o.NodeKind, o.Addresses)
	if len(d.Faults) == before {
		checkAddresses(d, app, nil, o.Addresses)
	}
	if len(d.Faults) > before {
		return
	}
	r := &fact.Resource{ID: fact.ResourceID(d.Allocate(fact.FactResource)), Application: app, Path: o.Path, NodeKind: o.NodeKind,
		Label: o.Label, Description: o.Description, Open: o.Open, Addresses: o.Addresses}
	o.Resource = change.ResourceRef(r.ID.String())
	d.Put(r)
	return settled
}

// mostAddresses bounds the addresses under which a resource is served.
const mostAddresses = 50

// checkServed checks the kind of a resource and its addresses.
func checkServed(d *change.Draft, kind string, addresses []string) {
	if m := fact.CheckLabel(kind, 64); m != "" {
		d.Fault("kind", "%s", m)
	}
	if len(addresses) > mostAddresses {
		d.Fault("addresses", "are more than %d", mostAddresses)
		return
	}
	for i, a := range addresses {
		if m := fact.CheckLabel(a, 500); m != "" {
			d.Fault("addresses", "number %d %s", i+1, m)
		} else if a == "" {
			d.Fault("addresses", "number %d is blank", i+1)
		} else if slices.Contains(addresses[:i], a) {
			d.Fault("addresses", "“%s” is given twice", a)
		}
	}
}

// checkAddresses refuses addresses that have no form, or that another resource of the
// application has for the same. Those that a resource has already stay.
func checkAddresses(d *change.Draft, app fact.ApplicationID, old *fact.Resource, addresses []string) {
	var all []patterns.Address
	for i, text := range addresses {
		x, err := patterns.ParseAddress(text)
		if err != nil {
			if old == nil || !slices.Contains(old.Addresses, text) {
				d.Judged("addresses", "number %d %s", i+1, err)
			}
			continue
		}
		if x.Action != "" && !access.Declares(d.Application(app), x.Action) {
			d.Judged("addresses", "“%s”: %s declares no action “%s”", text, d.Application(app).Key, x.Action)
		}
		if r := d.ServedAt(app, x); r != nil && (old == nil || r.ID != old.ID) {
			d.Judged("addresses", "“%s” is one of %s already: which of the two is meant could not be told", text, r.Path)
		}
		for _, y := range all {
			if slices.Equal(x.Shapes(), y.Shapes()) {
				d.Judged("addresses", "“%s” is given twice in other words", text)
			}
		}
		all = append(all, x)
	}
}

// Sentence implements change.Operation.
func (o *AddResource) Sentence(s *access.Snapshot, _ change.Names) string {
	id, _ := s.FindApplication(string(o.Application))
	return "Registered " + o.Path + " in " + s.Application(id).Label
}

// UpdateResource alters a registered resource; what is not given stays.
type UpdateResource struct {
	Application change.ApplicationRef `json:"application"`
	Path        string                `json:"path"`
	Label       *string               `json:"label,omitempty" doc:"what people call it"`
	Description *string               `json:"description,omitempty" doc:"what it is for, in plain words"`
	NodeKind    *string               `json:"kind,omitempty"`
	Open        *bool                 `json:"open,omitempty" doc:"what lies below need not be registered"`
	Retired     *bool                 `json:"retired,omitempty" doc:"as unregistered, with all below it"`
	Addresses   []string              `json:"addresses,omitempty" doc:"all addresses under which it is served"`

	Resource change.ResourceRef `json:"resource,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*UpdateResource) Verb() string { return "update_resource" }

// ApplyTo implements change.Operation.
func (o UpdateResource) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	app, ok := d.SettleApplication("application", &o.Application)
	if !ok {
		return
	}
	if !d.Need(access.ActUpdate, d.ApplicationPath(app), "update the application %s", d.Application(app).Key) {
		return
	}
	if app == fact.AbleRoster {
		d.Fault("application", "the tree of able-roster is built in")
		return
	}
	old, ok := d.FindResource(app, o.Path)
	if !ok {
		d.Fault("path", "“%s” is not registered", o.Path)
		return
	}
	r := *old
	fact.SetIf(&r.Label, o.Label)
	fact.SetIf(&r.Description, o.Description)
	fact.SetIf(&r.NodeKind, o.NodeKind)
	fact.SetIf(&r.Open, o.Open)
	fact.SetIf(&r.Retired, o.Retired)
	if o.Addresses != nil {
		r.Addresses = o.Addresses
	}
	d.CheckTexts(&r.Label, r.Path, r.Description)
	before := len(d.Faults)
	if checkServed(d, r.NodeKind, r.Addresses); len(d.Faults) == before && (o.Addresses != nil || old.Retired && !r.Retired) {
		checkAddresses(d, app, old, r.Addresses)
	}
	if r.Path == patterns.Root && r.Retired {
		d.Fault("retired", "the root is never retired; retire the application")
	}
	o.Resource = change.ResourceRef(r.ID.String())
	if r.Label == old.Label && r.Description == old.Description && r.NodeKind == old.NodeKind && r.Open == old.Open &&
		r.Retired == old.Retired && slices.Equal(r.Addresses, old.Addresses) {
		d.Note(change.AlreadySo, d.ApplicationTable.At(int(app)).Touched)
		return
	}
	d.Put(&r)
	return settled
}

// Sentence implements change.Operation.
func (o *UpdateResource) Sentence(s *access.Snapshot, _ change.Names) string {
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
	Application change.ApplicationRef `json:"application"`
	Pattern     string                `json:"pattern" doc:"not the root"`
	Actions     []string              `json:"actions" doc:"declared actions, or * for all, later ones too"`
	Reason      string                `json:"why,omitempty" doc:"why it is there, for whoever runs into it"`

	Fence change.FenceRef `json:"fence,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddFence) Verb() string { return "add_fence" }

// ApplyTo implements change.Operation.
func (o AddFence) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	app, ok := d.SettleApplication("application", &o.Application)
	if !ok {
		return
	}
	if !d.Need(access.ActUpdate, d.ApplicationPath(app), "update the application %s", d.Application(app).Key) {
		return
	}
	before := len(d.Faults)
	if app == fact.AbleRoster {
		d.Fault("application", "able-roster has no fences")
	}
	if err := patterns.CheckPattern(o.Pattern); err != nil {
		d.Fault("pattern", "%s", err)
	} else if o.Pattern == patterns.Root {
		d.Fault("pattern", "a fence is not on the root")
	}
	if len(o.Actions) == 0 {
		d.Fault("actions", "names no action")
	}
	o.Actions = slices.Compact(slices.Sorted(slices.Values(o.Actions)))
	for _, a := range o.Actions {
		if f := d.Application(app); a != fact.AllActions && !access.Declares(f, a) {
			d.Fault("actions", "%s declares no action “%s”", f.Key, a)
		}
	}
	if m := fact.CheckLabel(o.Reason, 500); m != "" {
		d.Fault("why", "%s", m)
	}
	if len(d.Faults) > before {
		return
	}
	for _, f := range d.Fences(app) {
		if f.Pattern == o.Pattern && slices.Equal(f.Actions, o.Actions) {
			o.Fence = change.FenceRef(f.ID.String())
			d.Note(change.AlreadySo, d.ApplicationTable.At(int(app)).Touched)
			return
		}
	}
	f := &fact.Fence{ID: fact.FenceID(d.Allocate(fact.FactFence)), Application: app, Pattern: o.Pattern, Actions: o.Actions, Reason: o.Reason}
	o.Fence = change.FenceRef(f.ID.String())
	d.Put(f)
	return settled
}

// Sentence implements change.Operation.
func (o *AddFence) Sentence(s *access.Snapshot, _ change.Names) string {
	id, _ := s.FindApplication(string(o.Application))
	return "Fenced " + o.Pattern + " in " + s.Application(id).Label + " for " + fenceWords(o.Actions)
}

func fenceWords(actions []string) string {
	if slices.Contains(actions, fact.AllActions) {
		return "all actions"
	}
	return fact.ActionWords(actions)
}

// RemoveFence takes a fence away.
type RemoveFence struct {
	Fence change.FenceRef `json:"fence" doc:"its id"`

	Application change.ApplicationRef `json:"application,omitempty" set:"service"`
	Pattern     string                `json:"pattern,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*RemoveFence) Verb() string { return "remove_fence" }

// ApplyTo implements change.Operation.
func (o RemoveFence) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	n, _ := fact.ParseID("fence", string(o.Fence))
	f := d.Fence(fact.FenceID(n))
	if f == nil || !d.MaySee(fact.FactApplication, uint32(f.Application)) {
		d.Fault("fence", "there is no fence “%s”", o.Fence)
		return
	}
	d.Reads(fact.FactApplication, uint32(f.Application))
	if !d.Need(access.ActUpdate, d.ApplicationPath(f.Application), "update the application %s", d.Application(f.Application).Key) {
		return
	}
	o.Application, o.Pattern = change.ApplicationRef(f.Application.String()), f.Pattern
	d.End(f)
	return settled
}

// Sentence implements change.Operation.
func (o *RemoveFence) Sentence(s *access.Snapshot, _ change.Names) string {
	id, _ := s.FindApplication(string(o.Application))
	return "Removed the fence on " + o.Pattern + " in " + s.Application(id).Label
}
