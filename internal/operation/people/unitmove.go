package people

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/record"
)

func init() {
	change.Register(&MoveUnit{}, "Move a unit, or rename it, with all below it: its people and groups move too, and what names it names it where it is then")
	change.Register(&MergeUnit{}, "Merge a unit into another: its people, its groups and the units below it move there, and it ends")
}

// MoveUnit moves a unit with its people. Rules that name it choose whom they chose.
type MoveUnit struct {
	Unit change.UnitRef `json:"unit" doc:"its path or id"`
	To   string         `json:"to" doc:"its path from then on: the unit above is there already"`

	From string `json:"from,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*MoveUnit) Verb() string { return "move_unit" }

// ApplyTo implements change.Operation.
func (o MoveUnit) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", describesUnits) {
		return
	}
	old, ok := d.SettleUnit("unit", &o.Unit)
	if !ok {
		return
	}
	if old.Path == o.To {
		d.Note(change.AlreadySo, old.Since())
		return
	}
	before := len(d.Faults)
	switch {
	case fact.InUnit(o.To, old.Path):
		d.Fault("to", "lies in the unit itself")
	case d.UnitAt(o.To) != nil:
		d.Fault("to", "“%s” is a unit already: merge into it instead", o.To)
	default:
		newPath(d, "to", o.To)
	}
	moved := below(d, old)
	for _, u := range moved {
		if d.CheckUnitText(fact.MovedUnit(u.Path, old.Path, o.To)) != "" {
			d.Fault("to", "would leave %s too deep below the top", u.Label)
			break
		}
	}
	o.From = old.Path
	if !needMove(d, o.From, o.To) || len(d.Faults) > before {
		return
	}
	for _, u := range moved {
		at := *u
		at.Path = fact.MovedUnit(u.Path, o.From, o.To)
		d.PutUnit(&at)
	}
	rename(d, o.From, o.To)
	movePeople(d, o.From, o.To)
	return settled
}

// below is a unit with all below it that have not ended.
func below(d *change.Draft, unit *fact.Unit) []*fact.Unit {
	return slices.DeleteFunc(d.Units(), func(u *fact.Unit) bool { return u.Ended || !fact.InUnit(u.Path, unit.Path) })
}

// needMove asks for the rights to move all that is in a unit.
func needMove(d *change.Draft, from, to string) bool {
	may := true
	for i, path := range registerPaths(from) {
		may = d.Need(access.ActUpdate, path, "move all that is in %s", from) && may
		may = d.Need(access.ActUpdate, registerPaths(to)[i], "move people and groups to %s", to) && may
	}
	return may
}

// movePeople moves users and groups from a unit, and what is below it, to another path.
func movePeople(d *change.Draft, from, to string) {
	for i := range d.UserTable.Len() {
		d.Rest(i)
		r := d.UserTable.At(i)
		if r == nil || r.Fact == nil || !fact.InUnit(r.Fact.Unit, from) {
			continue
		}
		u := *r.Fact
		u.Unit = fact.MovedUnit(u.Unit, from, to)
		d.FillAgain(&u)
		d.Put(&u)
	}
	for _, f := range access.RecordFactsOf[*fact.Positions](&d.Snapshot, fact.FactPositions) {
		if !slices.ContainsFunc(f.List, func(p fact.Position) bool { return fact.InUnit(p.Unit, from) }) {
			continue
		}
		b := &fact.Positions{User: f.User, List: slices.Clone(f.List), Made: f.Made}
		for i := range b.List {
			b.List[i].Unit = fact.MovedUnit(b.List[i].Unit, from, to)
		}
		d.Put(b)
	}
	for g := range d.Groups() {
		if fact.InUnit(g.Unit, from) {
			b := *g
			b.Unit = fact.MovedUnit(g.Unit, from, to)
			d.Put(&b)
		}
	}
}

// rename has all that names a unit name it by another path.
func rename(d *change.Draft, from, to string) {
	at := func(unit string) string { return fact.MovedUnit(unit, from, to) }
	var groups []fact.Group
	for g := range d.Groups() {
		groups = append(groups, *g)
	}
	for _, g := range groups {
		b := g
		b.HeldWithin, b.Filter = at(g.HeldWithin), fact.FilterAfterMove(g.Filter, from, to)
		if b != g {
			d.Put(&b)
		}
	}
	var roles []fact.Role
	for r := range d.Roles() {
		roles = append(roles, *r)
	}
	for _, r := range roles {
		b := r
		if b.HeldWithin = at(r.HeldWithin); b != r {
			d.Put(&b)
		}
		rewriteRights(d, r.ID, from, to)
	}
	for _, f := range record.Defaults(&d.Snapshot) {
		if text := fact.FilterAfterMove(f.Filter, from, to); text != f.Filter {
			b := *f
			b.Filter = text
			d.Put(&b)
		}
	}
	for _, f := range record.Expectations(&d.Snapshot) {
		if unit := at(f.Of.WouldBe.Unit); unit != f.Of.WouldBe.Unit {
			b := *f
			b.Of.WouldBe.Unit = unit
			d.Put(&b)
		}
	}
	for _, f := range record.SignUpRules(&d.Snapshot) {
		if unit := at(f.Unit); unit != f.Unit {
			b := *f
			b.Unit = unit
			d.Put(&b)
		}
	}
	for _, f := range record.TeamRules(&d.Snapshot) {
		b := *f
		b.Filter, b.People, b.Guests.Unit = fact.FilterAfterMove(f.Filter, from, to), at(f.People), at(f.Guests.Unit)
		if !f.Says(&b) {
			d.Put(&b)
		}
	}
	for _, f := range access.RecordFactsOf[*fact.MachineAccount](&d.Snapshot, fact.FactMachineAccount) {
		if text := fact.FilterAfterMove(f.Filter, from, to); text != f.Filter {
			b := *f
			b.Filter = text
			d.Put(&b)
			d.SourcesChange()
		}
	}
	for _, f := range d.Freezes() {
		if slices.ContainsFunc(f.Units, func(u string) bool { return at(u) != u }) {
			b := *f
			b.Units = slices.Clone(f.Units)
			for i, u := range b.Units {
				b.Units[i] = at(u)
			}
			b.Units = settle.SortedOnce(b.Units)
			d.Put(&b)
		}
	}
	for _, f := range d.Attributes() {
		if f.Fill != nil && slices.ContainsFunc(f.Fill.Units, func(x fact.UnitFill) bool { return at(x.Unit) != x.Unit }) {
			b := *f
			b.Fill = f.Fill.Copied()
			for i := range b.Fill.Units {
				b.Fill.Units[i].Unit = at(b.Fill.Units[i].Unit)
			}
			d.Put(&b)
		}
	}
}

// rewriteRights has the rights over a unit, in a role and in the scopes of whoever holds it,
// be rights over it where it is then.
func rewriteRights(d *change.Draft, role fact.RoleID, from, to string) {
	for _, p := range slices.Clone(d.RolePermissions(role)) {
		if pattern, is := afterMove(p.Application, p.Pattern, from, to); is {
			b := *p
			b.ID, b.Pattern = fact.PermissionID(d.Allocate(fact.FactPermission)), pattern
			d.End(p)
			d.Put(&b)
		}
	}
	var scoped []*fact.Assignment
	rec := d.RoleTable.At(int(role))
	for i := range rec.Holders.Len() {
		a := d.Assignment(rec.Holders.Get(i))
		if slices.ContainsFunc(a.Scopes, func(s fact.Scope) bool { _, is := afterMove(s.Application, s.Pattern, from, to); return is }) {
			scoped = append(scoped, a)
		}
	}
	slices.SortFunc(scoped, func(a, b *fact.Assignment) int { return int(a.ID) - int(b.ID) })
	for _, a := range scoped {
		b := *a
		b.ID, b.Scopes = fact.AssignmentID(d.Allocate(fact.FactAssignment)), slices.Clone(a.Scopes)
		for i, s := range b.Scopes {
			if pattern, is := afterMove(s.Application, s.Pattern, from, to); is {
				b.Scopes[i].Pattern = pattern
			}
		}
		slices.SortFunc(b.Scopes, fact.Scope.Compare)
		d.End(a)
		d.Put(&b)
	}
}

// afterMove is a pattern of Able Roster's own tree after a unit was moved; is says whether it
// names that unit.
func afterMove(app fact.ApplicationID, pattern, from, to string) (now string, is bool) {
	if app != fact.AbleRoster {
		return pattern, false
	}
	for i, path := range registerPaths(from) {
		if fact.InUnit(pattern, path) {
			return registerPaths(to)[i] + pattern[len(path):], true
		}
	}
	return pattern, false
}

// Sentence implements change.Operation.
func (o *MoveUnit) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Moved the unit " + unitLabel(s, o.Unit) + " from " + o.From + " to " + o.To
}

// MergeUnit merges a unit into another. What its own rules gave is given no longer: rules
// that name it are edited first, in the same change too.
type MergeUnit struct {
	Unit change.UnitRef `json:"unit" doc:"its path or id"`
	Into change.UnitRef `json:"into" doc:"path or id of the other"`

	From string `json:"from,omitempty" set:"service"`
	To   string `json:"to,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*MergeUnit) Verb() string { return "merge_unit" }

// ApplyTo implements change.Operation.
func (o MergeUnit) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", describesUnits) {
		return
	}
	old, ok := d.SettleUnit("unit", &o.Unit)
	into, ok2 := d.SettleUnit("into", &o.Into)
	if !ok || !ok2 {
		return
	}
	before := len(d.Faults)
	o.From, o.To = old.Path, into.Path
	if fact.InUnit(into.Path, old.Path) {
		d.Fault("into", "is the unit itself, or lies in it")
	}
	moved := below(d, old)
	for _, u := range moved {
		to := fact.MovedUnit(u.Path, o.From, o.To)
		if u != old && d.UnitAt(to) != nil {
			d.Fault("into", "has “%s” already: merge %s into it first", to, u.Path)
		} else if d.CheckUnitText(to) != "" {
			d.Fault("into", "would leave %s too deep below the top", u.Label)
		}
	}
	unnamed(d, old, false)
	if !needMove(d, o.From, o.To) || len(d.Faults) > before {
		return
	}
	for _, u := range moved {
		at := *u
		if at.Path = fact.MovedUnit(u.Path, o.From, o.To); u == old {
			at.Path, at.Ended = u.Path, true
		}
		d.PutUnit(&at)
	}
	movePeople(d, o.From, o.To)
	return settled
}

