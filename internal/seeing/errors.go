package seeing

import (
	"fmt"

	"ableroster/internal/fact"
	"ableroster/internal/near"
	"ableroster/wire"
)

// The kinds of problems, stable words that callers may rely on.
const (
	KindNotFound     = "not-found"
	KindInvalid      = "invalid"
	KindRefused      = "refused"
	KindGuardRail    = "guard-rail"
	KindMoved        = "moved"
	KindNotSignedIn  = "not-signed-in"
	KindUnavailable  = "unavailable"
	KindKeyReused    = "idempotency-key-reused"
	KindTooMany      = "too-many-attempts"
	KindTooLarge     = "too-large"
	KindBehind       = "behind"
	KindLost         = "lost"
	KindInternal     = "internal"
	KindConflict     = "conflict"
	KindAnotherUser  = "another-user"
	KindNotSupported = "not-supported"
	KindPrecondition = "precondition-failed"
	KindSecondFactor = "second-factor"         // a code is asked for
	KindNeedsFactor  = "second-factor-missing" // one is to be added first
	KindConfirm      = "confirmation-needed"   // the caller is to prove once more who they are
)

// Problem is a problem of a kind, with its HTTP status.
func Problem(kind string, status int, title, format string, args ...any) *wire.Problem {
	return &wire.Problem{Type: kind, Status: status, Title: title, Detail: fmt.Sprintf(format, args...)}
}

// NotFound is the problem of a thing that is not there, or that the caller may not know of
// (404).
func NotFound(format string, args ...any) *wire.Problem {
	return Problem(KindNotFound, 404, "Not found", format, args...)
}

// Invalid is bad input, with every fault.
func Invalid(detail string, faults ...wire.Fault) *wire.Problem {
	p := Problem(KindInvalid, 422, "Not valid", "%s", detail)
	p.Faults = faults
	return p
}

// Refused is what the caller may not do.
func Refused(format string, args ...any) *wire.Problem {
	return Problem(KindRefused, 403, "Refused", format, args...)
}

// Missing is the answer for a name that is not there or that the caller may
// not know of: the same for both.
func (v *View) Missing(kind fact.FactKind, given string) *wire.Problem {
	p := NotFound("there is no %s “%s”", kind, given)
	if names := v.Near(kind, given); len(names) > 0 {
		p.Detail += ": did you mean " + names[0] + "?"
		p.Faults = []wire.Fault{{Place: string(kind), Message: p.Detail, DidYouMean: names}}
	}
	return p
}

// Near are names like the one given, among those the caller may see.
func (v *View) Near(kind fact.FactKind, given string) []string {
	all := near.To(given)
	add := all.Add
	switch kind {
	case fact.FactUser:
		for u := range v.today.Users() {
			if v.ReadsUser(u.ID) {
				add(u.UserName)
			}
		}
	case fact.FactGroup:
		for g := range v.today.Groups() {
			if v.ReadsGroup(g.ID) {
				add(g.Key)
			}
		}
	case fact.FactUnit:
		for _, u := range v.today.Units() {
			if !u.Ended && v.ReadsUnit(u.Path) {
				add(u.Path)
			}
		}
	case fact.FactEmploymentType:
		for _, t := range v.today.EmploymentTypes() {
			if !t.Ended {
				add(t.Key)
			}
		}
	case fact.FactApplication:
		for a := range v.today.Applications() {
			if v.ReadsApplication(a.ID) {
				add(a.Key)
			}
		}
	case fact.FactRole:
		for r := range v.today.Roles() {
			if v.ReadsRole(r.ID) {
				add(v.today.RoleKey(r.ID))
				if r.Key == given && r.Application != 0 { // the key without its application
					all.Meant(v.today.RoleKey(r.ID))
				}
			}
		}
	}
	return all.Nearest()
}

// PreconditionFailed is the answer where something else is there than what the caller saw.
func PreconditionFailed() error {
	return Problem(KindPrecondition, 412, "Changed since", "nothing was done: it is not as you saw it any more; look at it again")
}
