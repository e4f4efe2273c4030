package service

import (
	"cmp"
	"slices"
	"sync"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/review"
	"ableroster/wire"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// looked is what a round looks at: its lines, and how many of each unit hold each
// role. Both follow from a past revision and never change.
type reviewed struct {
	lines []review.Item
	keys  map[review.ItemKey]bool
	peers map[unitRole]int
	units map[string]int
}

type unitRole struct {
	unit string
	role fact.RoleID
}

// rounds keeps what the rounds last read look at.
type rounds struct {
	mu   sync.Mutex
	kept *simplelru.LRU[review.RoundID, *reviewed]
}

// mostRounds bounds how many are kept at once, those used last: some 80 bytes a line
// each.
const mostRounds = 100

func (c *rounds) get(id review.RoundID) *reviewed {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.kept == nil {
		return nil
	}
	x, _ := c.kept.Get(id)
	return x
}

func (c *rounds) put(id review.RoundID, x *reviewed) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.kept == nil {
		c.kept, _ = simplelru.NewLRU[review.RoundID, *reviewed](mostRounds, nil)
	}
	c.kept.Add(id, x)
}

// look reads what a round looks at, once.
func (v *View) look(r *review.Round) (*reviewed, error) {
	c := &v.service.rounds
	x := c.get(r.ID)
	if x != nil {
		return x, nil
	}
	s, err := v.service.Ledger.At(v.ctx, r.At)
	if err != nil {
		return nil, err
	}
	x = &reviewed{lines: r.Items(s), keys: map[review.ItemKey]bool{}, peers: map[unitRole]int{}, units: map[string]int{}}
	for u := range s.Users() {
		if !s.Effective(u.ID, r.At) {
			continue
		}
		x.units[u.Unit]++
		seen := map[fact.RoleID]bool{}
		query.EachAssignment(s, u.ID, r.At, func(a *fact.Assignment) {
			if !seen[a.Role] {
				seen[a.Role] = true
				x.peers[unitRole{u.Unit, a.Role}]++
			}
		})
	}
	for i := range x.lines {
		x.keys[x.lines[i].ItemKey] = true
	}
	c.put(r.ID, x)
	return x, nil
}

// seesItem says whether the caller may see a line: whoever reviews it, and who
// reads reviews, within the users they may read.
func (v *View) seesItem(r *review.Round, l *review.Item) (sees, mine bool) {
	mine = r.Reviews(v.today, v.caller.User, l.User, l.Role, v.now())
	return mine || v.rights().May(access.ActRead, "reviews") && v.readsUser(l.User), mine && r.State == review.Open && l.User != v.caller.User
}

func (v *View) now() calendar.Instant { return calendar.At(v.service.Clock()) }

// decisions are those on a round.
func (v *View) decisions(r *review.Round) map[review.ItemKey]*review.Decision {
	out := map[review.ItemKey]*review.Decision{}
	for _, x := range review.Decisions(v.Snapshot) {
		if x.Round == r.ID {
			out[review.ItemKey{User: x.User, Assignment: x.Assignment}] = x
		}
	}
	return out
}

// Rounds are the rounds the caller has lines in, or may read.
func (v *View) Rounds() (wire.RoundList, error) {
	out := wire.RoundList{Basis: v.basis(), Rounds: []wire.Round{}}
	for _, r := range review.Rounds(v.Snapshot) {
		x, sees, err := v.round(r, false)
		if err != nil {
			return out, err
		}
		if sees {
			out.Rounds = append(out.Rounds, x)
		}
	}
	slices.SortStableFunc(out.Rounds, func(a, b wire.Round) int {
		return cmp.Or(cmp.Compare(order(a.State != "open"), order(b.State != "open")), b.FixedAt.Compare(a.FixedAt))
	})
	v.reasons(func(g giving) {
		for i := range out.Rounds {
			g(&out.Rounds[i].Opened)
			g(&out.Rounds[i].Signed)
		}
	})
	return out, nil
}

