package request

import (
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() { change.OnHandOver(handOver) }

// handOver has somebody decide wherever a route, or a request that waits, names another. Whoever
// does that is judged as whoever writes the route.
func handOver(d *change.Draft, from, to fact.UserID, take change.Taking) {
	for _, f := range Routes(&d.Snapshot) {
		if names(f.Steps, from) && take(f, "settings", f.Key) {
			b := *f
			b.Steps = succeeded(f.Steps, from, to)
			d.Put(&b)
			for _, o := range Requestables(&d.Snapshot) {
				if o.Route == f.ID && !o.Ended {
					d.Promise(o.Role)
				}
			}
		}
	}
	for _, r := range Requests(&d.Snapshot) {
		if r.State == Waiting && names(r.Steps[r.Step:], from) && take(r, "requests", r.ID.String()) {
			b := *r
			b.Steps = succeeded(r.Steps, from, to)
			d.Put(&b)
		}
	}
}

func names(steps []Step, id fact.UserID) bool {
	return slices.ContainsFunc(steps, func(t Step) bool { return slices.Contains(t.Users, id) })
}

// succeeded are steps with somebody else named in the place of a user.
func succeeded(steps []Step, from, to fact.UserID) []Step {
	out := slices.Clone(steps)
	for i := range out {
		if slices.Contains(out[i].Users, from) {
			out[i].Users = change.Succeeded(out[i].Users, from, to)
		}
	}
	return out
}