// Sentence implements change.Operation.
func (o *MergeUnit) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Merged the unit " + unitLabel(s, o.Unit) + " into " + unitLabel(s, o.Into)
}

// unnamed files the faults of what names a unit that shall end, or one below it: nobody could
// say any more whom that means. With groups, those that lie in it count too.
func unnamed(d *change.Draft, unit *fact.Unit, groups bool) {
	said := 0
	file := func(format string, args ...any) {
		if said++; said <= 20 {
			d.Fault("unit", format, args...)
		}
	}
	in := func(path string) bool { return fact.InUnit(path, unit.Path) }
	for g := range d.Groups() {
		switch {
		case in(g.HeldWithin) || fact.NamesUnit(g.Filter, unit.Path):
			file("the group %s names %s: edit it first, in this change too", g.Label, unit.Path)
		case groups && in(g.Unit):
			file("the group %s is in %s: move it first", g.Label, unit.Path)
		}
	}
	for r := range d.Roles() {
		if !r.Retired && in(r.HeldWithin) {
			file("the role %s may be held only within %s: edit it first, in this change too", r.Label, unit.Path)
		}
		for _, p := range d.RolePermissions(r.ID) {
			if _, is := afterMove(p.Application, p.Pattern, unit.Path, ""); is && !r.Retired {
				file("the role %s gives rights over %s: edit it first, in this change too", r.Label, unit.Path)
			}
		}
	}
	for _, f := range record.Defaults(&d.Snapshot) {
		if !f.Ended && fact.NamesUnit(f.Filter, unit.Path) {
			file("the default rule %s names %s: edit it first, in this change too", f.Label, unit.Path)
		}
	}
	for _, f := range access.RecordFactsOf[*fact.MachineAccount](&d.Snapshot, fact.FactMachineAccount) {
		if fact.NamesUnit(f.Filter, unit.Path) {
			file("what comes from the machine account %s names %s: edit it first, in this change too", d.User(f.User).UserName, unit.Path)
		}
	}
	for _, f := range record.Expectations(&d.Snapshot) {
		if !f.Ended && in(f.Of.WouldBe.Unit) {
			file("the expectation %s is about a new user in %s: edit it first, in this change too", f.Key, unit.Path)
		}
	}
	for _, f := range record.SignUpRules(&d.Snapshot) {
		if !f.Ended && in(f.Unit) {
			file("the sign-up rule for %s adds users to %s: edit it first, in this change too", f.Domain, unit.Path)
		}
	}
	for _, f := range record.TeamRules(&d.Snapshot) {
		if !f.Ended && (fact.NamesUnit(f.Filter, unit.Path) || f.People != "" && in(f.People) || f.Invites && in(f.Guests.Unit)) {
			file("the team rule %s names %s: edit it first, in this change too", f.Label, unit.Path)
		}
	}
	for _, f := range d.Freezes() {
		if !f.Ended && !f.Window.Over(d.At()) && slices.ContainsFunc(f.Units, in) {
			file("the freeze %s is about %s: edit it first", f.Label, unit.Path)
		}
	}
	if said > 20 {
		d.Fault("unit", "and %s more name %s", fact.Count(said-20, "thing"), unit.Path)
	}
}
