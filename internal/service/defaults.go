package service

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation"
	"ableroster/internal/query"
	"ableroster/wire"
)

// readsSettings says whether the caller may read default rules, SoD rules and
// routes.
func (v *View) readsSettings() bool { return v.rights().May(access.ActRead, "settings") }

// defaultRef names a default rule, nil for none. Whoever sees what it gives sees
// that a rule does.
func (v *View) defaultRef(id fact.DefaultID) *wire.Ref {
	f := v.Snapshot.Default(id)
	if f == nil {
		return nil
	}
	return &wire.Ref{ID: f.ID.String(), Key: f.Key, Label: f.Label}
}

// Defaults are all default rules, those that have ended last.
func (v *View) Defaults() (wire.DefaultList, error) {
	out := wire.DefaultList{Basis: v.basis(), Defaults: []wire.Default{}}
	if !v.readsSettings() {
		return out, Refused("you may not read the default rules")
	}
	given := map[fact.DefaultID]int{}
	for u := range v.Snapshot.Users() {
		if !v.readsUser(u.ID) {
			continue
		}
		for _, f := range v.Snapshot.Defaults() {
			if f.Chooses(u) {
				given[f.ID]++
			}
		}
	}
	for _, f := range v.Snapshot.Defaults() {
		out.Defaults = append(out.Defaults, v.defaultRule(f, given[f.ID]))
	}
	slices.SortStableFunc(out.Defaults, func(a, b wire.Default) int {
		return cmp.Or(cmp.Compare(order(a.Ended), order(b.Ended)), cmp.Compare(a.Label, b.Label))
	})
	v.reasons(func(g giving) {
		for i := range out.Defaults {
			g(&out.Defaults[i].Given)
		}
	})
	for i := range out.Defaults {
		if g := out.Defaults[i].Given; g != nil {
			out.Defaults[i].Since = g.At
		}
	}
	return out, nil
}

func order(last bool) int {
	if last {
		return 1
	}
	return 0
}

func (v *View) defaultRule(f *fact.Default, users int) wire.Default {
	out := wire.Default{ID: f.ID.String(), Key: f.Key, Label: f.Label, Description: f.Description, Everybody: f.Everybody, Filter: f.Filter, FilterWords: v.filterWords(f.Filter),
		Roles: []wire.Ref{}, Groups: []wire.Ref{}, Ended: f.Ended, UserCount: users, Words: operation.DefaultWords(f, v.Snapshot), Given: &wire.Given{Revision: f.Opened}}
	for _, r := range f.Roles {
		out.Roles = append(out.Roles, v.roleRef(r, false))
	}
	for _, g := range f.Groups {
		out.Groups = append(out.Groups, v.groupRef(g, false))
	}
	return out
}

// wouldBe is the view with one more user of given facts.
func (v *View) wouldBe(u fact.User) (*View, fact.UserID, error) {
	s, id, faults := change.WouldBe(v.Snapshot, u)
	if len(faults) > 0 {
		var all []wire.Fault
		for _, f := range faults {
			all = append(all, wire.Fault{Place: "would_be/" + f.Field, Message: f.Message})
		}
		return nil, 0, Invalid("nobody can be like that", all...)
	}
	w := *v
	w.Snapshot = s
	return &w, id, nil
}

// newUser stands for somebody who is not there yet.
var newUser = wire.Ref{Label: "A new user"}

// NewUserPreview is what a new user of given facts would have, and why; to whoever may
// see or add users there.
func (v *View) NewUserPreview(u fact.User) (wire.NewUserPreview, error) {
	out := wire.NewUserPreview{Basis: v.basis(), Rules: []wire.Ref{}, Roles: []wire.NewUserRole{}, Groups: []wire.Membership{}, Lines: []wire.AccessLine{}}
	w, id, err := v.wouldBe(u)
	if err != nil {
		return out, err
	}
	if where := w.UserPath(id); !v.rights().May(access.ActRead, where) && !v.rights().May(access.ActCreate, where) {
		return out, Refused("you may neither see nor add users there")
	}
	for _, f := range w.Snapshot.Defaults() {
		if f.Chooses(w.Snapshot.User(id)) {
			out.Rules = append(out.Rules, *w.defaultRef(f.ID))
		}
	}
	for r := range w.Snapshot.Roles() {
		if c := query.WayToRole(w.Snapshot, id, r.ID, v.at); c != nil && v.readsRole(r.ID) {
			out.Roles = append(out.Roles, wire.NewUserRole{Role: v.roleRef(r.ID, false), Path: w.path(id, *c)})
		}
	}
	slices.SortFunc(out.Roles, func(a, b wire.NewUserRole) int { return cmp.Compare(a.Role.Label, b.Role.Label) })
	out.Groups = w.User(id).Groups
	out.Lines = w.Access(id).Lines
	for i := range out.Groups {
		if out.Groups[i].MemberKind == "user" {
			out.Groups[i].Member, out.Groups[i].SinceRevision = newUser, 0
		}
	}
	for i := range out.Roles {
		unmade(&out.Roles[i].Path)
	}
	for i := range out.Lines {
		for k := range out.Lines[i].Paths {
			unmade(&out.Lines[i].Paths[k])
		}
	}
	return out, nil
}

// unmade takes from a path what only facts that are there have: a name for the
// user, and who gave it.
func unmade(p *wire.Path) {
	p.Steps[0].Ref = newUser
	for i := range p.Steps {
		p.Steps[i].Assignment = ""
		if p.Steps[i].Default != nil {
			p.Steps[i].Given = nil
		}
	}
}
