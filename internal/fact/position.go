package fact

import (
	"slices"

	"ableroster/internal/calendar"
)

// FactPositions is the kind of the positions that users have for a time.
var FactPositions = RecordKind("positions")

// MostPositions bounds how many positions a user has at once, beside their own.
const MostPositions = 50

// Position is a place that a user has for a time beside their own: during it they are given
// what default rules and filters of groups give there. A former one is the place that they
// moved from: there default rules let what they gave overlap.
type Position struct {
	Number   int           `json:"number"` // among the user's, from 1
	Unit     string        `json:"unit,omitempty"`
	Title    string        `json:"title,omitempty"`
	Location string        `json:"location,omitempty"`
	Start    calendar.Date `json:"start_date"`
	End      calendar.Date `json:"end_date"` // the last day
	Former   bool          `json:"former,omitempty"`
}

// Positions are all of a user's.
type Positions struct {
	Lifetime
	User UserID     `json:"-"`
	List []Position `json:"list"`
	Made int        `json:"made"` // how many there were ever: numbers are not used again
}

// Kind and Row identify it.
func (*Positions) Kind() FactKind { return FactPositions }
func (f *Positions) Row() uint32  { return uint32(f.User) }

// With is the same with one more; nil has none.
func (f *Positions) With(user UserID, p Position) *Positions {
	b := Positions{User: user}
	if f != nil {
		b.List, b.Made = slices.Clone(f.List), f.Made
	}
	b.Made++
	p.Number = b.Made
	b.List = append(b.List, p)
	return &b
}

// Without is the same without those of which gone is true; itself when there are none.
func (f *Positions) Without(gone func(Position) bool) *Positions {
	if f == nil || !slices.ContainsFunc(f.List, gone) {
		return f
	}
	return &Positions{User: f.User, List: slices.DeleteFunc(slices.Clone(f.List), gone), Made: f.Made}
}

// Find is the position of a number, or nil.
func (f *Positions) Find(number int) *Position {
	return byNumber(f.Listed(), number)
}

// In is a user as if the position were their own.
func (p *Position) In(u *User) *User {
	b := *u
	b.Unit, b.Title, b.Location = p.Unit, p.Title, p.Location
	return &b
}

// FactAbsences is the kind of users' leaves of absence.
var FactAbsences = RecordKind("absences")

// Absence is a time during which a user counts nowhere; they come back by date. Why is
// nobody's business, and is not kept.
type Absence struct {
	Number int           `json:"number"` // among the user's, from 1
	Start  calendar.Date `json:"start_date"`
	End    calendar.Date `json:"end_date,omitzero"` // the last day; none: until it is ended
}

// Absences are all of a user's.
type Absences struct {
	Lifetime
	User UserID    `json:"-"`
	List []Absence `json:"list"`
	Made int       `json:"made"`
}

// Kind and Row identify it.
func (*Absences) Kind() FactKind { return FactAbsences }
func (f *Absences) Row() uint32  { return uint32(f.User) }

// Find is the absence of a number, or nil.
func (f *Absences) Find(number int) *Absence {
	return byNumber(f.Listed(), number)
}

// byNumber is the one of a number among what a user has for some time, or nil.
func byNumber[T interface{ number() int }](list []T, number int) *T {
	for i := range list {
		if list[i].number() == number {
			return &list[i]
		}
	}
	return nil
}

func (p Position) number() int   { return p.Number }
func (a Absence) number() int    { return a.Number }
func (x Substitute) number() int { return x.Number }

// OfUser is a record fact that belongs to one user, and bears on what they have.
type OfUser interface {
	RecordFact
	Whose() UserID
}

// Whose says whose they are.
func (f *Positions) Whose() UserID { return f.User }
func (f *Absences) Whose() UserID  { return f.User }

// Listed are the absences there are; nil has none.
func (f *Absences) Listed() []Absence {
	if f == nil {
		return nil
	}
	return f.List
}

// Listed are the positions there are; nil has none.
func (f *Positions) Listed() []Position {
	if f == nil {
		return nil
	}
	return f.List
}
