package people

import (
	"slices"
	"strconv"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/patterns"
)

func init() {
	change.Register(&AddUnit{}, "Add an organisational unit below one that is there, or at the top")
	change.Register(&UpdateUnit{}, "Edit the label, the head or the attributes of a unit; what is not given stays")
	change.Register(&EndUnit{}, "End a unit that nobody is in any more")
	change.Register(&AdoptUnits{}, "Make a unit of each place that people and groups are in, where units were free texts until now")
}

const describesUnits = "describe the units of the organisation"

// AddUnit adds a unit to the organisation's tree.
type AddUnit struct {
	Path  string         `json:"path" doc:"where it is, such as marine/pilotage: the units above it are there already"`
	Label string         `json:"label,omitempty" doc:"what people call it; the last part of its path by default"`
	Head  change.UserRef `json:"head,omitempty" doc:"who leads it; blank: whoever leads the unit above"`

	Custom map[string]string `json:"custom,omitempty" doc:"values of declared attributes of units, by key"`

	Unit change.UnitRef `json:"unit,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddUnit) Verb() string { return "add_unit" }

// ApplyTo implements change.Operation.
func (o AddUnit) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", describesUnits) {
		d.Fails(fact.FactUnit, o.Path)
		return
	}
	before := len(d.Faults)
	newPath(d, "path", o.Path)
	label := o.Path
	if p := fact.UnitAbove(o.Path); p != "" {
		label = o.Path[len(p)+1:]
	}
	d.CheckTexts(&o.Label, label, "")
	u := &fact.Unit{Path: o.Path, Label: o.Label}
	if o.Head != "" {
		u.Head = head(d, &o.Head)
	}
	o.Custom = customOfUnit(d, u, o.Custom)
	for _, f := range d.UnitAttributes() {
		if f.Required && !f.Retired && u.Custom.Get(f.Key) == "" {
			d.Judged("custom."+f.Key, "is required of every unit (%s)", f.Label)
		}
	}
	if len(d.Faults) > before {
		d.Fails(fact.FactUnit, o.Path)
		return
	}
	u.ID = fact.UnitID(d.Allocate(fact.FactUnit))
	o.Unit = change.UnitRef(u.ID.String())
	d.PutUnit(u)
	return settled
}

// newPath files the faults of a path at which a unit shall be from now on.
func newPath(d *change.Draft, field, path string) bool {
	switch wrong := d.CheckUnitText(path); {
	case wrong != "":
		d.Fault(field, "%s", wrong)
	case strings.ToLower(path) != path:
		d.Fault(field, "must be lower-case keys joined by /")
	case d.UnitAt(path) != nil:
		d.Fault(field, "“%s” is a unit already", path)
	case fact.UnitAbove(path) != "" && d.UnitAt(fact.UnitAbove(path)) == nil:
		d.Missing(fact.FactUnit, field, fact.UnitAbove(path))
	default:
		return true
	}
	return false
}

// head settles who leads a unit: somebody who can.
func head(d *change.Draft, ref *change.UserRef) fact.UserID {
	id, ok := d.SettleUser("head", ref)
	if !ok {
		return 0
	}
	if u := d.User(id); u.UserKind != fact.Person || u.Status == fact.Departed {
		d.Judged("head", "%s is no person who is there", u.UserName)
	}
	return id
}

// Sentence implements change.Operation.
func (o *AddUnit) Sentence(*access.Snapshot, change.Names) string {
	return "Added the unit " + o.Label + " (" + o.Path + ")"
}

// customOfUnit sets the values of a unit that are given, a blank one clears, and files their faults.
func customOfUnit(d *change.Draft, u *fact.Unit, given map[string]string) (settled map[string]string) {
	for _, key := range sortedKeys(given) {
		field := "custom." + key
		f := d.DeclaredAttribute(key)
		if f == nil || f.Retired || !f.OfUnits {
			d.Fault(field, "is no declared attribute of units%s", attributesThere(d.UnitAttributes()))
			continue
		}
		text, ok := normal(d, field, f, given[key])
		switch {
		case !ok:
		case text == "" && f.Required:
			d.Fault(field, "is required of every unit")
		default:
			u.Custom = u.Custom.With(f, text)
			settled = change.WithEntry(settled, f.Key, text)
		}
	}
	return settled
}

// UpdateUnit alters what a unit is called, who leads it, and its attributes.
type UpdateUnit struct {
	Unit  change.UnitRef  `json:"unit" doc:"its path or id"`
	Label *string         `json:"label,omitempty" doc:"what people call it"`
	Head  *change.UserRef `json:"head,omitempty" doc:"who leads it; blank: whoever leads the unit above"`

	Custom map[string]string `json:"custom,omitempty" doc:"values of declared attributes of units, by key; a blank one clears"`
}

// Verb implements change.Operation.
func (*UpdateUnit) Verb() string { return "update_unit" }

// ApplyTo implements change.Operation.
func (o UpdateUnit) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", describesUnits) {
		return
	}
	old, ok := d.SettleUnit("unit", &o.Unit)
	if !ok {
		return
	}
	alterUnit(d, old, func(u *fact.Unit) {
		fact.SetIf(&u.Label, o.Label)
		d.CheckTexts(&u.Label, u.Path, "")
		o.Custom = customOfUnit(d, u, o.Custom)
		if o.Head == nil {
			return
		}
		ref := *o.Head
		if u.Head = 0; ref != "" {
			u.Head = head(d, &ref)
		}
		o.Head = &ref
	})
	return settled
}

// alterUnit is alter for a unit.
func alterUnit(d *change.Draft, old *fact.Unit, do func(*fact.Unit)) {
	if u := settle.Alter(d, old, do); u != nil {
		d.PutUnit(u)
	}
}

// Sentence implements change.Operation.
func (o *UpdateUnit) Sentence(s *access.Snapshot, n change.Names) string {
	label := unitLabel(s, o.Unit)
	if o.Head == nil {
		return "Updated the unit " + label
	}
	id, _ := s.FindUser(string(*o.Head))
	if id == 0 {
		return "The unit " + label + " is led by nobody of its own"
	}
	return "Made " + n.UserName(id) + " head of " + label
}

// unitLabel is what people call a unit that an applied operation names.
func unitLabel(s *access.Snapshot, ref change.UnitRef) string {
	n, _ := fact.ParseID("unit", string(ref))
	if u := s.Unit(fact.UnitID(n)); u != nil {
		return u.Label
	}
	return string(ref)
}

// EndUnit ends a unit. Its past stays.
type EndUnit struct {
	Unit change.UnitRef `json:"unit" doc:"its path or id"`
}

// Verb implements change.Operation.
func (*EndUnit) Verb() string { return "end_unit" }

// ApplyTo implements change.Operation.
func (o EndUnit) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", describesUnits) {
		return
	}
	old, ok := d.SettleUnit("unit", &o.Unit)
	if !ok {
		return
	}
	before := len(d.Faults)
	for _, u := range d.Units() {
		if !u.Ended && u != old && fact.InUnit(u.Path, old.Path) {
			d.Fault("unit", "%s has units below it: move, merge or end %s first", old.Label, u.Path)
			break
		}
	}
	if n := peopleIn(d, old.Path); n > 0 {
		d.Fault("unit", "%s in %s: move them first, or merge the unit into another", peopleAre(n), old.Label)
	}
	unnamed(d, old, true)
	if len(d.Faults) > before {
		return
	}
	alterUnit(d, old, func(u *fact.Unit) { u.Ended = true })
	return settled
}

// peopleIn is how many users who have not departed are in a unit or below it, by a position too.
func peopleIn(d *change.Draft, path string) (n int) {
	for u := range d.Users() {
		if u.Status != fact.Departed && fact.InUnit(u.Unit, path) {
			n++
		}
	}
	d.EachRecordFact(fact.FactPositions, func(f fact.RecordFact) bool {
		p := f.(*fact.Positions)
		if u := d.User(p.User); u.Status != fact.Departed && !fact.InUnit(u.Unit, path) && slices.ContainsFunc(p.List, func(p fact.Position) bool { return !p.Former && fact.InUnit(p.Unit, path) }) {
			n++
		}
		return true
	})
	return n
}

func peopleAre(n int) string {
	if n == 1 {
		return "1 person is"
	}
	return strconv.Itoa(n) + " people are"
}

// Sentence implements change.Operation.
func (o *EndUnit) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Ended the unit " + unitLabel(s, o.Unit)
}

// AdoptUnits describes the units of an organisation that had free texts for them.
type AdoptUnits struct {
	Units []change.UnitRef `json:"units,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AdoptUnits) Verb() string { return "adopt_units" }

// ApplyTo implements change.Operation.
func (o AdoptUnits) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	o.Units = nil
	if !d.Need(access.ActUpdate, "settings", describesUnits) {
		return
	}
	used := map[string]bool{}
	use := func(unit string) {
		for ; d.CheckUnitText(unit) == ""; unit = fact.UnitAbove(unit) {
			used[unit] = true
		}
	}
	for u := range d.Users() {
		use(u.Unit)
	}
	for g := range d.Groups() {
		use(g.Unit)
		use(g.HeldWithin)
	}
	for r := range d.Roles() {
		use(r.HeldWithin)
	}
	var paths []string
	for path := range used {
		if d.UnitAt(path) == nil {
			paths = append(paths, path)
		}
	}
	slices.Sort(paths)
	for _, path := range paths {
		u := &fact.Unit{ID: fact.UnitID(d.Allocate(fact.FactUnit)), Path: path, Label: path[strings.LastIndexByte(path, '/')+1:]}
		o.Units = append(o.Units, change.UnitRef(u.ID.String()))
		d.PutUnit(u)
	}
	if len(paths) == 0 {
		d.Note(change.AlreadySo, 0)
	}
	return settled
}

// Sentence implements change.Operation.
func (o *AdoptUnits) Sentence(*access.Snapshot, change.Names) string {
	return "Made " + fact.Count(len(o.Units), "unit") + " of the places that people and groups are in"
}

// registerPaths are the parts of Able Roster's own tree that are those of a unit.
func registerPaths(unit string) []string {
	return []string{patterns.Join("users", unit), patterns.Join("groups", unit)}
}
