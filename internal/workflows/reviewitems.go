package workflows

import (
	"maps"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/record"
	"ableroster/internal/review"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// LineSearch chooses lines of a round.
type LineSearch struct {
	Mine      bool // that the caller may decide on
	Undecided bool
	Cursor    string
	Limit     int
}

// RoundItems is a page of the items of a round the caller may see.
func RoundItems(v *seeing.View, ref string, q LineSearch) (wire.ReviewItemList, error) {
	out := wire.ReviewItemList{Basis: v.Basis(), Items: []wire.ReviewItem{}}
	r, err := findRound(v, ref)
	if err != nil {
		return out, err
	}
	x, err := look(v, r)
	if err != nil {
		return out, err
	}
	then, err := v.Service.Ledger.At(v.Ctx, r.At)
	if err != nil {
		return out, err
	}
	said, e := decisions(v, r), endings(v)
	var found []*review.Item
	for i := range x.Lines {
		l := &x.Lines[i]
		sees, mine := seesItem(v, r, l)
		if sees && (!q.Mine || mine) && (!q.Undecided || e.waits(said, l)) {
			found = append(found, l)
		}
	}
	page, next, err := seeing.Cut(found, q.Cursor, q.Limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(found), next
	for _, l := range page {
		out.Items = append(out.Items, reviewItem(v, e, r, x, then, l, said))
	}
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Items {
			g(&out.Items[i].Since)
			g(&out.Items[i].Decided)
			seeing.VisitPaths([]wire.Path{out.Items[i].Path}, g)
		}
	})
	return out, nil
}

// line draws one line as it was when the round opened, to whoever may see it.
func reviewItem(v *seeing.View, e *ended, r *review.Round, x *seeing.Reviewed, then *access.Snapshot, l *review.Item, all map[review.ItemKey]*review.Decision) wire.ReviewItem {
	w := *v
	w.Show(then)
	w.At = r.At
	w.Known = map[fact.UserID]bool{} // a reviewer knows whom they review
	for k := range l.Keys() {
		if sees, _ := seesKey(v, r, l, k); sees {
			w.Known[k.User] = true
		}
	}
	said, shared := e.decidedOn(all, l), sharedItem(v, &w, e, r, l)
	if shared != nil { // the line is that of the first whom the caller may decide on
		one := *l
		one.ItemKey, l = shared.first, &one
	}
	u, role := then.User(l.User), then.Role(l.Role)
	out := wire.ReviewItem{User: w.UserRef(l.User), Unit: u.Unit, Title: u.Title, Role: w.RoleRef(l.Role, true), Assignment: l.Assignment.String(),
		Through: "direct", Until: seeing.Instant(l.Until), Since: &wire.Given{Revision: l.Since},
		Peers: x.Peers[seeing.UnitRole{Unit: u.Unit, Role: l.Role}] - 1, Unitmates: x.Units[u.Unit] - 1}
	if role.Application != 0 {
		app := w.ApplicationRef(role.Application, true)
		out.Application = &app
	}
	switch {
	case l.Default != 0:
		out.Through = "default"
	case l.Group != 0:
		out.Through = "group"
	}
	if c := query.WayThrough(then, l.User, l.Role, l.Assignment, r.At); c != nil {
		out.Path = w.Path(l.User, *c)
	}
	for _, f := range record.SoDRules(v.Uncut()) {
		if slices.Contains(f.Roles, l.Role) && query.Violates(f, then, l.User, r.At) {
			out.SoDRules = append(out.SoDRules, f.Label)
		}
	}
	out.Gone = e.gone(l.ItemKey)
	if shared != nil {
		out.Shared, out.Gone = &shared.SharedItem, !slices.ContainsFunc(shared.With, func(x wire.SharedWith) bool { return !x.Gone })
	}
	if said != nil {
		out.Decision = map[bool]string{true: "keep", false: "revoke"}[said.Keep]
		out.Decided = &wire.Given{Revision: said.Since()}
		if said.For != 0 {
			if said.By == v.Caller.User {
				w.Known[said.For] = true
			}
			of := w.UserRef(said.For)
			out.For = &of
		}
	}
	_, mine := seesItem(v, r, l)
	out.Mine = mine && !out.Gone && !v.Past
	if shared != nil {
		out.Mine = slices.ContainsFunc(shared.With, func(x wire.SharedWith) bool { return x.Mine })
	}
	return out
}

