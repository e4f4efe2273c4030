package access

import "ableroster/internal/patterns"

func init() {
	Register(&SetExpectation{}, "Add an expectation, or edit the one with the key")
	Register(&EndExpectation{}, "End an expectation")
}

// SetExpectation writes an expectation, or alters the one with the key: what it
// shall be from now on is said in full.
type SetExpectation struct {
	Key         string         `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string         `json:"label,omitempty" doc:"a plain sentence; made from the rest by default"`
	Description string         `json:"description,omitempty" doc:"why it must keep holding"`
	User        UserRef        `json:"user,omitempty" doc:"whom it is about: a user"`
	Group       GroupRef       `json:"group,omitempty" doc:"or each member of a group"`
	Except      bool           `json:"except,omitempty" doc:"or everybody but the members of that group, nobody signed in too"`
	Nobody      bool           `json:"nobody,omitempty" doc:"or nobody signed in"`
	Application ApplicationRef `json:"application"`
	Action      string         `json:"action"`
	Pattern     string         `json:"pattern" doc:"a path whose segments may contain *; what lies below is meant too"`
	May         bool           `json:"may,omitempty" doc:"they may, on all of it; else they may not, on any of it"`
	Blocking    bool           `json:"blocking,omitempty" doc:"refuse what would break it; else warn"`
	Owner       UserRef        `json:"owner,omitempty" doc:"its owner; its author by default"`

	Expectation ExpectationRef `json:"expectation,omitempty" set:"service"`
}

// Verb implements Operation.
func (*SetExpectation) Verb() string { return "set_expectation" }

// ApplyTo implements Operation.
func (o SetExpectation) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	if !d.need(ActUpdate, "settings", "write expectations") {
		return
	}
	var old *Expectation
	if id, there := d.FindExpectation(o.Key); there && d.visible(FactExpectation, uint32(id)) {
		old = d.Expectation(id)
	}
	before := len(d.Faults)
	f := &Expectation{Key: o.Key, Description: o.Description, Action: o.Action, Pattern: o.Pattern, May: o.May, Blocking: o.Blocking}
	if m := d.checkKey(o.Key); m != "" {
		d.fault("key", "%s", m)
	}
	f.Of = o.subjects(d)
	f.Application, _ = d.application("application", &o.Application)
	if a := d.Application(f.Application); a != nil && !a.declares(o.Action) {
		d.fault("action", "%s declares no action “%s”", a.Key, o.Action)
	}
	if err := patterns.CheckPattern(o.Pattern); err != nil {
		d.fault("pattern", "%s", err)
	}
	switch {
	case o.Owner != "":
		f.Owner, _ = d.user("owner", &o.Owner)
	case old != nil:
		f.Owner = old.Owner
	default:
		f.Owner = d.Author
	}
	if old == nil && d.standingExpectations() >= mostExpectations {
		d.fault("", "%d expectations stand, and there is no room for more: end some first", mostExpectations)
	}
	if m := checkLabel(o.Label, 500); m != "" {
		d.fault("label", "%s", m)
	}
	d.checkTexts(new(string), o.Key, o.Description)
	if len(d.Faults) > before {
		return
	}
	f.Label = o.Label
	if old != nil {
		d.read(FactExpectation, old.Row())
		f.ID = old.ID
		o.Expectation = ExpectationRef(f.ID.String())
		if same := *old; !old.Ended && sameExpectation(&same, f) {
			d.note(AlreadySo, old.Opened)
			return
		}
	} else {
		f.ID = ExpectationID(d.allocate(FactExpectation))
	}
	o.Expectation = ExpectationRef(f.ID.String())
	d.PutRecord(f)
	return settled
}

func sameExpectation(a, b *Expectation) bool {
	x, y := *a, *b
	x.Lifetime, y.Lifetime = Lifetime{}, Lifetime{}
	return x == y
}

func (d *Draft) standingExpectations() (n int) {
	for _, f := range d.Expectations() {
		if !f.Ended {
			n++
		}
	}
	return n
}

// subjects settles whom it is about.
func (o *SetExpectation) subjects(d *Draft) (of Subjects) {
	n := 0
	for _, given := range []bool{o.User != "", o.Group != "", o.Nobody} {
		if given {
			n++
		}
	}
	switch {
	case n != 1:
		d.fault("user", "or group or nobody: say exactly one of them")
	case o.Except && o.Group == "":
		d.fault("except", "needs a group")
	case o.Nobody:
		of.Nobody = true
	case o.User != "":
		of.User, _ = d.user("user", &o.User)
	default:
		of.Group, _ = d.group("group", &o.Group)
		if of.Except = o.Except; of.Group == PublicGroup {
			d.fault("group", "public has no members of its own: say nobody, for nobody signed in, or all-users")
		}
	}
	return of
}

// Sentence implements Operation.
func (o *SetExpectation) Sentence(s *Snapshot, n Names) string {
	id, _ := s.FindExpectation(string(o.Expectation))
	f := s.Expectation(id)
	if f == nil {
		return "Wrote the expectation " + o.Key
	}
	return "Expects from now on: " + f.Words(s, n)
}

// EndExpectation ends an expectation: nothing is refused or warned of for it any
// more.
type EndExpectation struct {
	Expectation ExpectationRef `json:"expectation" doc:"key or id"`
}

// Verb implements Operation.
func (*EndExpectation) Verb() string { return "end_expectation" }

// ApplyTo implements Operation.
func (o EndExpectation) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	if !d.need(ActUpdate, "settings", "write expectations") {
		return
	}
	id, ok := d.FindExpectation(string(o.Expectation))
	if !ok || !d.visible(FactExpectation, uint32(id)) {
		d.missing(FactExpectation, "expectation", string(o.Expectation))
		return
	}
	d.read(FactExpectation, uint32(id))
	f := *d.Expectation(id)
	o.Expectation = ExpectationRef(id.String())
	if f.Ended {
		d.note(AlreadySo, f.Opened)
		return
	}
	f.Ended = true
	d.PutRecord(&f)
	return settled
}

// Sentence implements Operation.
func (o *EndExpectation) Sentence(s *Snapshot, n Names) string {
	id, _ := s.FindExpectation(string(o.Expectation))
	if f := s.Expectation(id); f != nil {
		return "No longer expects: " + f.Words(s, n)
	}
	return "Ended an expectation"
}
