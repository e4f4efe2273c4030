package fact

import "ableroster/internal/calendar"

// FactSharedAccount is the kind of what is said of shared accounts.
var FactSharedAccount = RecordKind("shared_account")

// SharedAccount makes a machine account one that people use in turn: its secret is given out by a
// custodian, for a time and with a reason, and changed after each use.
type SharedAccount struct {
	Lifetime
	User      UserID        `json:"-"`
	Custodian UserID        `json:"custodian"`           // who gives its secret out
	Group     GroupID       `json:"group"`               // whose members may check it out
	MaxHours  int           `json:"max_hours"`           // for how long at most
	Emergency bool          `json:"emergency,omitempty"` // for emergencies alone, and tested now and then
	Tested    calendar.Date `json:"tested,omitzero"`     // when somebody last made sure that it works
	Ended     bool          `json:"ended,omitempty"`     // it is shared no more
}

// Kind and Row identify it.
func (*SharedAccount) Kind() FactKind { return FactSharedAccount }
func (f *SharedAccount) Row() uint32  { return uint32(f.User) }

// Name and Over implement access.Keyed.
func (f *SharedAccount) Name() string { return f.User.String() }
func (f *SharedAccount) Over() bool   { return f.Ended }

// FactCheckOut is the kind of check-outs.
var FactCheckOut = RecordKind("check_out")

// CheckOut is one use of a shared account: the newest takes the place of those before it.
type CheckOut struct {
	Lifetime
	User            UserID           `json:"-"`
	By              UserID           `json:"by"` // who has it
	calendar.Window                  // from when, and until when at most
	Returned        calendar.Instant `json:"returned,omitzero"`
	Rotated         bool             `json:"rotated,omitempty"` // its secret was changed since it was returned
}

// Kind and Row identify it.
func (*CheckOut) Kind() FactKind { return FactCheckOut }
func (f *CheckOut) Row() uint32  { return uint32(f.User) }

// Name and Over implement access.Keyed.
func (f *CheckOut) Name() string { return f.User.String() }
func (f *CheckOut) Over() bool   { return f.Rotated }

// Out says whether somebody has it still.
func (f *CheckOut) Out() bool { return f != nil && f.Returned == 0 }

// Due says whether its secret has to be changed before the next use.
func (f *CheckOut) Due() bool { return f != nil && f.Returned != 0 && !f.Rotated }
