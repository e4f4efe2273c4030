package access

import "ableroster/internal/calendar"

// Reason is the code of an answer, from a closed list.
type Reason string

// The reasons, in the order in which the first that holds is given.
const (
	Granted            Reason = "granted"
	Rehearsal          Reason = "rehearsal"
	ApplicationUnknown Reason = "application_unknown"
	ApplicationNotLive Reason = "application_not_live"
	UserUnknown        Reason = "user_unknown"
	UserInactive       Reason = "user_inactive"
	ResourceUnknown    Reason = "resource_unknown"
	ActionUnknown      Reason = "action_unknown"
	NotSignedIn        Reason = "not_signed_in"
	NotOwner           Reason = "not_owner"
	OutsideSchedule    Reason = "outside_schedule"
	NotYet             Reason = "not_yet"
	Ended              Reason = "ended"
	OutOfScope         Reason = "out_of_scope"
	Fenced             Reason = "fenced"
	NoGrant            Reason = "no_grant"
)

// Reasons are all codes with the plain sentence of each.
var Reasons = []struct {
	Code     Reason
	Sentence string
}{
	{Granted, "A role held gives this."},
	{Rehearsal, "The application rehearses: everybody signed in is let in, though no role held gives this."},
	{ApplicationUnknown, "There is no such application."},
	{ApplicationNotLive, "The application is not live, so nobody is let in."},
	{UserUnknown, "There is no such user."},
	{UserInactive, "The user does not count now: not active, or outside their start and end dates."},
	{ResourceUnknown, "The application has no such resource."},
	{ActionUnknown, "The application has no such action."},
	{NotSignedIn, "Nobody is signed in, and this is not open to everybody."},
	{NotOwner, "What would give this gives it only on one's own."},
	{OutsideSchedule, "What gives this does not hold at this time of the week."},
	{NotYet, "What would give this has not begun yet."},
	{Ended, "What gave this has ended."},
	{OutOfScope, "What gives this is limited to other parts of the application."},
	{Fenced, "This is fenced: what gives more than it does not reach it."},
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

// Miss is how a chain fails, in the order in which a chain's code is the last
// of those it fails, and an answer's the first of all chains'.
type Miss uint8

const (
	HoldsNow Miss = iota
	MissOwner
	MissSchedule
	missNotYet
	missEnded
	missScope
	MissFence
	MissNone // no chain at all
)

var MissReasons = [...]Reason{"", NotOwner, OutsideSchedule, NotYet, Ended, OutOfScope, Fenced, NoGrant}

// MissOf says how a window misses an instant.
func MissOf(w calendar.Window, at calendar.Instant) Miss {
	switch {
	case w.Until != 0 && at >= w.Until:
		return missEnded
	case at < w.From:
		return missNotYet
	}
	return HoldsNow
}
