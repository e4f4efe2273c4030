package service

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/wire"
)

// MembersOf is a page of the users who are in a group at the view's instant, each
// with why, of those the caller may read.
func (v *View) MembersOf(ref, text, cursor string, limit int) (wire.GroupMemberList, error) {
	out := wire.GroupMemberList{Basis: v.basis(), Members: []wire.GroupMember{}}
	id, ok := v.FindGroup(ref)
	if !ok || !v.readsGroup(id) {
		return out, v.missing(fact.FactGroup, ref)
	}
	sought := folded(strings.TrimSpace(text))
	var all []query.MemberWay
	for _, w := range query.WaysIn(v.Snapshot, id, v.at) {
		u := v.Snapshot.User(w.User)
		if v.readsUser(w.User) && strings.Contains(folded(label(u)+" "+u.UserName), sought) {
			all = append(all, w)
		}
	}
	names := map[fact.UserID]string{}
	for _, w := range all {
		names[w.User] = folded(label(v.Snapshot.User(w.User)))
	}
	slices.SortFunc(all, func(a, b query.MemberWay) int {
		return cmp.Or(strings.Compare(names[a.User], names[b.User]), cmp.Compare(a.User, b.User))
	})
	page, next, err := cut(all, cursor, limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(all), next
	for _, w := range page {
		m := wire.GroupMember{User: v.userRef(w.User), How: "listed", From: instant(w.Window.From), Until: instant(w.Window.Until)}
		for _, g := range w.Through {
			m.Through = append(m.Through, v.groupRef(g, false))
		}
		switch {
		case w.Everybody:
			m.How = "everybody"
		case w.Rule != 0:
			m.How = "rule"
			if v.readsGroup(w.Rule) {
				m.Rule = v.Snapshot.Group(w.Rule).Filter
			}
		case len(w.Through) > 0:
			m.How = "group"
		}
		out.Members = append(out.Members, m)
	}
	return out, nil
}
