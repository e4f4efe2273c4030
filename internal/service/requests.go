package service

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation"
	"ableroster/internal/query"
	"ableroster/internal/request"
	"ableroster/internal/review"
	"ableroster/wire"
)

// party says whether the caller has to do with a request: they asked, it is for
// them, they have decided on it, or are asked at the step where it is or ended.
func (v *View) party(r *request.Request) bool {
	me := v.caller.User
	if me == 0 {
		return false
	}
	if r.Asker == me || r.Beneficiary == me || slices.ContainsFunc(r.Decisions, func(d request.Decision) bool { return d.By == me }) {
		return true
	}
	return r.Step < len(r.Steps) && r.Steps[r.Step].Asks(v.today, r, me, calendar.At(v.service.Clock()))
}

// readsRequest says whether the caller may know of a request: who has to do with
// it may, and whoever reads all requests, within what they may read of users.
func (v *View) readsRequest(r *request.Request) bool {
	return v.party(r) || v.rights().May(access.ActRead, "requests") && v.readsUser(r.Beneficiary)
}

// withKnownUsers is the view in which the caller knows by name whom they have to do
// with through a request: whom it is for, who asked, decided, and decides next.
// Only what is said about requests is drawn through it.
func (v *View) withKnownUsers() *View {
	w := *v
	w.known = map[fact.UserID]bool{}
	for _, r := range request.Requests(v.Snapshot) {
		if !v.party(r) {
			continue
		}
		w.known[r.Asker], w.known[r.Beneficiary] = true, true
		for _, d := range r.Decisions {
			w.known[d.By] = true
		}
		for _, id := range r.Deciders(v.Snapshot, v.at) {
			w.known[id] = true
		}
	}
	return &w
}

// plainly names everybody: those a route names are whom anybody who asks asks.
type plainly struct{ s *access.Snapshot }

func (n plainly) UserName(id fact.UserID) string {
	if u := n.s.User(id); u != nil {
		return label(u)
	}
	return Outside
}

// RequestSearch chooses requests; blank fields do not narrow.
type RequestSearch struct {
	State  string
	Mine   bool // asked by the caller, or for them
	Decide bool // wait for the caller
	User   string
	Role   string
	Cursor string
	Limit  int
}