func (v *View) round(r *review.Round, progress bool) (out wire.Round, sees bool, err error) {
	x, err := v.look(r)
	if err != nil {
		return out, false, err
	}
	out = wire.Round{ID: r.ID.String(), Key: r.Key, Label: r.Label, Scope: v.scopeWords(r), Reviewers: v.reviewerWords(r), State: string(r.State),
		Fixed: r.Fixed, FixedAt: r.At.Time(), Opened: &wire.Given{Revision: r.Fixed}}
	if r.State == review.Signed {
		out.Signed = &wire.Given{Revision: r.Since()}
	}
	said := v.decisions(r)
	by := map[fact.UserID]*wire.RoundProgress{}
	for i := range x.lines {
		l := &x.lines[i]
		seen, mine := v.seesItem(r, l)
		if !seen {
			continue
		}
		out.Items++
		decided := said[l.ItemKey]
		if decided != nil {
			out.Decided++
			if !decided.Keep {
				out.ToRevoke++
			}
		} else if mine {
			out.Mine++
		}
		if !progress {
			continue
		}
		for _, id := range r.ReviewersOf(v.Snapshot, l.User, l.Role, v.at) {
			p := by[id]
			if p == nil {
				p = &wire.RoundProgress{Reviewer: v.userRef(id)}
				by[id] = p
			}
			p.Items++
			if decided != nil {
				p.Decided++
			}
		}
	}
	for _, p := range by {
		out.Progress = append(out.Progress, *p)
	}
	slices.SortFunc(out.Progress, func(a, b wire.RoundProgress) int { return cmp.Compare(a.Reviewer.Label, b.Reviewer.Label) })
	out.MaySign = r.State == review.Open && !v.past && v.rights().May(access.ActUpdate, "reviews")
	return out, out.Items > 0 || v.rights().May(access.ActRead, "reviews"), nil
}

func (v *View) scopeWords(r *review.Round) string {
	switch {
	case r.Application != 0:
		return "who holds what in " + v.applicationRef(r.Application, true).Label
	case r.Group != 0:
		return "what the group " + v.groupRef(r.Group, true).Label + " holds"
	}
	return "what " + v.FilterWords(r.Filter) + " hold"
}

func (v *View) reviewerWords(r *review.Round) string {
	switch r.Reviewers {
	case review.Manager:
		return "each user's manager"
	case review.Owner:
		return "the owner of each role"
	}
	text := ""
	for i, id := range r.Named {
		if i > 0 {
			text += ", "
		}
		text += plainly{v.Snapshot}.UserName(id)
	}
	return text
}

// findRound is a round the caller has to do with.
func (v *View) findRound(ref string) (*review.Round, error) {
	r := review.FindRound(v.Snapshot, ref)
	if r == nil {
		return nil, notFound("there is no review “%s”", ref)
	}
	x, err := v.look(r)
	if err != nil {
		return nil, err
	}
	if v.rights().May(access.ActRead, "reviews") || slices.ContainsFunc(x.lines, func(l review.Item) bool {
		return r.Reviews(v.today, v.caller.User, l.User, l.Role, v.now())
	}) {
		return r, nil
	}
	return nil, notFound("there is no review “%s”", ref)
}

// Round is one round, with how far each reviewer is.
func (v *View) Round(ref string) (wire.OneRound, error) {
	r, err := v.findRound(ref)
	if err != nil {
		return wire.OneRound{}, err
	}
	out, _, err := v.round(r, true)
	if err != nil {
		return wire.OneRound{}, err
	}
	v.reasons(func(g giving) { g(&out.Opened); g(&out.Signed) })
	return wire.OneRound{Basis: v.basis(), Round: out}, nil
}

// LineSearch chooses lines of a round.
type LineSearch struct {
	Mine      bool // that the caller may decide on
	Undecided bool
	Cursor    string
	Limit     int
}

