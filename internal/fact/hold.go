package fact

import "ableroster/internal/calendar"

// FactLegalHold is the kind of legal holds.
var FactLegalHold = RecordKind("legal_hold")

// LegalHold keeps a user from being erased until a day is over: the newest takes the place of
// those before it. Who asked for it, and why, says its revision.
type LegalHold struct {
	Lifetime
	User  UserID        `json:"-"`
	Until calendar.Date `json:"until"` // the last day, in the organisation's time zone
}

// Kind and Row identify it.
func (*LegalHold) Kind() FactKind  { return FactLegalHold }
func (f *LegalHold) Row() uint32   { return uint32(f.User) }
func (f *LegalHold) Whose() UserID { return f.User }
