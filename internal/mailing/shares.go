package mailing

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/past"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// concernedByShares are who is told of what was shared: with whom it was, and the owners of the
// roles.
func concernedByShares(s *access.Snapshot, shared []past.Shared) []fact.UserID {
	out := map[fact.UserID]bool{}
	for _, x := range shared {
		for _, id := range []fact.UserID{x.User, s.OwnerOf(x.Role)} {
			if unsendable(s.User(id)) == "" {
				out[id] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(out))
}

// mostSharesTold bounds how many shares a mail is drawn from, the newest ones.
const mostSharesTold = 500

// shareLines are what was shared since with somebody, and of the roles that somebody owns: a
// line a resource each.
func (m *Mailing) shareLines(v *seeing.View, id fact.UserID, since time.Time) (with, owned []line) {
	s := v.UncutToday()
	if week := m.Service.Clock().AddDate(0, 0, -7); since.Before(week) { // who was never mailed is told of the last days
		since = week
	}
	var mine, others []*fact.Assignment
	for _, a := range s.Given(fact.Assignee{User: id}) {
		if a.Origin == fact.ByShare {
			mine = append(mine, a)
		}
	}
	for r := range s.Roles() {
		if r.MaxShares > 0 && !r.Retired && s.OwnerOf(r.ID) == id {
			for a := range query.SharesOf(s, r.ID) {
				others = append(others, a)
			}
		}
	}
	at := m.Base + "/shares"
	for _, x := range resources(v, mine, since) {
		with = append(with, line{sharers(s, x), resourceWords(s, x[0].Scopes[0]), rolesShared(s, x), at})
	}
	for _, x := range resources(v, others, since) {
		users := map[fact.UserID]bool{}
		for _, a := range x {
			users[a.Assignee.User] = true
		}
		owned = append(owned, line{sharers(s, x), resourceWords(s, x[0].Scopes[0]), rolesShared(s, x) + ", with " + fact.Count(len(users), "user"), at})
	}
	return with, owned
}

// resources are the newest of some shares that were made since, by the resource they are within.
func resources(v *seeing.View, all []*fact.Assignment, since time.Time) (out [][]*fact.Assignment) {
	slices.SortFunc(all, func(a, b *fact.Assignment) int { return cmp.Compare(b.Opened, a.Opened) })
	all = all[:min(len(all), mostSharesTold)]
	given := make([]*wire.Given, len(all))
	for i, a := range all {
		given[i] = &wire.Given{Revision: a.Opened}
	}
	v.Reasons(func(g seeing.Giving) {
		for i := range given {
			g(&given[i])
		}
	})
	place := map[fact.Scope]int{}
	for i, a := range all {
		if given[i] == nil || !given[i].At.After(since) {
			continue
		}
		n, ok := place[a.Scopes[0]]
		if !ok {
			n = len(out)
			place[a.Scopes[0]] = n
			out = append(out, nil)
		}
		out[n] = append(out[n], a)
	}
	return out
}

func sharers(s *access.Snapshot, all []*fact.Assignment) string {
	var names []string
	for _, a := range all {
		if u := s.User(a.SharedBy); u != nil && !slices.Contains(names, seeing.Label(u)) {
			names = append(names, seeing.Label(u))
		}
	}
	slices.Sort(names)
	return strings.Join(names, ", ")
}

func rolesShared(s *access.Snapshot, all []*fact.Assignment) string {
	var names []string
	for _, a := range all {
		if label := change.RoleLabel(s, a.Role); !slices.Contains(names, label) {
			names = append(names, label)
		}
	}
	slices.Sort(names)
	return strings.Join(names, ", ")
}

func resourceWords(s *access.Snapshot, in fact.Scope) string {
	name := in.Pattern
	if r, ok := s.FindResource(in.Application, in.Pattern); ok {
		name = r.Label
	}
	return name + " of " + s.Application(in.Application).Label
}
