package service

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/wire"
)

// Search offers what a few letters may mean, among what the caller may read:
// names that begin with them first.
func (v *View) Search(text string, limit int) wire.SearchResults {
	out := wire.SearchResults{Basis: v.basis(), Hits: []wire.Hit{}}
	text = folded(strings.TrimSpace(text))
	if text == "" {
		return out
	}
	ranks := map[string]int{}
	add := func(kind string, ref wire.Ref, hint string) {
		if rank := min(rankIn(folded(ref.Label), text), rankIn(folded(ref.Key), text)); rank < unranked {
			ranks[ref.ID] = rank
			out.Hits = append(out.Hits, wire.Hit{Kind: kind, Ref: ref, Hint: hint})
		}
	}
	// Of the users no more of a rank than are told: they come by name.
	everybody := v.rights().ReadsAllUsers()
	var of [3]int
	all := v.roll("name", label).rows
	for i := range all {
		r := &all[i]
		if !strings.Contains(r.sought, text) {
			continue
		}
		if rank := r.rank(text); rank < len(of) && of[rank] < limit && (everybody || v.readsUser(r.user.ID)) {
			of[rank]++
			add("user", v.userRef(r.user.ID), strings.Trim(r.user.Title+", "+r.user.Unit, ", "))
			if of[0] == limit {
				break
			}
		}
	}
	for g := range v.Snapshot.Groups() {
		if v.readsGroup(g.ID) {
			add("group", v.groupRef(g.ID, false), g.Description)
		}
	}
	for a := range v.Snapshot.Applications() {
		if v.readsApplication(a.ID) {
			add("application", v.applicationRef(a.ID, false), a.Description)
		}
	}
	for r := range v.Snapshot.Roles() {
		if v.readsRole(r.ID) {
			add("role", v.roleRef(r.ID, false), r.Description)
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

// unranked is the rank of what does not have the letters at all.
const unranked = 9

// rankIn is how near a text is to some letters: it begins with them, a word of it
// does, or they are in it. Both are folded.
func rankIn(s, letters string) int {
	switch i := strings.Index(s, letters); {
	case i == 0:
		return 0
	case i > 0 && !isLetter(s[i-1]):
		return 1
	case i > 0:
		return 2
	}
	return unranked
}

// rank is that of a user, by their name and their user name.
func (r *rollRow) rank(letters string) int {
	name, rest, _ := strings.Cut(r.sought, "\x00")
	user, _, _ := strings.Cut(rest, "\x00")
	return min(rankIn(name, letters), rankIn(user, letters))
}

func isLetter(b byte) bool { return b >= 'a' && b <= 'z' || b >= 0x80 }
