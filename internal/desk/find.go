package desk

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/wire"
)

// Find offers what a few letters may mean, among what the caller may read:
// names that begin with them first.
func (v *View) Find(text string, limit int) wire.Found {
	out := wire.Found{Stand: v.stand(), Hits: []wire.Hit{}}
	text = folded(strings.TrimSpace(text))
	if text == "" {
		return out
	}
	ranks := map[string]int{}
	add := func(kind string, ref wire.Ref, hint string) {
		rank := 9
		for _, s := range []string{ref.Label, ref.Key} {
			s = folded(s)
			switch i := strings.Index(s, text); {
			case i == 0:
				rank = min(rank, 0)
			case i > 0 && !isLetter(s[i-1]):
				rank = min(rank, 1)
			case i > 0:
				rank = min(rank, 2)
			}
		}
		if rank < 9 {
			ranks[ref.ID] = rank
			out.Hits = append(out.Hits, wire.Hit{Kind: kind, Ref: ref, Hint: hint})
		}
	}
	everybody := v.rights().ReadsAllUsers()
	for u := range v.Snapshot.Users() {
		if (mentions(label(u), text) || mentions(u.UserName, text)) && (everybody || v.readsUser(u.ID)) {
			add("user", v.userRef(u.ID), strings.Trim(u.Title+", "+u.Unit, ", "))
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

func isLetter(b byte) bool { return b >= 'a' && b <= 'z' || b >= 0x80 }