// sharedOn is what is shared within one resource as a line tells it.
type sharedOn struct {
	wire.SharedItem
	first review.ItemKey
}

// sharedItem draws with whom a line is shared, of those the caller may see on it; nil for a line
// of one user.
func sharedItem(v, w *seeing.View, e *ended, r *review.Round, l *review.Item) *sharedOn {
	if l.Shared == nil {
		return nil
	}
	out := &sharedOn{wire.SharedItem{Path: l.Shared.Pattern, With: []wire.SharedWith{}}, l.ItemKey}
	if res, ok := w.Uncut().FindResource(l.Shared.Application, l.Shared.Pattern); ok {
		out.Resource = res.Label
	}
	chosen := false
	for k := range l.Keys() {
		sees, mine := seesKey(v, r, l, k)
		if !sees {
			continue
		}
		x := wire.SharedWith{User: w.UserRef(k.User), Assignment: k.Assignment.String(), Gone: e.gone(k)}
		x.Mine = mine && !x.Gone && !v.Past
		if len(out.With) == 0 || x.Mine && !chosen {
			out.first, chosen = k, x.Mine
		}
		out.With = append(out.With, x)
	}
	return out
}

// SpeaksOfReviews says whether operations decide on what somebody reviews.
func SpeaksOfReviews(ops []change.Operation) bool {
	return slices.ContainsFunc(ops, func(op change.Operation) bool {
		switch op.(type) {
		case *review.DecideItems, *review.SettlePendingRemoval:
			return true
		}
		return false
	})
}

// WithReviewed is the view in which the caller knows by name whom operations of theirs decide on, and
// in whose place: whoever may decide on somebody knows whom they review. It is for what is said of
// operations that were judged.
func WithReviewed(v *seeing.View, ops []change.Operation) *seeing.View {
	w := *v
	w.Known = maps.Clone(v.Known)
	if w.Known == nil {
		w.Known = map[fact.UserID]bool{}
	}
	known := func(refs ...change.UserRef) {
		for _, ref := range refs {
			if id, ok := v.Uncut().FindUser(string(ref)); ok {
				w.Known[id] = true
			}
		}
	}
	for _, op := range ops {
		switch o := op.(type) {
		case *review.DecideItems:
			for _, l := range o.Items {
				known(l.User)
			}
			known(o.For...)
		case *review.SettlePendingRemoval:
			known(o.For)
		}
	}
	return &w
}

// CheckItems files a fault for each line of a change that is not one of its
// round, and for each round the caller has nothing to do with. It may have to read
// an old day, for which the queue of commits does not wait.
func CheckItems(v *seeing.View, ops []change.Operation) ([]wire.Fault, error) {
	var out []wire.Fault
	for i, op := range ops {
		var named review.RoundRef
		var lines []review.ItemRef
		switch o := op.(type) {
		case *review.DecideItems:
			named, lines = o.Round, o.Items
		case *review.SignOff:
			named = o.Round
		default:
			continue
		}
		r := review.FindRound(v.Uncut(), string(named))
		if r == nil {
			continue // the operation says so itself
		}
		seen, sees, err := round(v, r, false)
		if err != nil {
			return nil, err
		}
		x, err := look(v, r)
		if err != nil {
			return nil, err
		}
		_, signs := op.(*review.SignOff)
		switch {
		case !sees:
			out = append(out, wire.Fault{Place: seeing.PlaceOf(i, "round"), Message: "there is no round “" + string(named) + "”"})
			continue
		case signs && seen.MaySign && undecided(v, r, x) > 0:
			out = append(out, wire.Fault{Place: seeing.PlaceOf(i, "round"), Message: fact.Count(undecided(v, r, x), "item") + " undecided yet: a round is signed off once all are"})
		}
		for _, ref := range lines {
			n, _ := fact.ParseID("assignment", string(ref.Assignment))
			u, _ := v.Uncut().FindUser(string(ref.User))
			if !x.Keys[review.ItemKey{User: u, Assignment: fact.AssignmentID(n)}] {
				out = append(out, wire.Fault{Place: seeing.PlaceOf(i, "items"), Message: "no such item in this review"})
				break
			}
		}
	}
	return out, nil
}
