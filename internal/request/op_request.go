package request

import (
	"fmt"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() {
	change.Register(&RequestRole{}, "Request a role, for oneself or for one of one's people")
	change.Register(&DecideRequest{}, "Approve or refuse a request at its current step; the last approval grants the role")
	change.Register(&WithdrawRequest{}, "Withdraw a request")
}

// RequestRef names a request by its id.
type RequestRef string

// Refers marks it as a reference; see change.Descriptor.
func (RequestRef) Refers() {}

// RequestRole asks for a role.
type RequestRole struct {
	Role change.RoleRef `json:"role"`
	For  change.UserRef `json:"user,omitempty" doc:"for whom: oneself, or one of one's people; oneself by default"`
	calendar.Window
	Scopes []change.ScopeRef `json:"scopes,omitempty" doc:"only what one of these covers"`

	Request RequestRef `json:"request,omitempty" set:"service"`
	Apart   bool       `json:"apart,omitempty" set:"service"`

	Reference string `json:"reference,omitempty" set:"service"` // that of the change
}

// Verb implements change.Operation.
func (*RequestRole) Verb() string { return "request_role" }

// ApplyTo implements change.Operation.
func (o RequestRole) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if o.For == "" {
		o.For = change.UserRef(d.Author.String())
	}
	// What is offered may be asked for by whoever may not read the role otherwise.
	role, found := d.FindRole(string(o.Role))
	user, ok := fact.UserID(0), true
	if o.For == change.UserRef(d.Author.String()) {
		user = d.Author
	} else {
		user, ok = d.SettleUser("user", &o.For)
	}
	scopes, scoped := d.SettleScopes(&o.Scopes)
	offer := RequestableOf(&d.Snapshot, role)
	switch {
	case !found || offer == nil || d.Role(role).Retired:
		if found && d.MaySee(fact.FactRole, uint32(role)) {
			d.Fault("role", "%s is not requestable: ask somebody who may grant it", d.RoleKey(role))
		} else {
			d.Missing(fact.FactRole, "role", string(o.Role))
		}
		return
	case !ok || !scoped:
		return
	}
	o.Role = change.RoleRef(role.String())
	u := d.User(user)
	switch {
	case u == nil:
		d.Fault("user", "the host requests no roles")
	case user != d.Author && u.Manager != d.Author:
		d.Fault("user", "you may request access for yourself and for people you manage, not for %s", u.UserName)
	case u.Status == fact.Departed:
		d.Fault("user", "%s has departed", u.UserName)
	case !change.RoleReachesUser(&d.Snapshot, role, user):
		d.Fault("role", "%s may be held only within %s", d.RoleKey(role), d.Role(role).HeldWithin)
	}
	checkLimits(d, offer, o.Window)
	if len(d.Faults) > 0 {
		return
	}
	for _, r := range Requests(&d.Snapshot) {
		if r.State == Waiting && r.Beneficiary == user && r.Role == role {
			d.Fault("role", "%s is requested already, as %s", d.RoleKey(role), r.ID)
			return
		}
	}
	route := RouteOf(&d.Snapshot, offer.Route)
	f := &Request{ID: RequestID(d.Allocate(FactRequest)), Asker: d.Author, Beneficiary: user, Role: role, Window: o.Window, Scopes: scopes,
		Route: offer.Route, Steps: route.Steps, Asked: d.Revision, Reference: o.Reference, State: Waiting, Apart: !route.SamePerson && !d.Replays || o.Apart}
	o.Apart = f.Apart
	o.Request = RequestRef(f.ID.String())
	d.Put(f)
	return settled
}

// checkLimits files the faults of a window that is asked for or given.
func checkLimits(d *change.Draft, offer *Requestable, w calendar.Window) bool {
	longest := offer.MaxDays // the stricter of what the offer and the role say
	if n := d.Role(offer.Role).MaxDays; n > 0 && (longest == 0 || n < longest) {
		longest = n
	}
	switch {
	case w.Until != 0 && w.Until <= w.From:
		d.Fault("until", "is not after from: the window would end before it begins")
	case w.Until != 0 && w.Until <= d.At():
		d.Fault("until", "is over already")
	case longest == 0:
		return true
	case w.Until == 0:
		d.Fault("until", "is missing: this role is given for %d days at most", longest)
	case w.Until-max(w.From, d.At()) > calendar.Days(longest):
		d.Fault("until", "is too late: this role is given for %d days at most", longest)
	default:
		return true
	}
	return false
}

// Sentence implements change.Operation.
func (o *RequestRole) Sentence(s *access.Snapshot, n change.Names) string {
	role, _ := s.FindRole(string(o.Role))
	user, _ := s.FindUser(string(o.For))
	return "Requested the role " + change.RoleLabel(s, role) + " for " + n.UserName(user) + change.WindowWords(s, o.Window)
}

// Choice is what a decision says.
type Choice string

// The choices.
const (
	Approve Choice = "approve"
	Refuse  Choice = "refuse"
)

