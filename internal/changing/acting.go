package changing

import (
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// A machine account may act for somebody. What it changes then is made by both: it is judged
// as a change of the account and as one of the person, and the ledger tells it as the person's,
// made by the account. What it is told is what the account may see.

// mostForSomebody bounds what an account changes for somebody at once: it is judged twice.
const mostForSomebody = 100

// actingFaults are the faults of a change that an account sends for somebody.
func actingFaults(c seeing.Caller, in wire.ChangeRequest) (out []wire.Fault) {
	if c.For == 0 {
		return nil
	}
	if len(in.Operations) > mostForSomebody {
		out = append(out, wire.Fault{Place: "/operations", Message: "has more than 100 operations, which is as many as an account sends for somebody"})
	}
	if len(in.PendingChanges) > 0 {
		out = append(out, wire.Fault{Place: "/pending_changes", Message: "are made by the person themselves, and by no account for them"})
	}
	return out
}

// ofAccount judges the change of a draft as one of the account that sends it for somebody, and
// gives the draft of it; nil where nobody does.
func ofAccount(v *seeing.View, d *change.Draft, x *Wanted) (*change.Draft, error) {
	if v.Caller.For == 0 {
		return nil, nil
	}
	of := change.NewDraft(d.Base())
	of.Author, of.Account = v.Caller.User, v.Caller.User
	of.Visible, of.May = mayKnow(v), v.Rights().May
	for i, op := range x.Operations {
		of.Apply(i, op, d.At())
	}
	of.Finish()
	return of, allowed(v, of, x.Place)
}

// bothRails are the guard rails that either of two runs into.
func bothRails(a, b []effect.Rail) []effect.Rail {
	for _, r := range b {
		if !slices.ContainsFunc(a, func(x effect.Rail) bool { return x.Code == r.Code }) {
			a = append(a, r)
		}
	}
	return a
}

// refusedFor is what an account is told of what the person it acts for may not do.
func refusedFor(v *seeing.View, d *change.Draft, l *change.Refusal) string {
	who := gainer(v, d, v.Caller.For)
	if l.Need != nil {
		return who + " may not " + l.Need.What
	}
	return who + " may not assign " + draftRole(v, d, l.Gain.Role) + " there"
}
