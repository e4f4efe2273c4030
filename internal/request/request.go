package request

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

// State is where a request is.
type State string

// The states. Only a waiting request moves.
const (
	Waiting   State = "waiting"
	Approved  State = "approved" // and the role given
	Refused   State = "refused"
	Withdrawn State = "withdrawn"
)

// Request is somebody's wish for a role, for themselves or for one of their
// people. It carries the steps of the route as they were when it was made.
type Request struct {
	fact.Lifetime
	ID          RequestID         `json:"-"`
	Asker       fact.UserID       `json:"asker"`
	Beneficiary fact.UserID       `json:"beneficiary"`
	Role        fact.RoleID       `json:"role"`
	Window      calendar.Window   `json:"window"`
	Scopes      []fact.Scope      `json:"scopes,omitempty"`
	Route       RouteID           `json:"route"`
	Steps       []Step            `json:"steps"`
	Asked       int64             `json:"asked"` // the revision, whose reason is the request's
	State       State             `json:"state"`
	Step        int               `json:"step"` // the one it waits at
	Decisions   []Decision        `json:"decisions,omitempty"`
	Given       fact.AssignmentID `json:"given,omitempty"`     // once approved
	Reference   string            `json:"reference,omitempty"` // where the work was asked for
	Apart       bool              `json:"apart,omitempty"`     // nobody decides on two of its steps
}

// Asks implements change.Asking.
func (f *Request) Asks() (change.RoleGain, bool) {
	if f.State != Waiting {
		return change.RoleGain{}, false
	}
	return change.RoleGain{User: f.Beneficiary, Role: f.Role, Scopes: f.Scopes, When: calendar.Intervals{f.Window}}, true
}

// Kind and Row identify it.
func (*Request) Kind() fact.FactKind { return FactRequest }
func (f *Request) Row() uint32       { return uint32(f.ID) }

// Decision is what one person said at one step.
type Decision struct {
	Step     int         `json:"step"`
	By       fact.UserID `json:"by"`
	For      fact.UserID `json:"for,omitempty"` // in whose place
	Approves bool        `json:"approves,omitempty"`
	Less     bool        `json:"less,omitempty"` // for a shorter time or a narrower part
	Revision int64       `json:"revision"`       // whose reason is the decision's
}

// seat is whose decision it counts as.
func (d Decision) seat() fact.UserID {
	if d.For != 0 {
		return d.For
	}
	return d.By
}

// RequestOf is the request under a number, or nil.
func RequestOf(s *access.Snapshot, id RequestID) *Request {
	f, _ := s.RecordFact(FactRequest, uint32(id)).(*Request)
	return f
}

// Deciders are who may decide on a request as it stands, less who has approved
// at this step already. None while it waits means it waits for nobody.
func (r *Request) Deciders(s *access.Snapshot, at calendar.Instant) []fact.UserID {
	return r.deciders(s, at, r.apart(s))
}

func (r *Request) deciders(s *access.Snapshot, at calendar.Instant, apart bool) []fact.UserID {
	if r.State != Waiting {
		return nil
	}
	var out []fact.UserID
	for _, x := range r.waiting(s, at) {
		for _, id := range x.may {
			if !r.approvedBy(id) && !(apart && r.decidedBefore(id)) {
				out = append(out, id)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// waiting are the seats of the step where a request is that nobody has decided from.
func (r *Request) waiting(s *access.Snapshot, at calendar.Instant) []seat {
	return slices.DeleteFunc(r.Steps[r.Step].seats(s, r, at), func(x seat) bool {
		return slices.ContainsFunc(r.Decisions, func(d Decision) bool { return d.Step == r.Step && d.seat() == x.of })
	})
}

// concerns says whether somebody asked for it or gets it: they never decide, nor does anybody in
// their place.
func (r *Request) concerns(id fact.UserID) bool { return id == r.Asker || id == r.Beneficiary }

// PlaceOf is in whose place somebody would decide on a request, 0 for their own.
func (r *Request) PlaceOf(s *access.Snapshot, by fact.UserID, at calendar.Instant) fact.UserID {
	for _, x := range r.waiting(s, at) {
		if x.of != by && slices.Contains(x.may, by) {
			return x.of
		}
	}
	return 0
}

// apart says whether each step is to be decided by somebody else: requests that were
// made before there was that rule go by what their route says now.
func (r *Request) apart(s *access.Snapshot) bool {
	if r.Apart {
		return true
	}
	route := RouteOf(s, r.Route)
	return route != nil && !route.SamePerson
}

// decidedBefore says whether somebody decided on an earlier step.
func (r *Request) decidedBefore(id fact.UserID) bool {
	return slices.ContainsFunc(r.Decisions, func(d Decision) bool { return d.Step < r.Step && d.By == id })
}

func (r *Request) approvedBy(id fact.UserID) bool {
	return slices.ContainsFunc(r.Decisions, func(d Decision) bool { return d.Step == r.Step && d.By == id })
}

// Why a decision is not taken.
type Why string

// The reasons, empty for none.
const (
	NotWaiting Why = "not_waiting" // it is decided or withdrawn
	OneOwn     Why = "own"         // nobody decides on what they asked for or get
	NotAsked   Why = "not_asked"   // the step asks others
	Twice      Why = "twice"       // they have approved it at this step
	Before     Why = "before"      // they have decided on an earlier step
	Decided    Why = "decided"     // they decide in somebody's place alone, who has decided
)

// MayDecide says why somebody may not decide on a request, or nothing.
func (r *Request) MayDecide(s *access.Snapshot, by fact.UserID, at calendar.Instant) Why {
	switch {
	case r.State != Waiting:
		return NotWaiting
	case r.concerns(by):
		return OneOwn
	case r.approvedBy(by):
		return Twice
	case !r.Steps[r.Step].Asks(s, r, by, at):
		return NotAsked
	case r.apart(s) && r.decidedBefore(by):
		return Before
	case !slices.ContainsFunc(r.waiting(s, at), func(x seat) bool { return slices.Contains(x.may, by) }):
		return Decided
	}
	return ""
}

// Decide is the request after a decision by somebody who may. It is approved
// once the last step is through; giving the role is the caller's.
func (r *Request) Decide(s *access.Snapshot, d Decision, at calendar.Instant) *Request {
	next := *r
	d.Step = r.Step
	next.Decisions = append(slices.Clone(r.Decisions), d)
	if !d.Approves {
		next.State = Refused
		return &next
	}
	if r.Steps[r.Step].All && len(next.deciders(s, at, r.Apart)) > 0 {
		return &next // others at this step have yet to
	}
	if next.Step++; next.Step == len(r.Steps) {
		next.State = Approved
	}
	return &next
}