// RoundItems is a page of the items of a round the caller may see.
func (v *View) RoundItems(ref string, q LineSearch) (wire.ReviewItemList, error) {
	out := wire.ReviewItemList{Basis: v.basis(), Items: []wire.ReviewItem{}}
	r, err := v.findRound(ref)
	if err != nil {
		return out, err
	}
	x, err := v.look(r)
	if err != nil {
		return out, err
	}
	then, err := v.service.Ledger.At(v.ctx, r.At)
	if err != nil {
		return out, err
	}
	said := v.decisions(r)
	var found []*review.Item
	for i := range x.lines {
		l := &x.lines[i]
		sees, mine := v.seesItem(r, l)
		if sees && (!q.Mine || mine) && (!q.Undecided || said[l.ItemKey] == nil) {
			found = append(found, l)
		}
	}
	page, next, err := cut(found, q.Cursor, q.Limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(found), next
	for _, l := range page {
		out.Items = append(out.Items, v.reviewItem(r, x, then, l, said[l.ItemKey]))
	}
	v.reasons(func(g giving) {
		for i := range out.Items {
			g(&out.Items[i].Since)
			g(&out.Items[i].Decided)
			visitPaths([]wire.Path{out.Items[i].Path}, g)
		}
	})
	return out, nil
}

// line draws one line as it was when the round opened, to whoever may see it.
func (v *View) reviewItem(r *review.Round, x *reviewed, then *access.Snapshot, l *review.Item, said *review.Decision) wire.ReviewItem {
	w := *v
	w.Snapshot, w.at = then, r.At
	w.known = map[fact.UserID]bool{l.User: true} // a reviewer knows whom they review
	u, role := then.User(l.User), then.Role(l.Role)
	out := wire.ReviewItem{User: w.userRef(l.User), Unit: u.Unit, Title: u.Title, Role: w.roleRef(l.Role, true), Assignment: l.Assignment.String(),
		Through: "direct", Until: instant(l.Until), Since: &wire.Given{Revision: l.Since},
		Peers: x.peers[unitRole{u.Unit, l.Role}] - 1, Unitmates: x.units[u.Unit] - 1}
	if role.Application != 0 {
		app := w.applicationRef(role.Application, true)
		out.Application = &app
	}
	switch {
	case l.Default != 0:
		out.Through = "default"
	case l.Group != 0:
		out.Through = "group"
	}
	if c := query.WayThrough(then, l.User, l.Role, l.Assignment, r.At); c != nil {
		out.Path = w.path(l.User, *c)
	}
	for _, f := range v.Snapshot.SoDRules() {
		if slices.Contains(f.Roles, l.Role) && query.Violates(f, then, l.User, r.At) {
			out.SoDRules = append(out.SoDRules, f.Label)
		}
	}
	a := v.Snapshot.Assignment(l.Assignment)
	out.Gone = a == nil || !query.HoldsThrough(v.Snapshot, l.User, a)
	if said != nil {
		out.Decision = map[bool]string{true: "keep", false: "revoke"}[said.Keep]
		out.Decided = &wire.Given{Revision: said.Since()}
	}
	_, mine := v.seesItem(r, l)
	out.Mine = mine && !out.Gone && !v.past
	return out
}

// left is how many lines of a round still wait for the caller.
func (v *View) left(r *review.Round) (int, error) {
	x, err := v.look(r)
	if err != nil {
		return 0, err
	}
	said, at, n := v.decisions(r), v.now(), 0
	for i := range x.lines {
		l := &x.lines[i]
		if r.Reviews(v.today, v.caller.User, l.User, l.Role, at) && said[l.ItemKey] == nil {
			n++
		}
	}
	return n, nil
}

// undecided are the items of a round without a decision that have not ended by
// themselves, whoever may see them.
func (v *View) undecided(r *review.Round, x *reviewed) int {
	said, n := v.decisions(r), 0
	for i := range x.lines {
		l := &x.lines[i]
		if said[l.ItemKey] == nil {
			if a := v.Snapshot.Assignment(l.Assignment); a != nil && query.HoldsThrough(v.Snapshot, l.User, a) {
				n++
			}
		}
	}
	return n
}

// checkItems files a fault for each line of a change that is not one of its
// round, and for each round the caller has nothing to do with. It may have to read
// an old day, for which the queue of commits does not wait.
func (v *View) checkItems(ops []change.Operation) ([]wire.Fault, error) {
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
		r := review.FindRound(v.Snapshot, string(named))
		if r == nil {
			continue // the operation says so itself
		}
		seen, sees, err := v.round(r, false)
		if err != nil {
			return nil, err
		}
		x, err := v.look(r)
		if err != nil {
			return nil, err
		}
		_, signs := op.(*review.SignOff)
		switch {
		case !sees:
			out = append(out, wire.Fault{Place: placeOf(i, "round"), Message: "there is no round “" + string(named) + "”"})
			continue
		case signs && seen.MaySign && v.undecided(r, x) > 0:
			out = append(out, wire.Fault{Place: placeOf(i, "round"), Message: fact.Count(v.undecided(r, x), "item") + " undecided yet: a round is signed off once all are"})
		}
		for _, ref := range lines {
			n, _ := fact.ParseID("assignment", string(ref.Assignment))
			u, _ := v.FindUser(string(ref.User))
			if !x.keys[review.ItemKey{User: u, Assignment: fact.AssignmentID(n)}] {
				out = append(out, wire.Fault{Place: placeOf(i, "items"), Message: "no such item in this review"})
				break
			}
		}
	}
	return out, nil
}

// readsPendingRemoval says whether a removal waits for the caller, or they see to reviews.
func (v *View) readsPendingRemoval(p *review.PendingRemoval) bool {
	owner := p.Owner(v.today)
	return owner != 0 && owner == v.caller.User || v.rights().May(access.ActUpdate, "reviews")
}
