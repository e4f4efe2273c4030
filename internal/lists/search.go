package lists

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/seeing"
	"ableroster/wire"
)

// Search offers what a few letters may mean, among what the caller may read:
// names that begin with them first.
func Search(v *seeing.View, text string, limit int) wire.SearchResults {
	out := wire.SearchResults{Basis: v.Basis(), Hits: []wire.Hit{}}
	text = seeing.Folded(strings.TrimSpace(text))
	if text == "" {
		return out
	}
	ranks := map[string]int{}
	add := func(kind string, ref wire.Ref, hint string) {
		if rank := min(seeing.RankIn(seeing.Folded(ref.Label), text), seeing.RankIn(seeing.Folded(ref.Key), text)); rank < seeing.Unranked {
			ranks[ref.ID] = rank
			out.Hits = append(out.Hits, wire.Hit{Kind: kind, Ref: ref, Hint: hint})
		}
	}
	// Of the users no more of a rank than are told: they come by name.
	everybody := v.Rights().ReadsAllUsers()
	var of [3]int
	all := v.Roll("name", seeing.Label).Rows
	for i := range all {
		r := &all[i]
		if !strings.Contains(r.Sought, text) {
			continue
		}
		if rank := r.Rank(text); rank < len(of) && of[rank] < limit && (everybody || v.ReadsUser(r.User.ID)) {
			of[rank]++
			add("user", v.UserRef(r.User.ID), strings.Trim(r.User.Title+", "+r.User.Unit, ", "))
			if of[0] == limit {
				break
			}
		}
	}
	for g := range v.Uncut().Groups() {
		if v.ReadsGroup(g.ID) {
			add("group", v.GroupRef(g.ID, false), g.Description)
		}
	}
	for a := range v.Uncut().Applications() {
		if v.ReadsApplication(a.ID) {
			add("application", v.ApplicationRef(a.ID, false), a.Description)
		}
	}
	for r := range v.Uncut().Roles() {
		if v.ReadsRole(r.ID) {
			add("role", v.RoleRef(r.ID, false), r.Description)
		}
	}
	slices.SortStableFunc(out.Hits, func(a, b wire.Hit) int {
		return cmp.Or(cmp.Compare(ranks[a.ID], ranks[b.ID]), cmp.Compare(a.Label, b.Label))
	})
	if len(out.Hits) > limit {
		out.Hits = out.Hits[:limit]
	}
	return out
}
