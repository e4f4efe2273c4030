package workflows

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/review"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// look reads what a round looks at, once.
func look(v *seeing.View, r *review.Round) (*seeing.Reviewed, error) {
	c := &v.Service.Rounds
	x := c.Get(r.ID)
	if x != nil {
		return x, nil
	}
	s, unit := v.UncutToday(), func(string) bool { return true }
	if r.Moved != 0 { // it has its items, and where they are now counts
		at := s.User(r.Moved).Unit
		unit = func(x string) bool { return x == at }
	} else {
		var err error
		if s, err = v.Service.Ledger.At(v.Ctx, r.At); err != nil {
			return nil, err
		}
	}
	x = &seeing.Reviewed{Lines: r.Items(s), Keys: map[review.ItemKey]bool{}, Peers: map[seeing.UnitRole]int{}, Units: map[string]int{}}
	for u := range s.Users() {
		if !unit(u.Unit) || !s.Effective(u.ID, r.At) {
			continue
		}
		x.Units[u.Unit]++
		seen := map[fact.RoleID]bool{}
		query.EachAssignment(s, u.ID, r.At, func(a *fact.Assignment) {
			if !seen[a.Role] {
				seen[a.Role] = true
				x.Peers[seeing.UnitRole{Unit: u.Unit, Role: a.Role}]++
			}
		})
	}
	for i := range x.Lines {
		for k := range x.Lines[i].Keys() {
			x.Keys[k] = true
		}
	}
	c.Put(r.ID, x)
	return x, nil
}

// seesItem says whether the caller may see a line: whoever reviews it, and who
// reads reviews, within the users they may read.
func seesItem(v *seeing.View, r *review.Round, l *review.Item) (sees, mine bool) {
	for k := range l.Keys() {
		s, m := seesKey(v, r, l, k)
		sees, mine = sees || s, mine || m
	}
	return sees, mine
}

// seesKey is seesItem of one user on it.
func seesKey(v *seeing.View, r *review.Round, l *review.Item, k review.ItemKey) (sees, mine bool) {
	mine = r.Reviews(v.UncutToday(), v.Caller.User, k.User, l.Role, l.Shared != nil, now(v))
	return mine || v.Rights().May(access.ActRead, "reviews") && v.ReadsUser(k.User), mine && r.State == review.Open && k.User != v.Caller.User
}

func now(v *seeing.View) calendar.Instant { return calendar.At(v.Service.Clock()) }

// decisions are those on a round.
func decisions(v *seeing.View, r *review.Round) map[review.ItemKey]*review.Decision {
	out := map[review.ItemKey]*review.Decision{}
	for _, x := range review.Decisions(v.Uncut()) {
		if x.Round == r.ID {
			out[review.ItemKey{User: x.User, Assignment: x.Assignment}] = x
		}
	}
	return out
}

// Rounds are the rounds the caller has lines in, or may read.
func Rounds(v *seeing.View) (wire.RoundList, error) {
	out := wire.RoundList{Basis: v.Basis(), Rounds: []wire.Round{}}
	for _, r := range review.Rounds(v.Uncut()) {
		x, sees, err := round(v, r, false)
		if err != nil {
			return out, err
		}
		if sees {
			out.Rounds = append(out.Rounds, x)
		}
	}
	slices.SortStableFunc(out.Rounds, func(a, b wire.Round) int {
		return cmp.Or(cmp.Compare(seeing.Order(a.State != "open"), seeing.Order(b.State != "open")), b.FixedAt.Compare(a.FixedAt))
	})
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Rounds {
			g(&out.Rounds[i].Opened)
			g(&out.Rounds[i].Signed)
		}
	})
	return out, nil
}

