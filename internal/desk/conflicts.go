package desk

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/wire"
)

// Conflicts are all conflicts with who breaks them; those that have ended last.
func (v *View) Conflicts() (wire.ConflictList, error) {
	out := wire.ConflictList{Stand: v.stand(), Conflicts: []wire.Conflict{}}
	if !v.readsSettings() {
		return out, Refused("you may not read the conflicts")
	}
	for _, f := range v.Snapshot.Conflicts() {
		out.Conflicts = append(out.Conflicts, v.conflict(f))
	}
	slices.SortStableFunc(out.Conflicts, func(a, b wire.Conflict) int {
		return cmp.Or(cmp.Compare(order(a.Ended), order(b.Ended)), cmp.Compare(a.Label, b.Label))
	})
	v.reasons(func(g giving) {
		for i := range out.Conflicts {
			c := &out.Conflicts[i]
			g(&c.Given)
			for k := range c.Breaches {
				visitPaths(c.Breaches[k].Paths, g)
			}
		}
	})
	return out, nil
}

func (v *View) conflict(f *access.Conflict) wire.Conflict {
	out := wire.Conflict{ID: f.ID.String(), Key: f.Key, Label: f.Label, Description: f.Description, Prevent: f.Prevent, Ended: f.Ended,
		Roles: []wire.Ref{}, Breaches: []wire.Breach{}, Given: &wire.Given{Revision: f.Opened}}
	for _, r := range f.Roles {
		out.Roles = append(out.Roles, v.roleRef(r, false))
	}
	for _, b := range v.Breaches(f, v.at) {
		if b.User == 0 || !v.readsUser(b.User) {
			continue
		}
		x := wire.Breach{User: v.userRef(b.User), Until: instant(b.When[0].Until), Paths: []wire.Path{}}
		at := v.at
		if b.When[0].From > v.at {
			x.From, at = instant(b.When[0].From), b.When[0].From
		}
		for _, r := range f.Roles {
			if c := v.WayToRole(b.User, r, at); c != nil {
				x.Paths = append(x.Paths, v.path(b.User, *c))
			}
		}
		out.Breaches = append(out.Breaches, x)
	}
	slices.SortFunc(out.Breaches, func(a, b wire.Breach) int { return cmp.Compare(a.User.Label, b.User.Label) })
	return out
}

// conflictRail says what conflict would come about, to whoever reads its roles.
func (v *View) conflictRail(r access.Rail) string {
	for _, role := range r.Conflict.Roles {
		if !v.readsRole(role) {
			return "Somebody would come to combine roles that nobody may."
		}
	}
	text := v.several(r.Users) + " would break the conflict " + r.Conflict.Label + ": " + r.Conflict.Words(v.Snapshot)
	if r.Conflict.Description != "" {
		text += " (" + r.Conflict.Description + ")"
	}
	return text + "."
}
