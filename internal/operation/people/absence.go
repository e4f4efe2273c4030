package people

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() {
	change.Register(&AddAbsence{}, "Add a leave of absence: a user counts nowhere during it, and comes back by date")
	change.Register(&EndAbsence{}, "End a leave of absence, at once or on a day")
}

// AddAbsence has a user count nowhere for a time.
type AddAbsence struct {
	User  change.UserRef `json:"user" doc:"user name or id"`
	Start calendar.Date  `json:"start_date" flag:"start" doc:"first day, YYYY-MM-DD"`
	End   calendar.Date  `json:"end_date,omitzero" flag:"end" doc:"last day, YYYY-MM-DD; without one it lasts until it is ended"`

	Absence int `json:"absence,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddAbsence) Verb() string { return "add_absence" }

// ApplyTo implements change.Operation.
func (o AddAbsence) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	u := settleUpdated(d, "user", &o.User)
	if u == nil || !checkDays(d, o.Start, o.End) {
		return
	}
	list := d.Absences(u.ID)
	for _, was := range list.Listed() {
		if was.Start == o.Start && was.End == o.End {
			o.Absence = was.Number
			d.Note(change.AlreadySo, list.Since())
			return
		}
	}
	if u.Status == fact.Departed && !d.Judged("user", "%s has departed", u.UserName) {
		return
	}
	if len(list.Listed()) >= fact.MostPositions && !d.Judged("user", "%s has %s already: end one of them first", u.UserName, fact.Count(fact.MostPositions, "absence")) {
		return
	}
	next := &fact.Absences{User: u.ID}
	if list != nil {
		next.List, next.Made = slices.Clone(list.List), list.Made
	}
	next.Made++
	o.Absence = next.Made
	next.List = append(next.List, fact.Absence{Number: next.Made, Start: o.Start, End: o.End})
	d.Put(next)
	return settled
}

// Sentence implements change.Operation.
func (o *AddAbsence) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	if o.End == 0 {
		return n.UserName(id) + " is absent from " + o.Start.Words() + " on"
	}
	return n.UserName(id) + " is absent from " + o.Start.Words() + " to " + o.End.Words()
}

// EndAbsence ends a leave of absence.
type EndAbsence struct {
	User    change.UserRef `json:"user" doc:"user name or id"`
	Absence int            `json:"absence" doc:"its number among the user's absences"`
	End     calendar.Date  `json:"end_date,omitzero" flag:"end" doc:"its last day from now on, sooner or later than it was; without one it ends at once"`
}

// Verb implements change.Operation.
func (*EndAbsence) Verb() string { return "end_absence" }

// ApplyTo implements change.Operation.
func (o EndAbsence) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	u := settleUpdated(d, "user", &o.User)
	if u == nil {
		return
	}
	list := d.Absences(u.ID)
	a := list.Find(o.Absence)
	if a == nil {
		d.Fault("absence", "%s has no absence of this number", u.UserName)
		return
	}
	next := &fact.Absences{User: u.ID, List: slices.Clone(list.List), Made: list.Made}
	if o.End != 0 {
		if !checkDays(d, a.Start, o.End) {
			return
		}
		if a.End == o.End {
			d.Note(change.AlreadySo, list.Since())
			return
		}
		next.Find(o.Absence).End = o.End
	} else {
		next.List = slices.DeleteFunc(next.List, func(x fact.Absence) bool { return x.Number == o.Absence })
	}
	d.Put(next)
	return settled
}

// Sentence implements change.Operation.
func (o *EndAbsence) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	if o.End != 0 {
		return "An absence of " + n.UserName(id) + " ends on " + o.End.Words()
	}
	return "Ended an absence of " + n.UserName(id)
}
