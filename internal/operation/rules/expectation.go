package rules

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/record"
)

func init() {
	change.Register(&SetExpectation{}, "Add an expectation, or edit the one with the key")
	change.Register(&EndExpectation{}, "End an expectation")
}

// SetExpectation writes an expectation, or alters the one with the key: what it
// shall be from now on is said in full.
type SetExpectation struct {
	Key         string                `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string                `json:"label,omitempty" doc:"a plain sentence; made from the rest by default"`
	Description string                `json:"description,omitempty" doc:"why it must keep holding"`
	User        change.UserRef        `json:"user,omitempty" doc:"whom it is about: a user"`
	Group       change.GroupRef       `json:"group,omitempty" doc:"or each member of a group"`
	Except      bool                  `json:"except,omitempty" doc:"or everybody but the members of that group, and whoever is not signed in"`
	Nobody      bool                  `json:"nobody,omitempty" doc:"or nobody signed in"`
	WouldBe     fact.WouldBe          `json:"would_be,omitzero" doc:"or a new user who is like this, on their first day"`
	Application change.ApplicationRef `json:"application"`
	Action      string                `json:"action"`
	Pattern     string                `json:"pattern" doc:"a path whose segments may contain *; what lies below is meant too"`
	May         bool                  `json:"may,omitempty" doc:"they may, on all of it; else they may not, on any of it"`
	Blocking    bool                  `json:"blocking,omitempty" doc:"refuse what would break it; else warn"`
	Owner       change.UserRef        `json:"owner,omitempty" doc:"its owner; its author by default"`

	Expectation change.ExpectationRef `json:"expectation,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*SetExpectation) Verb() string { return "set_expectation" }

// ApplyTo implements change.Operation.
func (o SetExpectation) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write expectations") {
		return
	}
	var old *fact.Expectation
	if id, there := record.FindExpectation(&d.Snapshot, o.Key); there && d.MaySee(fact.FactExpectation, uint32(id)) {
		old = record.Expectation(&d.Snapshot, id)
	}
	before := len(d.Faults)
	f := &fact.Expectation{Key: o.Key, Description: o.Description, Action: o.Action, Pattern: o.Pattern, May: o.May, Blocking: o.Blocking}
	if m := d.CheckKey(o.Key); m != "" {
		d.Fault("key", "%s", m)
	}
	f.Of = o.subjects(d)
	f.Application, _ = d.SettleApplication("application", &o.Application)
	if a := d.Application(f.Application); a != nil && !access.Declares(a, o.Action) {
		d.Fault("action", "%s declares no action “%s”", a.Key, o.Action)
	}
	if err := patterns.CheckPattern(o.Pattern); err != nil {
		d.Fault("pattern", "%s", err)
	}
	switch {
	case o.Owner != "":
		f.Owner, _ = d.SettleUser("owner", &o.Owner)
	case old != nil:
		f.Owner = old.Owner
	default:
		f.Owner = d.Author
	}
	if old == nil && standingExpectations(d) >= fact.MostExpectations {
		d.Fault("", "%d expectations stand, and there is no room for more: end some first", fact.MostExpectations)
	}
	if m := fact.CheckLabel(o.Label, 500); m != "" {
		d.Fault("label", "%s", m)
	}
	d.CheckTexts(new(string), o.Key, o.Description)
	if len(d.Faults) > before {
		return
	}
	f.Label = o.Label
	if old != nil {
		d.Reads(fact.FactExpectation, old.Row())
		f.ID = old.ID
		o.Expectation = change.ExpectationRef(f.ID.String())
		if same := *old; !old.Ended && sameExpectation(&same, f) {
			d.Note(change.AlreadySo, old.Opened)
			return
		}
	} else {
		f.ID = fact.ExpectationID(d.Allocate(fact.FactExpectation))
	}
	o.Expectation = change.ExpectationRef(f.ID.String())
	d.Put(f)
	return settled
}

func sameExpectation(a, b *fact.Expectation) bool {
	x, y := *a, *b
	x.Lifetime, y.Lifetime = fact.Lifetime{}, fact.Lifetime{}
	return x == y
}

func standingExpectations(d *change.Draft) (n int) {
	for _, f := range record.Expectations(&d.Snapshot) {
		if !f.Ended {
			n++
		}
	}
	return n
}

// wouldBe is about how many users who are not there yet expectations are.
func wouldBe(d *change.Draft) int {
	out := map[fact.WouldBe]bool{}
	for _, f := range record.Expectations(&d.Snapshot) {
		if !f.Ended && f.Of.WouldBe.Given() {
			out[f.Of.WouldBe] = true
		}
	}
	return len(out)
}

// subjects settles whom it is about.
func (o *SetExpectation) subjects(d *change.Draft) (of fact.Subjects) {
	n := 0
	for _, given := range []bool{o.User != "", o.Group != "", o.Nobody, o.WouldBe.Given()} {
		if given {
			n++
		}
	}
	switch {
	case n != 1:
		d.Fault("user", "or group, nobody or would_be: say exactly one of them")
	case o.Except && o.Group == "":
		d.Fault("except", "needs a group")
	case o.Nobody:
		of.Nobody = true
	case o.WouldBe.Given():
		of.WouldBe = o.WouldBe
		d.CheckWouldBe("would_be", of.WouldBe)
		if d.Replays || slices.ContainsFunc(record.Expectations(&d.Snapshot), func(f *fact.Expectation) bool { return !f.Ended && f.Of.WouldBe == of.WouldBe }) {
			break
		}
		if n := wouldBe(d); n >= fact.MostWouldBe {
			d.Fault("would_be", "expectations are about %d different new users, and there is no room for more: say one of those, or end some expectations first", n)
		}
	case o.User != "":
		of.User, _ = d.SettleUser("user", &o.User)
	default:
		of.Group, _ = d.SettleGroup("group", &o.Group)
		if of.Except = o.Except; of.Group == fact.PublicGroup {
			d.Fault("group", "public has no members of its own: say nobody, for nobody signed in, or all-users")
		}
	}
	return of
}

// Sentence implements change.Operation.
func (o *SetExpectation) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := record.FindExpectation(s, string(o.Expectation))
	f := record.Expectation(s, id)
	if f == nil {
		return "Wrote the expectation " + o.Key
	}
	return "Expects from now on: " + change.ExpectationWords(f, s, n)
}

// EndExpectation ends an expectation: nothing is refused or warned of for it any
// more.
type EndExpectation struct {
	Expectation change.ExpectationRef `json:"expectation" doc:"key or id"`
}

// Verb implements change.Operation.
func (*EndExpectation) Verb() string { return "end_expectation" }

// ApplyTo implements change.Operation.
func (o EndExpectation) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write expectations") {
		return
	}
	id, ok := record.FindExpectation(&d.Snapshot, string(o.Expectation))
	if !ok || !d.MaySee(fact.FactExpectation, uint32(id)) {
		d.Missing(fact.FactExpectation, "expectation", string(o.Expectation))
		return
	}
	d.Reads(fact.FactExpectation, uint32(id))
	f := *record.Expectation(&d.Snapshot, id)
	o.Expectation = change.ExpectationRef(id.String())
	if f.Ended {
		d.Note(change.AlreadySo, f.Opened)
		return
	}
	f.Ended = true
	d.Put(&f)
	return settled
}

// Sentence implements change.Operation.
func (o *EndExpectation) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := record.FindExpectation(s, string(o.Expectation))
	if f := record.Expectation(s, id); f != nil {
		return "No longer expects: " + change.ExpectationWords(f, s, n)
	}
	return "Ended an expectation"
}