// Requests are those the caller may know of.
func (v *View) Requests(q RequestSearch) (wire.RequestList, error) {
	v = v.withKnownUsers()
	out := wire.RequestList{Basis: v.basis(), Requests: []wire.Request{}}
	var user fact.UserID
	var role fact.RoleID
	var ok bool
	if q.User != "" {
		if user, ok = v.FindUser(q.User); !ok || !v.readsUser(user) {
			return out, v.missing(fact.FactUser, q.User)
		}
	}
	if q.Role != "" {
		if role, ok = v.FindRole(q.Role); !ok || !v.readsRole(role) {
			return out, v.missing(fact.FactRole, q.Role)
		}
	}
	var found []*request.Request
	for _, r := range request.Requests(v.Snapshot) {
		if q.State != "" && string(r.State) != q.State || user != 0 && r.Beneficiary != user || role != 0 && r.Role != role ||
			q.Mine && r.Asker != v.caller.User && r.Beneficiary != v.caller.User ||
			q.Decide && r.MayDecide(v.Snapshot, v.caller.User, v.at) != "" || !v.readsRequest(r) {
			continue
		}
		found = append(found, r)
	}
	slices.SortFunc(found, func(a, b *request.Request) int {
		return cmp.Or(cmp.Compare(order(a.State != request.Waiting), order(b.State != request.Waiting)), cmp.Compare(b.ID, a.ID))
	})
	page, next, err := cut(found, q.Cursor, q.Limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(found), next
	out.Requests = v.requests(page)
	return out, nil
}

// requests draws some, with their reasons.
func (v *View) requests(all []*request.Request) []wire.Request {
	out := []wire.Request{}
	for _, r := range all {
		out = append(out, v.request(r))
	}
	v.reasons(func(g giving) {
		for i := range out {
			g(&out[i].Asked)
			for k := range out[i].Steps {
				for n := range out[i].Steps[k].Decisions {
					g(&out[i].Steps[k].Decisions[n].Given)
				}
			}
		}
	})
	return out
}

func (v *View) request(r *request.Request) wire.Request {
	role := v.Snapshot.Role(r.Role)
	out := wire.Request{ID: r.ID.String(), Role: v.roleRef(r.Role, true), Asker: v.userRef(r.Asker), Beneficiary: v.userRef(r.Beneficiary),
		From: instant(r.Window.From), Until: instant(r.Window.Until), Scopes: v.scopes(r.Scopes), State: string(r.State),
		Asked: &wire.Given{Revision: r.Asked}, Steps: []wire.RequestStep{}}
	if role.Application != 0 {
		app := v.applicationRef(role.Application, true)
		out.Application = &app
	}
	if o := request.RequestableOf(v.Snapshot, r.Role); o != nil {
		out.Words = o.Words
	}
	for i := range r.Steps {
		step := wire.RequestStep{Words: r.Steps[i].Words(v.Snapshot, plainly{v.Snapshot}), State: "not_started"}
		switch {
		case i < r.Step:
			step.State = "done"
		case i == r.Step && r.State == request.Waiting:
			step.State = "current"
			for _, id := range r.Deciders(v.Snapshot, v.at) {
				step.Deciders = append(step.Deciders, v.userRef(id))
			}
			out.Stuck = len(step.Deciders) == 0
		case i == r.Step && r.State == request.Refused:
			step.State = "refused"
		case r.State != request.Waiting && r.State != request.Approved:
			step.State = "skipped"
		}
		for _, d := range r.Decisions {
			if d.Step == i {
				step.Decisions = append(step.Decisions, wire.RequestDecision{Approves: d.Approves, Less: d.Less, Given: &wire.Given{Revision: d.Revision}})
			}
		}
		out.Steps = append(out.Steps, step)
	}
	if r.Given != 0 {
		out.Assignment = r.Given.String()
	}
	if !v.past {
		out.MayDecide = r.MayDecide(v.Snapshot, v.caller.User, v.at) == ""
		out.MayWithdraw = r.State == request.Waiting && (v.caller.User == r.Asker || v.caller.User == r.Beneficiary)
	}
	return out
}

// Request is one request, with what it would add.
func (v *View) Request(ref string) (wire.OneRequest, error) {
	v = v.withKnownUsers()
	n, _ := fact.ParseID("request", ref)
	r := request.RequestOf(v.Snapshot, request.RequestID(n))
	if r == nil || !v.readsRequest(r) {
		return wire.OneRequest{}, notFound("there is no request “%s”", ref)
	}
	out := wire.OneRequest{Basis: v.basis(), Request: v.requests([]*request.Request{r})[0]}
	if r.State == request.Waiting {
		out.Gains, out.SoDRules = v.wouldAdd(r.Beneficiary, r.Role, r.Window, r.Scopes)
		out.Grown = v.grown(r)
	}
	return out, nil
}

// grown is what the role of a request gives that it did not give when it was asked for:
// what is decided on is the role as it is, so whoever decides is told the difference.
func (v *View) grown(r *request.Request) []string {
	var out []string
	for _, p := range query.RoleSince(v.Snapshot, r.Role, r.Asked) {
		out = append(out, query.PermissionWords(v.Snapshot, p))
	}
	return out
}

// wouldAdd is what a role would add for somebody, and the SoD rules it would
// break: seen by whoever may ask for it or decide on it, whatever else they read.
func (v *View) wouldAdd(user fact.UserID, role fact.RoleID, w calendar.Window, scopes []fact.Scope) ([]wire.Entitlement, []string) {
	d := change.NewDraft(v.Snapshot)
	d.GrantByRequest(user, role, w, scopes)
	gains, sodRules := []wire.Entitlement{}, []string{}
	p := d.Preview(v.at)
	for _, e := range p.Effects {
		for _, g := range e.Gained {
			gains = append(gains, v.entitlement(g, true))
		}
	}
	for _, b := range d.NewViolations(p.Touched, v.at) {
		text := b.SoDRule.Label + ": " + operation.SoDRuleWords(b.SoDRule, &d.Snapshot)
		if b.SoDRule.Description != "" {
			text += " (" + b.SoDRule.Description + ")"
		}
		sodRules = append(sodRules, text)
	}
	return gains, sodRules
}

// Catalogue is the requestable roles, for somebody: oneself, or one of one's
// people; searched by what one wants to do.
func (v *View) Catalogue(text, user string) (wire.Catalogue, error) {
	out := wire.Catalogue{Basis: v.basis(), Roles: []wire.CatalogueRole{}}
	id, err := v.onBehalfOf(user)
	if err != nil {
		return out, err
	}
	words := strings.Fields(strings.ToLower(text))
	for _, o := range request.Requestables(v.Snapshot) {
		role := v.Snapshot.Role(o.Role)
		if o.Ended || role.Retired {
			continue
		}
		x := v.catalogueRole(o, id)
		hay := strings.ToLower(x.Words + " " + x.Role.Label + " " + role.Description + " " + v.RoleKey(o.Role))
		if x.Application != nil {
			hay += " " + strings.ToLower(x.Application.Label)
		}
		if !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(hay, w) }) {
			out.Roles = append(out.Roles, x)
		}
	}
	slices.SortFunc(out.Roles, func(a, b wire.CatalogueRole) int { return cmp.Compare(a.Words, b.Words) })
	return out, nil
}

