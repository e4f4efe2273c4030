package fact

import "ableroster/internal/calendar"

// FactEmploymentType is the kind of employment types.
var FactEmploymentType = RecordKind("employment_type")

// MostEmploymentTypes bounds how many there are.
const MostEmploymentTypes = 200

// EmploymentType is a kind of people by how they work here. Once one is described, users have
// none that is not.
type EmploymentType struct {
	Lifetime
	ID    EmploymentTypeID `json:"-"`
	Key   string           `json:"key"` // as users have it, compared without case
	Label string           `json:"label"`

	// External says that they work for another company: company, sponsor (whom they report
	// to) and last day are then required.
	External bool `json:"external,omitempty"`
	// MaxDays is how far ahead their last day may lie; 0: any. Within it the sponsor extends.
	MaxDays int `json:"max_days,omitempty"`
	// Closed says that their access is closed until somebody opens it for a time, MaxHours at
	// most at once.
	Closed   bool `json:"closed,omitempty"`
	MaxHours int  `json:"max_hours,omitempty"`
	Ended    bool `json:"ended,omitempty"`
}

// Kind and Row identify it.
func (*EmploymentType) Kind() FactKind { return FactEmploymentType }
func (f *EmploymentType) Row() uint32  { return uint32(f.ID) }

// Name and Over implement access.Keyed.
func (f *EmploymentType) Name() string { return f.Key }
func (f *EmploymentType) Over() bool   { return f.Ended }

// Of says whether a user is of it.
func (f *EmploymentType) Of(u *User) bool {
	return !f.Ended && u.UserKind == Person && Fold(f.Key) == Fold(u.Employment)
}

// FactOpening is the kind of openings.
var FactOpening = RecordKind("opening")

// Opening is a time for which the closed access of a user is open: the newest takes the place
// of those before it.
type Opening struct {
	Lifetime
	User UserID `json:"-"`
	calendar.Window
	Reference string `json:"reference"` // where it was asked for
}

// Kind and Row identify it.
func (*Opening) Kind() FactKind  { return FactOpening }
func (f *Opening) Row() uint32   { return uint32(f.User) }
func (f *Opening) Whose() UserID { return f.User }