// DecideRequest approves a request, perhaps for less than was asked, or refuses
// it. The last approval gives the role.
type DecideRequest struct {
	Request RequestRef        `json:"request"`
	Choice  Choice            `json:"decision" enum:"approve,refuse"`
	From    *calendar.Instant `json:"from,omitempty" doc:"for less: not before this"`
	Until   *calendar.Instant `json:"until,omitempty" doc:"for less: only until this"`
	Scopes  []change.ScopeRef `json:"scopes,omitempty" doc:"for less: only what one of these covers"`

	Assignment change.AssignmentRef `json:"assignment,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*DecideRequest) Verb() string { return "decide_request" }

// find is the request an operation names, if its author may know of it.
func find(d *change.Draft, ref *RequestRef) *Request {
	n, _ := fact.ParseID("request", string(*ref))
	r := RequestOf(&d.Snapshot, RequestID(n))
	if r == nil || !d.MaySee(FactRequest, uint32(r.ID)) {
		d.Missing(FactRequest, "request", string(*ref))
		return nil
	}
	*ref = RequestRef(r.ID.String())
	d.ReadsFact(r)
	return r
}

// whyNot says a reason in words.
func whyNot(d *change.Draft, r *Request, why Why) string {
	switch why {
	case NotWaiting:
		return fmt.Sprintf("%s is %s already", r.ID, r.State)
	case OneOwn:
		return "nobody decides on their own request"
	case Twice:
		return "you have approved it already; it waits for others"
	case Decided:
		return "you could decide only in the place of somebody who has decided already; it waits for others"
	case Before:
		return "you decided on an earlier step of it; this step needs somebody else"
	}
	if step := r.Steps[r.Step]; len(r.deciders(&d.Snapshot, d.At(), r.Apart)) == 0 {
		return "nobody can decide: " + step.Nobody()
	}
	return "you are not an approver of this step"
}

// ApplyTo implements change.Operation.
func (o DecideRequest) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	r := find(d, &o.Request)
	if r == nil {
		return
	}
	if o.Choice != Approve && o.Choice != Refuse {
		d.Fault("decision", "is approve or refuse")
		return
	}
	if why := r.MayDecide(&d.Snapshot, d.Author, d.At()); why != "" && !(why == Before && !r.Apart && d.Replays) {
		d.Fault("request", "%s", whyNot(d, r, why))
		return
	}
	scopes, ok := d.SettleScopes(&o.Scopes)
	if !ok {
		return
	}
	dec := Decision{By: d.Author, For: r.PlaceOf(&d.Snapshot, d.Author, d.At()), Approves: o.Choice == Approve, Revision: d.Revision}
	less := *r
	if o.From != nil && *o.From > r.Window.From {
		less.Window.From, dec.Less = *o.From, true
	}
	if o.Until != nil && *o.Until != 0 && (r.Window.Until == 0 || *o.Until < r.Window.Until) {
		less.Window.Until, dec.Less = *o.Until, true
	}
	if len(scopes) > 0 {
		if !fact.Narrower(scopes, r.Scopes) {
			d.Fault("scopes", "give more than was requested: a decision gives that or less")
			return
		}
		less.Scopes, dec.Less = scopes, true
	}
	if w := less.Window; w.Until != 0 && w.Until <= max(w.From, d.At()) && dec.Approves {
		d.Fault("until", "leaves no time in which the role would be held")
		return
	}
	next := less.Decide(&d.Snapshot, dec, d.At())
	if next.State == Approved && !o.give(d, next) {
		return
	}
	d.Put(next)
	return settled
}

// give gives what was approved, once more looked at as things are now.
func (o *DecideRequest) give(d *change.Draft, r *Request) bool {
	u, offer := d.User(r.Beneficiary), RequestableOf(&d.Snapshot, r.Role)
	switch {
	case d.Role(r.Role).Retired:
		d.Fault("request", "%s was retired since; refuse the request, with the reason", d.RoleKey(r.Role))
		return false
	case u.Status == fact.Departed:
		d.Fault("request", "%s has departed since; refuse the request, with the reason", u.UserName)
		return false
	case !change.RoleReachesUser(&d.Snapshot, r.Role, r.Beneficiary):
		d.Fault("request", "%s may be held only within %s, and %s is not there; refuse the request, with the reason", d.RoleKey(r.Role), d.Role(r.Role).HeldWithin, u.UserName)
		return false
	case offer != nil && !checkLimits(d, offer, r.Window):
		return false
	}
	r.Given = d.GrantByRequest(r.Beneficiary, r.Role, r.Window, r.Scopes)
	o.Assignment = change.AssignmentRef(r.Given.String())
	return true
}

// Sentence implements change.Operation.
func (o *DecideRequest) Sentence(s *access.Snapshot, n change.Names) string {
	num, _ := fact.ParseID("request", string(o.Request))
	r := RequestOf(s, RequestID(num))
	if r == nil {
		return "Decided on " + string(o.Request)
	}
	what := "the role " + change.RoleLabel(s, r.Role) + " for " + n.UserName(r.Beneficiary)
	switch {
	case o.Choice == Refuse:
		return "Refused " + what
	case o.Assignment != "":
		return "Approved and gave " + what + change.WindowWords(s, r.Window)
	}
	return "Approved " + what + change.WindowWords(s, r.Window) + "; others are asked next"
}

// WithdrawRequest takes a request back: whoever asked, or whom it is for.
type WithdrawRequest struct {
	Request RequestRef `json:"request"`
}

// Verb implements change.Operation.
func (*WithdrawRequest) Verb() string { return "withdraw_request" }

// ApplyTo implements change.Operation.
func (o WithdrawRequest) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	r := find(d, &o.Request)
	switch {
	case r == nil:
		return
	case r.State != Waiting:
		d.Fault("request", "%s", whyNot(d, r, NotWaiting))
		return
	case d.Author != r.Asker && d.Author != r.Beneficiary:
		d.Fault("request", "is for whoever asked to withdraw, or whom it is for")
		return
	}
	next := *r
	next.State = Withdrawn
	d.Put(&next)
	return settled
}

// Sentence implements change.Operation.
func (o *WithdrawRequest) Sentence(s *access.Snapshot, n change.Names) string {
	num, _ := fact.ParseID("request", string(o.Request))
	r := RequestOf(s, RequestID(num))
	if r == nil {
		return "Withdrew " + string(o.Request)
	}
	return "Withdrew the request of the role " + change.RoleLabel(s, r.Role) + " for " + n.UserName(r.Beneficiary)
}