// onBehalfOf is whom the caller asks for: themselves, or one of their people.
func (v *View) onBehalfOf(user string) (fact.UserID, error) {
	if user == "" {
		return v.caller.User, nil
	}
	id, ok := v.FindUser(user)
	if !ok || !v.readsUser(id) {
		return 0, v.missing(fact.FactUser, user)
	}
	if id != v.caller.User && v.Snapshot.User(id).Manager != v.caller.User {
		return 0, Refused("you may request access for yourself and for people you manage, not for %s", v.UserName(id))
	}
	return id, nil
}

func (v *View) catalogueRole(o *request.Requestable, user fact.UserID) wire.CatalogueRole {
	role := v.Snapshot.Role(o.Role)
	out := wire.CatalogueRole{Role: v.roleRef(o.Role, true), Words: o.Words, MaxDays: o.MaxDays, Steps: []string{}, Held: v.HoldsRole(user, o.Role, v.at)}
	if role.Application != 0 {
		app := v.applicationRef(role.Application, true)
		out.Application = &app
	}
	if route := request.RouteOf(v.Snapshot, o.Route); route != nil {
		for i := range route.Steps {
			out.Steps = append(out.Steps, route.Steps[i].Words(v.Snapshot, plainly{v.Snapshot}))
		}
	}
	for _, r := range request.Requests(v.Snapshot) {
		if r.State == request.Waiting && r.Role == o.Role && r.Beneficiary == user {
			out.Waiting = r.ID.String()
		}
	}
	return out
}

// CatalogueRole is one requestable role, with what it would give somebody.
func (v *View) CatalogueRole(ref, user string) (wire.OneCatalogueRole, error) {
	out := wire.OneCatalogueRole{Basis: v.basis()}
	id, err := v.onBehalfOf(user)
	if err != nil {
		return out, err
	}
	role, ok := v.FindRole(ref)
	o := request.RequestableOf(v.Snapshot, role)
	if !ok || o == nil {
		return out, notFound("the role “%s” is not requestable", ref)
	}
	out.CatalogueRole = v.catalogueRole(o, id)
	out.Gains, out.SoDRules = v.wouldAdd(id, role, calendar.Window{}, nil)
	return out, nil
}

// Routes are all routes of approval.
func (v *View) Routes() (wire.RouteList, error) {
	out := wire.RouteList{Basis: v.basis(), Routes: []wire.Route{}}
	if !v.readsSettings() {
		return out, Refused("you may not read the routes")
	}
	for _, f := range request.Routes(v.Snapshot) {
		x := wire.Route{ID: f.ID.String(), Key: f.Key, Label: f.Label, Steps: []string{}}
		for i := range f.Steps {
			x.Steps = append(x.Steps, f.Steps[i].Words(v.Snapshot, v))
		}
		for _, o := range request.Requestables(v.Snapshot) {
			if o.Route == f.ID && !o.Ended {
				x.Roles++
			}
		}
		out.Routes = append(out.Routes, x)
	}
	return out, nil
}

