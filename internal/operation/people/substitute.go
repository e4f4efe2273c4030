package people

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/operation/settle"
)

func init() {
	change.Register(&AddSubstitute{}, "Add a substitute: somebody who decides on requests and reviews in a user's place for a time")
	change.Register(&EndSubstitute{}, "End a substitute of a user, at once or on a day")
}

// AddSubstitute has somebody decide in a user's place for a time: whoever updates the user names
// them, and the user themselves. Whoever names them could give all that is decided.
type AddSubstitute struct {
	User       change.UserRef `json:"user" doc:"whose duties they are: user name or id"`
	Substitute change.UserRef `json:"substitute" doc:"who decides in their place: user name or id"`
	Start      calendar.Date  `json:"start_date" flag:"start" doc:"first day, YYYY-MM-DD"`
	End        calendar.Date  `json:"end_date" flag:"end" doc:"last day, YYYY-MM-DD"`

	Number int `json:"number,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddSubstitute) Verb() string { return "add_substitute" }

// ApplyTo implements change.Operation.
func (o AddSubstitute) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	u := settleOwnDuties(d, &o.User)
	if u == nil {
		return
	}
	who, ok := d.SettleUser("substitute", &o.Substitute)
	if !ok || !checkDays(d, o.Start, o.End) {
		return
	}
	before, s := len(d.Faults), d.User(who)
	list := d.Substitutes(u.ID)
	switch {
	case o.End == 0:
		d.Fault("end_date", "is missing: a substitute is for a time")
	case o.End < settle.Today(d):
		d.Judged("end_date", "is over already")
	}
	switch {
	case who == u.ID:
		d.Fault("substitute", "is the same user")
	case s.UserKind != fact.Person:
		d.Fault("substitute", "%s is a machine account: people decide", s.UserName)
	case s.Status == fact.Departed:
		d.Judged("substitute", "%s has departed", s.UserName)
	}
	if u.Status == fact.Departed {
		d.Judged("user", "%s has departed", u.UserName)
	}
	if len(list.Listed()) >= fact.MostPositions {
		d.Judged("user", "%s has %s already: end one of them first", u.UserName, fact.Count(fact.MostPositions, "substitute"))
	}
	if len(d.Faults) > before {
		return
	}
	for _, was := range list.Listed() {
		if was.User == who && was.Start == o.Start && was.End == o.End {
			o.Number = was.Number
			d.Note(change.AlreadySo, list.Since())
			return
		}
	}
	next := &fact.Substitutes{User: u.ID}
	if list != nil {
		next.List, next.Made = slices.Clone(list.List), list.Made
	}
	next.Made++
	o.Number = next.Made
	next.List = append(next.List, fact.Substitute{Number: next.Made, User: who, Start: o.Start, End: o.End})
	d.Put(next)
	return settled
}

// Sentence implements change.Operation.
func (o *AddSubstitute) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	who, _ := s.FindUser(string(o.Substitute))
	return n.UserName(who) + " decides in the place of " + n.UserName(id) + " from " + o.Start.Words() + " to " + o.End.Words()
}

// EndSubstitute ends what somebody does in a user's place.
type EndSubstitute struct {
	User   change.UserRef `json:"user" doc:"whose duties they are: user name or id"`
	Number int            `json:"number" doc:"the substitute's number among the user's"`
	End    calendar.Date  `json:"end_date,omitzero" flag:"end" doc:"the last day from now on, sooner or later than it was; without one it ends at once"`
}

// Verb implements change.Operation.
func (*EndSubstitute) Verb() string { return "end_substitute" }

// ApplyTo implements change.Operation.
func (o EndSubstitute) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	u := settleOwnDuties(d, &o.User)
	if u == nil {
		return
	}
	list := d.Substitutes(u.ID)
	x := list.Find(o.Number)
	if x == nil {
		d.Fault("number", "%s has no substitute of this number", u.UserName)
		return
	}
	next := &fact.Substitutes{User: u.ID, List: slices.Clone(list.List), Made: list.Made}
	if o.End != 0 {
		if !checkDays(d, x.Start, o.End) {
			return
		}
		if x.End == o.End {
			d.Note(change.AlreadySo, list.Since())
			return
		}
		next.Find(o.Number).End = o.End
	} else {
		next.List = slices.DeleteFunc(next.List, func(y fact.Substitute) bool { return y.Number == o.Number })
	}
	d.Put(next)
	return settled
}

// Sentence implements change.Operation.
func (o *EndSubstitute) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	if o.End != 0 {
		return "A substitute of " + n.UserName(id) + " decides until " + o.End.Words()
	}
	return "Ended a substitute of " + n.UserName(id)
}

// settleOwnDuties settles a user who names their own substitutes, or whom the author may update.
func settleOwnDuties(d *change.Draft, ref *change.UserRef) *fact.User {
	id, ok := d.SettleUser("user", ref)
	if !ok {
		return nil
	}
	if u := d.User(id); id == d.Author || d.Need(access.ActUpdate, access.UserPath(u), "update %s", u.UserName) {
		return u
	}
	return nil
}

// succeedAsSubstitute has somebody else decide wherever a user does in the place of others; nobody
// where to is 0. What the author may not know of stays, unless may is nil.
func succeedAsSubstitute(d *change.Draft, from, to fact.UserID, may func(*fact.Substitutes) bool) {
	for _, of := range held.EverStandsInFor(&d.Snapshot, from, d.At()) {
		if f := d.Substitutes(of); may == nil || may(f) {
			d.Put(f.Succeeded(from, to))
		}
	}
}
