package seeing

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/request"
)

// party says whether the caller has to do with a request: they asked, it is for
// them, they have decided on it, or are asked at the step where it is or ended.
func (v *View) party(r *request.Request) bool {
	me := v.Caller.User
	if me == 0 {
		return false
	}
	if r.Asker == me || r.Beneficiary == me || slices.ContainsFunc(r.Decisions, func(d request.Decision) bool { return d.By == me || d.For == me }) {
		return true
	}
	return r.Step < len(r.Steps) && r.Steps[r.Step].Asks(v.today, r, me, calendar.At(v.Service.Clock()))
}

// ReadsRequest says whether the caller may know of a request: who has to do with
// it may, and whoever reads all requests, within what they may read of users.
func (v *View) ReadsRequest(r *request.Request) bool {
	return v.party(r) || v.Rights().May(access.ActRead, "requests") && v.ReadsUser(r.Beneficiary)
}

// WithKnownUsers is the view in which the caller knows by name whom they have to do
// with through a request: whom it is for, who asked, decided, and decides next.
// Only what is said about requests is drawn through it.
func (v *View) WithKnownUsers() *View {
	w := *v
	w.Known = map[fact.UserID]bool{}
	for _, r := range request.Requests(v.snapshot) {
		if !v.party(r) {
			continue
		}
		w.Known[r.Asker], w.Known[r.Beneficiary] = true, true
		for _, d := range r.Decisions {
			w.Known[d.By], w.Known[d.For] = true, true
		}
		for _, id := range r.Deciders(v.snapshot, v.At) {
			w.Known[id] = true
		}
	}
	return &w
}