// Today is what waits for the caller.
func (v *View) Today() wire.Today {
	v = v.withKnownUsers()
	out := wire.Today{Basis: v.basis(), Ending: []wire.Ending{}}
	var decide, mine, stuck []*request.Request
	fresh := v.at - calendar.Instant(soon.Microseconds())
	all := request.Requests(v.Snapshot)
	opened := v.opened(all)
	allRequests := v.rights().May(access.ActUpdate, "requests")
	for _, r := range all {
		switch {
		case r.State != request.Waiting:
			if v.own(r) && opened[r.Since()] >= fresh {
				mine = append(mine, r)
			}
		case v.own(r):
			mine = append(mine, r)
		case r.MayDecide(v.Snapshot, v.caller.User, v.at) == "":
			decide = append(decide, r)
		case allRequests && v.readsRequest(r) && len(r.Deciders(v.Snapshot, v.at)) == 0:
			stuck = append(stuck, r)
		}
	}
	slices.Reverse(mine)
	out.Reviews = []wire.WaitingReview{}
	for _, r := range review.Rounds(v.Snapshot) {
		if r.State != review.Open {
			continue
		}
		// While the database is away an old day may not be at hand: the rest of
		// the page stands without it.
		if n, err := v.left(r); err == nil && n > 0 {
			out.Reviews = append(out.Reviews, wire.WaitingReview{Key: r.Key, Label: r.Label, Items: n})
		}
	}
	out.ToDecide, out.Mine, out.Stuck = v.requests(decide), v.requests(mine), v.requests(stuck)
	for _, a := range v.Given(fact.Assignee{User: v.caller.User}) {
		if w := a.Window; w.Until > v.at && w.Until <= v.at+calendar.Instant(soon.Microseconds()) {
			out.Ending = append(out.Ending, wire.Ending{Role: v.roleRef(a.Role, true), Until: w.Until.Time()})
		}
	}
	return out
}

// own says whether the caller asked for something, or gets it.
func (v *View) own(r *request.Request) bool {
	return r.Asker == v.caller.User || r.Beneficiary == v.caller.User
}

// opened is when the caller's own requests that wait no more came to be as they are, by
// the revisions that made them so: a while ago when the ledger cannot say.
func (v *View) opened(all []*request.Request) map[int64]calendar.Instant {
	out := map[int64]calendar.Instant{}
	var since []int64
	for _, r := range all {
		if r.State != request.Waiting && v.own(r) {
			since = append(since, r.Since())
		}
	}
	if revs, err := v.service.Ledger.Reasons(v.ctx, since); err == nil {
		for n, r := range revs {
			out[n] = r.At
		}
	}
	return out
}

// grownSince tells whoever decides how the role has grown since it was asked for.
func (v *View) grownSince(ops []change.Operation) []wire.Note {
	var out []wire.Note
	for i, op := range ops {
		o, ok := op.(*request.DecideRequest)
		if !ok || o.Choice != request.Approve {
			continue
		}
		n, _ := fact.ParseID("request", string(o.Request))
		if r := request.RequestOf(v.Snapshot, request.RequestID(n)); r != nil {
			if more := v.grown(r); len(more) > 0 {
				out = append(out, wire.Note{Operation: i, Code: "grown", Message: "Since the request, the role has come to give: " + strings.Join(more, "; ") + "."})
			}
		}
	}
	return out
}

// speaksOfRequests says whether a change asks for or decides on something.
func speaksOfRequests(ops []change.Operation) bool {
	return slices.ContainsFunc(ops, func(op change.Operation) bool {
		switch op.(type) {
		case *request.RequestRole, *request.DecideRequest, *request.WithdrawRequest:
			return true
		}
		return false
	})
}

// waitsFor says of the requests a change asked for or decided on whom they wait
// for next.
func (v *View) waitsFor(ops []change.Operation) []wire.Note {
	var out []wire.Note
	for i, op := range ops {
		var ref request.RequestRef
		switch o := op.(type) {
		case *request.RequestRole:
			ref = o.Request
		case *request.DecideRequest:
			ref = o.Request
		default:
			continue
		}
		n, _ := fact.ParseID("request", string(ref))
		r := request.RequestOf(v.Snapshot, request.RequestID(n))
		if r == nil || r.State != request.Waiting {
			continue
		}
		var names []string
		for _, id := range r.Deciders(v.Snapshot, v.at) {
			names = append(names, v.UserName(id))
		}
		text := r.ID.String() + " waits for " + r.Steps[r.Step].Words(v.Snapshot, plainly{v.Snapshot})
		switch {
		case len(names) == 0:
			text += ", and there is nobody. An administrator sees it on their Today page."
		case len(names) <= 3:
			text += ": " + strings.Join(names, ", ") + "."
		default:
			text += "."
		}
		out = append(out, wire.Note{Operation: i, Code: "waits_for", Message: text})
	}
	return out
}
