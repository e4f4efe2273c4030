package service

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
	KindInternal     = "internal"
	KindConflict     = "conflict"
	KindNotSupported = "not-supported"
)

func problem(kind string, status int, title, format string, args ...any) *wire.Problem {
	return &wire.Problem{Type: kind, Status: status, Title: title, Detail: fmt.Sprintf(format, args...)}
}

func notFound(format string, args ...any) *wire.Problem {
	return problem(KindNotFound, 404, "Not found", format, args...)
}

// Invalid is bad input, with every fault.
func Invalid(detail string, faults ...wire.Fault) *wire.Problem {
	p := problem(KindInvalid, 422, "Not valid", "%s", detail)
	p.Faults = faults
	return p
}

// Refused is what the caller may not do.
func Refused(format string, args ...any) *wire.Problem {
	return problem(KindRefused, 403, "Refused", format, args...)
}

// missing is the answer for a name that is not there or that the caller may
// not know of: the same for both.
func (v *View) missing(kind fact.FactKind, given string) *wire.Problem {
	p := notFound("there is no %s “%s”", kind, given)
	if names := v.near(kind, given); len(names) > 0 {
		p.Detail += ": did you mean " + names[0] + "?"
		p.Faults = []wire.Fault{{Place: string(kind), Message: p.Detail, DidYouMean: names}}
	}
	return p
}

// near are names like the one given, among those the caller may see.
func (v *View) near(kind fact.FactKind, given string) []string {
	all := near.To(given)
	add := all.Add
	switch kind {
	case fact.FactUser:
		for u := range v.today.Users() {
			if v.readsUser(u.ID) {
				add(u.UserName)
			}
		}
	case fact.FactGroup:
		for g := range v.today.Groups() {
			if v.readsGroup(g.ID) {
				add(g.Key)
			}
		}
	case fact.FactApplication:
		for a := range v.today.Applications() {
			if v.readsApplication(a.ID) {
				add(a.Key)
			}
		}
	case fact.FactRole:
		for r := range v.today.Roles() {
			if v.readsRole(r.ID) {
				add(v.today.RoleKey(r.ID))
				if r.Key == given && r.Application != 0 { // the key without its application
					all.Meant(v.today.RoleKey(r.ID))
				}
			}
		}
	}
	return all.Nearest()
}
