package fact

import (
	"slices"

	"ableroster/internal/calendar"
)

// FactSubstitutes is the kind of those who stand in for users.
var FactSubstitutes = RecordKind("substitutes")

// Substitute is somebody who decides on requests and reviews in a user's place for a time.
type Substitute struct {
	Number int           `json:"number"` // among the user's, from 1
	User   UserID        `json:"substitute"`
	Start  calendar.Date `json:"start_date"`
	End    calendar.Date `json:"end_date"` // the last day
}

// Substitutes are all of a user's.
type Substitutes struct {
	Lifetime
	User UserID       `json:"-"`
	List []Substitute `json:"list"`
	Made int          `json:"made"` // how many there were ever: numbers are not used again
}

// Kind and Row identify it.
func (*Substitutes) Kind() FactKind { return FactSubstitutes }
func (f *Substitutes) Row() uint32  { return uint32(f.User) }

// Whose says whose they are.
func (f *Substitutes) Whose() UserID { return f.User }

// Listed are those there are; nil has none.
func (f *Substitutes) Listed() []Substitute {
	if f == nil {
		return nil
	}
	return f.List
}

// Find is the one of a number, or nil.
func (f *Substitutes) Find(number int) *Substitute {
	return byNumber(f.Listed(), number)
}

// Succeeded is the same with somebody else in the place of a substitute; none where to is 0, or
// is whom they would stand in for.
func (f *Substitutes) Succeeded(from, to UserID) *Substitutes {
	b := &Substitutes{User: f.User, Made: f.Made}
	for _, x := range f.List {
		if x.User == from {
			x.User = to
		}
		if x.User != 0 && x.User != f.User && !slices.ContainsFunc(b.List, func(y Substitute) bool { return y.User == x.User && y.Start == x.Start && y.End == x.End }) {
			b.List = append(b.List, x)
		}
	}
	return b
}
