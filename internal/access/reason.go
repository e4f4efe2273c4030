package access

// Reason is the code of an answer, from a closed list.
type Reason string

// The reasons, in the order in which the first that holds is given.
const (
	Granted            Reason = "granted"
	ApplicationUnknown Reason = "application_unknown"
	ApplicationNotLive Reason = "application_not_live"
	UserUnknown        Reason = "user_unknown"
	UserInactive       Reason = "user_inactive"
	ResourceUnknown    Reason = "resource_unknown"
	ActionUnknown      Reason = "action_unknown"
	NotSignedIn        Reason = "not_signed_in"
	NotYet             Reason = "not_yet"
	Ended              Reason = "ended"
	NoGrant            Reason = "no_grant"
)

// Reasons are all codes with the plain sentence of each.
var Reasons = []struct {
	Code     Reason
	Sentence string
}{
	{Granted, "A role held gives this."},
	{ApplicationUnknown, "There is no such application."},
	{ApplicationNotLive, "The application is not live, so nobody is let in."},
	{UserUnknown, "There is no such user."},
	{UserInactive, "The user does not count now: not active, or outside their start and end dates."},
	{ResourceUnknown, "The application has no such resource."},
	{ActionUnknown, "The application has no such action."},
	{NotSignedIn, "Nobody is signed in, and this is not open to everybody."},
	{NotYet, "What would give this has not begun yet."},
	{Ended, "What gave this has ended."},
	{NoGrant, "No role held gives this."},
}

// Sentence is the plain sentence of a code.
func (r Reason) Sentence() string {
	for _, x := range Reasons {
		if x.Code == r {
			return x.Sentence
		}
	}
	return ""
}
