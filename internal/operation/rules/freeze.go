package rules

import (
	"reflect"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
)

func init() {
	change.Register(&SetFreeze{}, "Set a freeze, a time in which only who is let through changes access; or edit the one with the key")
	change.Register(&EndFreeze{}, "End a freeze: access may be changed again")
}

// SetFreeze sets a freeze, or alters the one with the key: what it shall be from now on is
// said in full.
type SetFreeze struct {
	Key   string `json:"key" doc:"lower-case words joined by hyphens"`
	Label string `json:"label,omitempty" doc:"what people call it"`
	Why   string `json:"why" doc:"told to whom it stops"`
	calendar.Window
	Applications    []change.ApplicationRef `json:"applications,omitempty" flag:"application" doc:"access to these alone; without one and without a unit: all"`
	Units           []string                `json:"units,omitempty" flag:"unit" doc:"access of people in these units and below alone"`
	LetThrough      []change.UserRef        `json:"let_through,omitempty" flag:"let-through" doc:"who may change access all the same"`
	LetThroughGroup change.GroupRef         `json:"let_through_group,omitempty" doc:"and the members of this group"`

	Freeze change.FreezeRef `json:"freeze,omitempty" set:"service"`
}

// mostFreezes bounds how many there are that have not ended: each is looked at by every change.
const mostFreezes = 50

// Verb implements change.Operation.
func (*SetFreeze) Verb() string { return "set_freeze" }

// ApplyTo implements change.Operation.
func (o SetFreeze) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "set freezes") {
		return
	}
	before := len(d.Faults)
	old, _ := access.FindKeyed[*fact.Freeze](&d.Snapshot, fact.FactFreeze, o.Key, access.Same)
	if m := d.CheckKey(o.Key); m != "" {
		d.Fault("key", "%s", m)
	}
	d.CheckTexts(&o.Label, o.Key, "")
	if o.Why == "" {
		d.Fault("why", "is missing: it is told to whom the freeze stops")
	} else if m := fact.CheckLabel(o.Why, 2000); m != "" {
		d.Fault("why", "%s", m)
	}
	if o.Until == 0 {
		d.Fault("until", "is missing: a freeze has an end")
	} else {
		d.CheckWindow(o.Window)
	}
	for _, u := range o.Units {
		if u == "" {
			d.Fault("units", "has a blank one: name none for all")
		} else if d.CheckUnit("units", u) {
			d.KnownUnit("units", u)
		}
	}
	f := &fact.Freeze{Key: o.Key, Label: o.Label, Why: o.Why, Window: o.Window, Units: settle.SortedOnce(o.Units),
		Applications: settle.Each("applications", &o.Applications, d.SettleApplication), LetThrough: settle.Each("let_through", &o.LetThrough, d.SettleUser)}
	if o.LetThroughGroup != "" {
		f.LetThroughGroup, _ = d.SettleGroup("let_through_group", &o.LetThroughGroup)
	}
	n := 0
	for _, x := range d.Freezes() {
		if !x.Ended && !x.Window.Over(d.At()) {
			n++
		}
	}
	if old == nil && n >= mostFreezes {
		d.Judged("", "so many freezes stand or are to come that there is no room for more: end some first")
	}
	if len(d.Faults) > before {
		return
	}
	if old != nil {
		d.Reads(fact.FactFreeze, old.Row())
		f.ID = old.ID
	} else {
		f.ID = fact.FreezeID(d.Allocate(fact.FactFreeze))
	}
	o.Freeze = change.FreezeRef(f.ID.String())
	if old != nil {
		if f.Lifetime = old.Lifetime; reflect.DeepEqual(f, old) {
			d.Note(change.AlreadySo, old.Since())
			return
		}
		f.Lifetime = fact.Lifetime{}
	}
	d.Put(f)
	return settled
}

// Sentence implements change.Operation.
func (o *SetFreeze) Sentence(s *access.Snapshot, _ change.Names) string {
	n, _ := fact.ParseID("freeze", string(o.Freeze))
	if f := s.Freeze(fact.FreezeID(n)); f != nil {
		return "Set the freeze " + o.Label + ": no changes to " + FrozenWords(s, f) + change.WindowWords(s, o.Window)
	}
	return "Set the freeze " + o.Label
}

// FrozenWords says what a freeze is about.
func FrozenWords(s *access.Snapshot, f *fact.Freeze) string {
	if f.All() {
		return "anybody's access"
	}
	var what []string
	for _, id := range f.Applications {
		if a := s.Application(id); a != nil {
			what = append(what, a.Label)
		}
	}
	for _, u := range f.Units {
		what = append(what, "people in "+u)
	}
	return fact.ActionWords(what)
}

// EndFreeze ends a freeze.
type EndFreeze struct {
	Freeze change.FreezeRef `json:"freeze" doc:"key or id"`
}

// Verb implements change.Operation.
func (*EndFreeze) Verb() string { return "end_freeze" }

// ApplyTo implements change.Operation.
func (o EndFreeze) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "end freezes") {
		return
	}
	if old, ok := change.SettleKeyed[*fact.Freeze](d, fact.FactFreeze, "freeze", &o.Freeze, access.Same, "%s has ended already"); ok {
		settle.Alter(d, old, func(f *fact.Freeze) { f.Ended = true })
	}
	return settled
}

// Sentence implements change.Operation.
func (o *EndFreeze) Sentence(s *access.Snapshot, _ change.Names) string {
	n, _ := fact.ParseID("freeze", string(o.Freeze))
	if f := s.Freeze(fact.FreezeID(n)); f != nil {
		return "Ended the freeze " + f.Label
	}
	return "Ended a freeze"
}
