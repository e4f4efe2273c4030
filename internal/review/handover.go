package review

import (
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() { change.OnHandOver(handOver) }

// handOver has somebody review wherever an open round names another, and what that one opened.
func handOver(d *change.Draft, from, to fact.UserID, take change.Taking) {
	for _, r := range Rounds(&d.Snapshot) {
		if r.State != Open || r.Opener != from && !slices.Contains(r.Named, from) || !take(r, "reviews", r.Key) {
			continue
		}
		b := *r
		if b.Named = change.Succeeded(r.Named, from, to); b.Opener == from {
			b.Opener = to
		}
		d.Put(&b)
	}
}