func round(v *seeing.View, r *review.Round, progress bool) (out wire.Round, sees bool, err error) {
	x, err := look(v, r)
	if err != nil {
		return out, false, err
	}
	out = wire.Round{ID: r.ID.String(), Key: r.Key, Label: r.Label, Scope: scopeWords(v, r), Reviewers: reviewerWords(v, r), State: string(r.State),
		Fixed: r.Fixed, FixedAt: r.At.Time(), Opened: &wire.Given{Revision: r.Fixed}}
	if r.State == review.Signed {
		out.Signed = &wire.Given{Revision: r.Since()}
	}
	said, e := decisions(v, r), endings(v)
	by := map[fact.UserID]*wire.RoundProgress{}
	for i := range x.Lines {
		l := &x.Lines[i]
		seen, mine := seesItem(v, r, l)
		if !seen {
			continue
		}
		out.Items++
		left := e.waits(said, l)
		if d := e.decidedOn(said, l); d != nil && !d.Keep {
			out.ToRevoke++
		}
		if !left {
			out.Decided++
		} else if mine {
			out.Mine++
		}
		if !progress {
			continue
		}
		for _, id := range r.ReviewersOf(v.Uncut(), l, v.At) {
			p := by[id]
			if p == nil {
				p = &wire.RoundProgress{Reviewer: v.UserRef(id)}
				by[id] = p
			}
			p.Items++
			if !left {
				p.Decided++
			}
		}
	}
	for _, p := range by {
		out.Progress = append(out.Progress, *p)
	}
	slices.SortFunc(out.Progress, func(a, b wire.RoundProgress) int { return cmp.Compare(a.Reviewer.Label, b.Reviewer.Label) })
	out.MaySign = r.State == review.Open && !v.Past && v.Rights().May(access.ActUpdate, "reviews")
	return out, out.Items > 0 || v.Rights().May(access.ActRead, "reviews"), nil
}

func scopeWords(v *seeing.View, r *review.Round) string {
	switch {
	case r.Application != 0:
		return "who holds what in " + v.ApplicationRef(r.Application, true).Label
	case r.Group != 0:
		return "what the group " + v.GroupRef(r.Group, true).Label + " holds"
	}
	if len(r.People) > 0 {
		var names []string
		for _, id := range r.People {
			names = append(names, v.UserRef(id).Label)
		}
		return "what " + fact.ActionWords(names) + map[bool]string{true: " was given by hand", false: " holds"}[r.ByHand] + map[bool]string{true: " before a move"}[r.Moved != 0]
	}
	return "what " + v.Uncut().FilterWords(r.Filter) + " hold"
}

func reviewerWords(v *seeing.View, r *review.Round) string {
	switch r.Reviewers {
	case review.Manager:
		if r.Moved != 0 {
			return "their manager"
		}
		return "each user's manager"
	case review.Head:
		return "the head of each user's unit"
	case review.Owner:
		return "the owner of each role"
	}
	text := ""
	for i, id := range r.Named {
		if i > 0 {
			text += ", "
		}
		text += plainly{v.Uncut()}.UserName(id)
	}
	return text
}

// findRound is a round the caller has to do with.
func findRound(v *seeing.View, ref string) (*review.Round, error) {
	r := review.FindRound(v.Uncut(), ref)
	if r == nil {
		return nil, seeing.NotFound("there is no review “%s”", ref)
	}
	x, err := look(v, r)
	if err != nil {
		return nil, err
	}
	if v.Rights().May(access.ActRead, "reviews") || slices.ContainsFunc(x.Lines, func(l review.Item) bool {
		return slices.Contains(r.ReviewersOf(v.UncutToday(), &l, now(v)), v.Caller.User)
	}) {
		return r, nil
	}
	return nil, seeing.NotFound("there is no review “%s”", ref)
}

// Round is one round, with how far each reviewer is.
func Round(v *seeing.View, ref string) (wire.OneRound, error) {
	r, err := findRound(v, ref)
	if err != nil {
		return wire.OneRound{}, err
	}
	out, _, err := round(v, r, true)
	if err != nil {
		return wire.OneRound{}, err
	}
	v.Reasons(func(g seeing.Giving) { g(&out.Opened); g(&out.Signed) })
	return wire.OneRound{Basis: v.Basis(), Round: out}, nil
}

// left is how many lines of a round still wait for the caller.
func left(v *seeing.View, r *review.Round) (int, error) {
	x, err := look(v, r)
	if err != nil {
		return 0, err
	}
	said, e, at, n := decisions(v, r), endings(v), now(v), 0
	for i := range x.Lines {
		l := &x.Lines[i]
		for k := range l.Keys() {
			if said[k] == nil && r.Reviews(v.UncutToday(), v.Caller.User, k.User, l.Role, l.Shared != nil, at) && !e.gone(k) {
				n++
				break
			}
		}
	}
	return n, nil
}

// undecided are the items of a round without a decision that have not ended by
// themselves, whoever may see them.
func undecided(v *seeing.View, r *review.Round, x *seeing.Reviewed) int {
	said, e, n := decisions(v, r), endings(v), 0
	for i := range x.Lines {
		if e.waits(said, &x.Lines[i]) {
			n++
		}
	}
	return n
}
