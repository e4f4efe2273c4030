package people

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/record"
)

func init() {
	change.Register(&AddPosition{}, "Add a position that a user has for a time, beside their own")
	change.Register(&EndPosition{}, "End a position of a user, at once or on a day")
}

// AddPosition gives a user a place for a time, beside their own.
type AddPosition struct {
	User     change.UserRef `json:"user" doc:"user name or id"`
	Unit     string         `json:"unit" doc:"where they stand in, or are sent to"`
	Title    string         `json:"title,omitempty" doc:"their title there"`
	Location string         `json:"location,omitempty" doc:"where they work then"`
	Start    calendar.Date  `json:"start_date" flag:"start" doc:"first day, YYYY-MM-DD"`
	End      calendar.Date  `json:"end_date" flag:"end" doc:"last day, YYYY-MM-DD"`

	Position int `json:"position,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddPosition) Verb() string { return "add_position" }

// ApplyTo implements change.Operation.
func (o AddPosition) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	u := settleUpdated(d, "user", &o.User)
	if u == nil {
		return
	}
	before := len(d.Faults)
	p := fact.Position{Unit: o.Unit, Title: o.Title, Location: o.Location, Start: o.Start, End: o.End}
	if o.Unit == "" {
		d.Fault("unit", "is missing")
	} else if d.CheckUnit("unit", o.Unit) {
		if !mayPlace(d, &p, u) {
			return
		}
		d.KnownUnit("unit", o.Unit)
	}
	for _, x := range []struct{ field, text string }{{"title", o.Title}, {"location", o.Location}} {
		if m := fact.CheckWords(x.text, 200); m != "" {
			d.Fault(x.field, "%s", m)
		}
	}
	checkDays(d, o.Start, o.End)
	if o.End == 0 {
		d.Fault("end_date", "is missing: a position is for a time")
	}
	if u.Status == fact.Departed {
		d.Judged("user", "%s has departed", u.UserName)
	}
	list := d.Positions(u.ID)
	if len(list.Listed()) >= fact.MostPositions {
		d.Judged("user", "%s has %s already: end one of them first", u.UserName, fact.Count(fact.MostPositions, "position"))
	}
	if len(d.Faults) > before {
		return
	}
	for _, was := range list.Listed() {
		if number := was.Number; !was.Former {
			if was.Number = 0; was == p {
				o.Position = number
				d.Note(change.AlreadySo, list.Since())
				return
			}
		}
	}
	next := list.With(u.ID, p)
	o.Position = next.Made
	d.Put(next)
	return settled
}

// mayPlace asks for the right to give users a position in its unit.
func mayPlace(d *change.Draft, p *fact.Position, u *fact.User) bool {
	return d.Need(access.ActUpdate, access.UserPath(p.In(u)), "give users a position in %s", p.Unit)
}

// Sentence implements change.Operation.
func (o *AddPosition) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	as := ""
	if o.Title != "" {
		as = " as " + o.Title
	}
	return "Gave " + n.UserName(id) + " a position in " + o.Unit + as + " from " + o.Start.Words() + " to " + o.End.Words()
}

// EndPosition ends a position.
type EndPosition struct {
	User     change.UserRef `json:"user" doc:"user name or id"`
	Position int            `json:"position" doc:"its number among the user's positions"`
	End      calendar.Date  `json:"end_date,omitzero" flag:"end" doc:"its last day from now on, sooner or later than it was; without one it ends at once"`
}

// Verb implements change.Operation.
func (*EndPosition) Verb() string { return "end_position" }

// ApplyTo implements change.Operation.
func (o EndPosition) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	u := settleUpdated(d, "user", &o.User)
	if u == nil {
		return
	}
	list := d.Positions(u.ID)
	p := list.Find(o.Position)
	if p == nil {
		d.Fault("position", "%s has no position of this number", u.UserName)
		return
	}
	if !mayPlace(d, p, u) {
		return
	}
	next := list.Without(func(x fact.Position) bool { return x.Number == o.Position })
	if o.End != 0 {
		if !checkDays(d, p.Start, o.End) {
			return
		}
		if p.End == o.End {
			d.Note(change.AlreadySo, list.Since())
			return
		}
		next = &fact.Positions{User: u.ID, List: slices.Clone(list.List), Made: list.Made}
		next.Find(o.Position).End = o.End
	}
	d.Put(next)
	return settled
}

// Sentence implements change.Operation.
func (o *EndPosition) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	if o.End != 0 {
		return "A position of " + n.UserName(id) + " ends on " + o.End.Words()
	}
	return "Ended a position of " + n.UserName(id)
}

// settleUpdated settles a user whom the author may update, or files the fault or the need.
func settleUpdated(d *change.Draft, field string, ref *change.UserRef) *fact.User {
	id, ok := d.SettleUser(field, ref)
	if !ok {
		return nil
	}
	u := d.User(id)
	if !d.Need(access.ActUpdate, access.UserPath(u), "update %s", u.UserName) {
		return nil
	}
	return u
}

// checkDays files the faults of a first and a last day.
func checkDays(d *change.Draft, start, end calendar.Date) bool {
	before := len(d.Faults)
	if start == 0 {
		d.Fault("start_date", "is missing")
	}
	if end != 0 && end < start {
		d.Fault("end_date", "is before start_date")
	}
	return len(d.Faults) == before
}

// overlap has whoever moves keep their old place as a former position, for as long as some
// default rule lets what it gave overlap. The day of the move is settled once.
func overlap(d *change.Draft, old, u *fact.User, on *calendar.Date) {
	if u.Status == fact.Departed || old.Unit == u.Unit && old.Title == u.Title && old.Location == u.Location {
		return
	}
	longest := 0
	for _, f := range record.Defaults(&d.Snapshot) {
		if !f.Ended {
			longest = max(longest, f.OverlapDays)
		}
	}
	if longest == 0 {
		return
	}
	if *on == 0 {
		*on = settle.Today(d)
	}
	kept := d.Positions(u.ID).Without(func(x fact.Position) bool { return x.Former && x.End < *on })
	d.Put(kept.With(u.ID, fact.Position{Unit: old.Unit, Title: old.Title, Location: old.Location, Start: *on, End: *on + calendar.Date(longest), Former: true}))
}
