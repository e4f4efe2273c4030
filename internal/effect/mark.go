package effect

import (
	"cmp"
	"crypto/sha256"
	"fmt"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

// Mark is equal for previews that say the same: who gains and loses what, until when. People
// who arrive with the change are alike in it, whatever numbers they would have, and when what is
// gained begins makes no difference: looked at later it has begun.
func (p Preview) Mark(base *access.Snapshot) [32]byte {
	type one struct {
		user fact.UserID
		text string
	}
	var all []one
	for _, e := range p.Effects {
		text := effectText(endsOf(e.Gained)) + "\n" + effectText(endsOf(e.Lost))
		for _, id := range e.Users {
			if id != 0 && base.User(id) == nil {
				id = ^fact.UserID(0)
			}
			all = append(all, one{id, text})
		}
	}
	slices.SortFunc(all, func(a, b one) int { return cmp.Or(cmp.Compare(a.user, b.user), cmp.Compare(a.text, b.text)) })
	h := sha256.New()
	for _, x := range all {
		fmt.Fprintf(h, "%d\n%s\n", x.user, x.text)
	}
	return [32]byte(h.Sum(nil))
}

// endsOf are entitlements with their last end alone.
func endsOf(es []query.Entitlement) []query.Entitlement {
	out := slices.Clone(es)
	for i := range out {
		var last calendar.Window
		if n := len(out[i].When); n > 0 {
			last.Until = out[i].When[n-1].Until
		}
		out[i].When = calendar.Intervals{last}
	}
	return out
}
