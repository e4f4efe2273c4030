package workflows

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/operation/rules"
	"ableroster/internal/query"
	"ableroster/internal/request"
	"ableroster/internal/review"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// plainly names everybody: those a route names are whom anybody who asks asks.
type plainly struct{ s *access.Snapshot }

// UserName implements change.Names, of everybody.
func (n plainly) UserName(id fact.UserID) string {
	if u := n.s.User(id); u != nil {
		return seeing.Label(u)
	}
	return seeing.Outside
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
func Requests(v *seeing.View, q RequestSearch) (wire.RequestList, error) {
	v = v.WithKnownUsers()
	out := wire.RequestList{Basis: v.Basis(), Requests: []wire.Request{}}
	var user fact.UserID
	var role fact.RoleID
	var ok bool
	if q.User != "" {
		if user, ok = v.Uncut().FindUser(q.User); !ok || !v.ReadsUser(user) {
			return out, v.Missing(fact.FactUser, q.User)
		}
	}
	if q.Role != "" {
		if role, ok = v.Uncut().FindRole(q.Role); !ok || !v.ReadsRole(role) {
			return out, v.Missing(fact.FactRole, q.Role)
		}
	}
	var found []*request.Request
	for _, r := range request.Requests(v.Uncut()) {
		if q.State != "" && string(r.State) != q.State || user != 0 && r.Beneficiary != user || role != 0 && r.Role != role ||
			q.Mine && r.Asker != v.Caller.User && r.Beneficiary != v.Caller.User ||
			q.Decide && r.MayDecide(v.Uncut(), v.Caller.User, v.At) != "" || !v.ReadsRequest(r) {
			continue
		}
		found = append(found, r)
	}
	slices.SortFunc(found, func(a, b *request.Request) int {
		return cmp.Or(cmp.Compare(seeing.Order(a.State != request.Waiting), seeing.Order(b.State != request.Waiting)), cmp.Compare(b.ID, a.ID))
	})
	page, next, err := seeing.Cut(found, q.Cursor, q.Limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(found), next
	out.Requests = requests(v, page)
	return out, nil
}

// requests draws some, with their reasons.
func requests(v *seeing.View, all []*request.Request) []wire.Request {
	out := []wire.Request{}
	for _, r := range all {
		out = append(out, requestAnswer(v, r))
	}
	v.Reasons(func(g seeing.Giving) {
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

func requestAnswer(v *seeing.View, r *request.Request) wire.Request {
	role := v.Uncut().Role(r.Role)
	out := wire.Request{ID: r.ID.String(), Role: v.RoleRef(r.Role, true), Asker: v.UserRef(r.Asker), Beneficiary: v.UserRef(r.Beneficiary),
		From: seeing.Instant(r.Window.From), Until: seeing.Instant(r.Window.Until), LastDay: v.LastDay(r.Window.Until), Scopes: v.Scopes(r.Scopes), State: string(r.State),
		Asked: &wire.Given{Revision: r.Asked}, Reference: r.Reference, Steps: []wire.RequestStep{}}
	if role.Application != 0 {
		app := v.ApplicationRef(role.Application, true)
		out.Application = &app
	}
	if o := request.RequestableOf(v.Uncut(), r.Role); o != nil {
		out.Words = inReadersWords(v, o, &out.Role)
	}
	for i := range r.Steps {
		step := wire.RequestStep{Words: r.Steps[i].Words(v.Uncut(), plainly{v.Uncut()}), State: "not_started"}
		switch {
		case i < r.Step:
			step.State = "done"
		case i == r.Step && r.State == request.Waiting:
			step.State = "current"
			for _, id := range r.Deciders(v.Uncut(), v.At) {
				step.Deciders = append(step.Deciders, v.UserRef(id))
			}
			if out.Stuck = len(step.Deciders) == 0; out.Stuck {
				step.Trouble = "Nobody can decide: " + r.Steps[i].Nobody() + "."
			}
		case i == r.Step && r.State == request.Refused:
			step.State = "refused"
		case r.State != request.Waiting && r.State != request.Approved:
			step.State = "skipped"
		}
		for _, d := range r.Decisions {
			if d.Step == i {
				x := wire.RequestDecision{Approves: d.Approves, Less: d.Less, Given: &wire.Given{Revision: d.Revision}}
				if d.For != 0 {
					of := v.UserRef(d.For)
					x.For = &of
				}
				step.Decisions = append(step.Decisions, x)
			}
		}
		out.Steps = append(out.Steps, step)
	}
	if r.Given != 0 {
		out.Assignment = r.Given.String()
	}
	if !v.Past {
		out.MayDecide = r.MayDecide(v.Uncut(), v.Caller.User, v.At) == ""
		out.MayWithdraw = r.State == request.Waiting && (v.Caller.User == r.Asker || v.Caller.User == r.Beneficiary)
	}
	return out
}

// Request is one request, with what it would add.
func Request(v *seeing.View, ref string) (wire.OneRequest, error) {
	v = v.WithKnownUsers()
	n, _ := fact.ParseID("request", ref)
	r := request.RequestOf(v.Uncut(), request.RequestID(n))
	if r == nil || !v.ReadsRequest(r) {
		return wire.OneRequest{}, seeing.NotFound("there is no request “%s”", ref)
	}
	out := wire.OneRequest{Basis: v.Basis(), Request: requests(v, []*request.Request{r})[0]}
	if r.State == request.Waiting {
		out.Gains, out.SoDRules = wouldAdd(v, r.Beneficiary, r.Role, r.Window, r.Scopes)
		out.Grown = grown(v, r)
	}
	return out, nil
}

// grown is what the role of a request gives that it did not give when it was asked for:
// what is decided on is the role as it is, so whoever decides is told the difference.
func grown(v *seeing.View, r *request.Request) []string {
	var out []string
	for _, p := range query.RoleSince(v.Uncut(), r.Role, r.Asked) {
		out = append(out, query.PermissionWords(v.Uncut(), p))
	}
	return out
}

// wouldAdd is what a role would add for somebody, and the SoD rules it would
// break: seen by whoever may ask for it or decide on it, whatever else they read.
func wouldAdd(v *seeing.View, user fact.UserID, role fact.RoleID, w calendar.Window, scopes []fact.Scope) ([]wire.Entitlement, []string) {
	d := change.NewDraft(v.Uncut())
	d.GrantByRequest(user, role, w, scopes)
	gains, sodRules := []wire.Entitlement{}, []string{}
	p := effect.Of(d, v.At)
	for _, e := range p.Effects {
		for _, g := range e.Gained {
			gains = append(gains, v.Entitlement(g, true))
		}
	}
	for _, b := range effect.NewViolations(d, p.Touched, v.At) {
		text := b.SoDRule.Label + ": " + rules.SoDRuleWords(b.SoDRule, &d.Snapshot)
		if b.SoDRule.Description != "" {
			text += " (" + b.SoDRule.Description + ")"
		}
		sodRules = append(sodRules, text)
	}
	return gains, sodRules
}

// Catalogue is the requestable roles, for somebody: oneself, or one of one's
// people; searched by what one wants to do.
func Catalogue(v *seeing.View, text, user string) (wire.Catalogue, error) {
	out := wire.Catalogue{Basis: v.Basis(), Roles: []wire.CatalogueRole{}}
	id, err := onBehalfOf(v, user)
	if err != nil {
		return out, err
	}
	words := strings.Fields(strings.ToLower(text))
	for _, o := range request.Requestables(v.Uncut()) {
		role := v.Uncut().Role(o.Role)
		if o.Ended || role.Retired {
			continue
		}
		x := catalogueRole(v, o, id)
		hay := strings.ToLower(role.Description + " " + v.Uncut().RoleKey(o.Role) + " " + o.Words + " " + v.Uncut().Role(o.Role).Label)
		for _, t := range o.Translations { // whoever knows a word of another language finds it too
			hay += " " + strings.ToLower(t.Label+" "+t.Words)
		}
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
func onBehalfOf(v *seeing.View, user string) (fact.UserID, error) {
	if user == "" {
		return v.Caller.User, nil
	}
	id, ok := v.Uncut().FindUser(user)
	if !ok || !v.ReadsUser(id) {
		return 0, v.Missing(fact.FactUser, user)
	}
	if id != v.Caller.User && v.Uncut().User(id).Manager != v.Caller.User {
		return 0, seeing.Refused("you may request access for yourself and for people you manage, not for %s", v.UserName(id))
	}
	return id, nil
}

// inReadersWords is what one can do with a requestable role, in the language that the caller
// reads, in which the role is called then too.
func inReadersWords(v *seeing.View, o *request.Requestable, role *wire.Ref) string {
	label, words := o.In(request.LanguageOf(v.UncutToday(), v.Caller.User))
	role.Label = cmp.Or(label, role.Label)
	return cmp.Or(words, o.Words)
}

func catalogueRole(v *seeing.View, o *request.Requestable, user fact.UserID) wire.CatalogueRole {
	role := v.Uncut().Role(o.Role)
	out := wire.CatalogueRole{Role: v.RoleRef(o.Role, true), MaxDays: o.MaxDays, Steps: []string{}, Held: held.HasRole(v.Uncut(), user, o.Role, v.At)}
	out.Words = inReadersWords(v, o, &out.Role)
	for _, t := range o.Translations {
		out.Translations = append(out.Translations, wire.Translation{Language: t.Language, Label: t.Label, Words: t.Words})
	}
	if role.Application != 0 {
		app := v.ApplicationRef(role.Application, true)
		out.Application = &app
	}
	if route := request.RouteOf(v.Uncut(), o.Route); route != nil {
		for i := range route.Steps {
			out.Steps = append(out.Steps, route.Steps[i].Words(v.Uncut(), plainly{v.Uncut()}))
		}
	}
	for _, r := range request.Requests(v.Uncut()) {
		if r.State == request.Waiting && r.Role == o.Role && r.Beneficiary == user {
			out.Waiting = r.ID.String()
		}
	}
	return out
}

// CatalogueRole is one requestable role, with what it would give somebody.
func CatalogueRole(v *seeing.View, ref, user string) (wire.OneCatalogueRole, error) {
	out := wire.OneCatalogueRole{Basis: v.Basis()}
	id, err := onBehalfOf(v, user)
	if err != nil {
		return out, err
	}
	role, ok := v.Uncut().FindRole(ref)
	o := request.RequestableOf(v.Uncut(), role)
	if !ok || o == nil {
		return out, seeing.NotFound("the role “%s” is not requestable", ref)
	}
	out.CatalogueRole = catalogueRole(v, o, id)
	out.Gains, out.SoDRules = wouldAdd(v, id, role, calendar.Window{}, nil)
	return out, nil
}

// Routes are all routes of approval.
func Routes(v *seeing.View) (wire.RouteList, error) {
	out := wire.RouteList{Basis: v.Basis(), Routes: []wire.Route{}}
	if !v.ReadsSettings() {
		return out, seeing.Refused("you may not read the routes")
	}
	for _, f := range request.Routes(v.Uncut()) {
		x := wire.Route{ID: f.ID.String(), Key: f.Key, Label: f.Label, Steps: []string{}}
		for i := range f.Steps {
			x.Steps = append(x.Steps, f.Steps[i].Words(v.Uncut(), v))
		}
		for _, o := range request.Requestables(v.Uncut()) {
			if o.Route == f.ID && !o.Ended {
				x.Roles++
			}
		}
		out.Routes = append(out.Routes, x)
	}
	return out, nil
}

// Today is what waits for the caller.
func Today(v *seeing.View) wire.Today {
	v = v.WithKnownUsers()
	out := wire.Today{Basis: v.Basis(), Ending: []wire.Ending{}}
	var decide, mine, stuck []*request.Request
	fresh := v.At - calendar.Instant(seeing.Soon.Microseconds())
	all := request.Requests(v.Uncut())
	opened := opened(v, all)
	allRequests := v.Rights().May(access.ActUpdate, "requests")
	for _, r := range all {
		switch {
		case r.State != request.Waiting:
			if own(v, r) && opened[r.Since()] >= fresh {
				mine = append(mine, r)
			}
		case own(v, r):
			mine = append(mine, r)
		case r.MayDecide(v.Uncut(), v.Caller.User, v.At) == "":
			decide = append(decide, r)
		case allRequests && v.ReadsRequest(r) && len(r.Deciders(v.Uncut(), v.At)) == 0:
			stuck = append(stuck, r)
		}
	}
	slices.Reverse(mine)
	out.Reviews = []wire.WaitingReview{}
	for _, r := range review.Rounds(v.Uncut()) {
		if r.State != review.Open {
			continue
		}
		// While the database is away an old day may not be at hand: the rest of
		// the page stands without it.
		if n, err := left(v, r); err == nil && n > 0 {
			out.Reviews = append(out.Reviews, wire.WaitingReview{Key: r.Key, Label: r.Label, Items: n})
		}
	}
	out.ToDecide, out.Mine, out.Stuck = requests(v, decide), requests(v, mine), requests(v, stuck)
	for _, a := range v.Uncut().Given(fact.Assignee{User: v.Caller.User}) {
		if w := a.Window; w.Until > v.At && w.Until <= v.At+calendar.Instant(seeing.Soon.Microseconds()) {
			out.Ending = append(out.Ending, wire.Ending{Role: v.RoleRef(a.Role, true), Until: w.Until.Time()})
		}
	}
	return out
}

// own says whether the caller asked for something, or gets it.
func own(v *seeing.View, r *request.Request) bool {
	return r.Asker == v.Caller.User || r.Beneficiary == v.Caller.User
}

// opened is when the caller's own requests that wait no more came to be as they are, by
// the revisions that made them so: a while ago when the ledger cannot say.
func opened(v *seeing.View, all []*request.Request) map[int64]calendar.Instant {
	out := map[int64]calendar.Instant{}
	var since []int64
	for _, r := range all {
		if r.State != request.Waiting && own(v, r) {
			since = append(since, r.Since())
		}
	}
	if revs, err := v.Service.Ledger.Reasons(v.Ctx, since); err == nil {
		for n, r := range revs {
			out[n] = r.At
		}
	}
	return out
}

// GrownSince tells whoever decides how the role has grown since it was asked for.
func GrownSince(v *seeing.View, ops []change.Operation) []wire.Note {
	var out []wire.Note
	for i, op := range ops {
		o, ok := op.(*request.DecideRequest)
		if !ok || o.Choice != request.Approve {
			continue
		}
		n, _ := fact.ParseID("request", string(o.Request))
		if r := request.RequestOf(v.Uncut(), request.RequestID(n)); r != nil {
			if more := grown(v, r); len(more) > 0 {
				out = append(out, wire.Note{Operation: i, Code: "grown", Message: "Since the request, the role has come to give: " + strings.Join(more, "; ") + "."})
			}
		}
	}
	return out
}

// SpeaksOfRequests says whether a change asks for or decides on something.
func SpeaksOfRequests(ops []change.Operation) bool {
	return slices.ContainsFunc(ops, func(op change.Operation) bool {
		switch op.(type) {
		case *request.RequestRole, *request.DecideRequest, *request.WithdrawRequest:
			return true
		}
		return false
	})
}

// WaitsFor says of the requests a change asked for or decided on whom they wait
// for next.
func WaitsFor(v *seeing.View, ops []change.Operation) []wire.Note {
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
		r := request.RequestOf(v.Uncut(), request.RequestID(n))
		if r == nil || r.State != request.Waiting {
			continue
		}
		var names []string
		for _, id := range r.Deciders(v.Uncut(), v.At) {
			names = append(names, v.UserName(id))
		}
		text := r.ID.String() + " waits for " + r.Steps[r.Step].Words(v.Uncut(), plainly{v.Uncut()})
		switch {
		case len(names) == 0:
			text += ". Nobody can decide: " + r.Steps[r.Step].Nobody() + ". An administrator sees it on their Today page."
		case len(names) <= 3:
			text += ": " + strings.Join(names, ", ") + "."
		default:
			text += "."
		}
		out = append(out, wire.Note{Operation: i, Code: "waits_for", Message: text})
	}
	return out
}
