package lists

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// MembersOf is a page of the users who are in a group at the view's instant, each
// with why, of those the caller may read.
func MembersOf(v *seeing.View, ref, text, cursor string, limit int) (wire.GroupMemberList, error) {
	out := wire.GroupMemberList{Basis: v.Basis(), Members: []wire.GroupMember{}}
	id, ok := v.Uncut().FindGroup(ref)
	if !ok || !v.ReadsGroup(id) {
		return out, v.Missing(fact.FactGroup, ref)
	}
	sought := seeing.Folded(strings.TrimSpace(text))
	var all []query.MemberWay
	for _, w := range query.WaysIn(v.Uncut(), id, v.At) {
		u := v.Uncut().User(w.User)
		if v.ReadsUser(w.User) && strings.Contains(seeing.Folded(seeing.Label(u)+" "+u.UserName), sought) {
			all = append(all, w)
		}
	}
	names := map[fact.UserID]string{}
	for _, w := range all {
		names[w.User] = seeing.Folded(seeing.Label(v.Uncut().User(w.User)))
	}
	slices.SortFunc(all, func(a, b query.MemberWay) int {
		return cmp.Or(strings.Compare(names[a.User], names[b.User]), cmp.Compare(a.User, b.User))
	})
	page, next, err := seeing.Cut(all, cursor, limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(all), next
	for _, w := range page {
		m := wire.GroupMember{User: v.UserRef(w.User), How: "listed", From: seeing.Instant(w.Window.From), Until: seeing.Instant(w.Window.Until), LastDay: v.LastDay(w.Window.Until)}
		for _, g := range w.Through {
			m.Through = append(m.Through, v.GroupRef(g, false))
		}
		switch {
		case w.Everybody:
			m.How = "everybody"
		case w.Rule != 0:
			m.How = "rule"
			if v.ReadsGroup(w.Rule) {
				m.Rule = v.Uncut().Group(w.Rule).Filter
			}
		case len(w.Through) > 0:
			m.How = "group"
		}
		out.Members = append(out.Members, m)
	}
	return out, nil
}
