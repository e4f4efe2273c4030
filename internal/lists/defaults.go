package lists

import (
	"cmp"
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/rules"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// Defaults are all default rules, those that have ended last.
func Defaults(v *seeing.View) (wire.DefaultList, error) {
	out := wire.DefaultList{Basis: v.Basis(), Defaults: []wire.Default{}}
	if !v.ReadsSettings() {
		return out, seeing.Refused("you may not read the default rules")
	}
	given := map[fact.DefaultID]int{}
	for u := range v.Uncut().Users() {
		if !v.ReadsUser(u.ID) {
			continue
		}
		for _, f := range record.Defaults(v.Uncut()) {
			if f.Chooses(u) {
				given[f.ID]++
			}
		}
	}
	for _, f := range record.Defaults(v.Uncut()) {
		out.Defaults = append(out.Defaults, defaultRule(v, f, given[f.ID]))
	}
	slices.SortStableFunc(out.Defaults, func(a, b wire.Default) int {
		return cmp.Or(cmp.Compare(seeing.Order(a.Ended), seeing.Order(b.Ended)), cmp.Compare(a.Order, b.Order), cmp.Compare(a.Label, b.Label))
	})
	v.Reasons(func(g seeing.Giving) {
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

func defaultRule(v *seeing.View, f *fact.Default, users int) wire.Default {
	out := wire.Default{ID: f.ID.String(), Key: f.Key, Label: f.Label, Description: f.Description, Everybody: f.Everybody, Filter: f.Filter, FilterWords: filterWords(v, f.Filter),
		Roles: []wire.Ref{}, Groups: []wire.Ref{}, Ended: f.Ended, UserCount: users, Words: rules.DefaultWords(f, v.Uncut()), Given: &wire.Given{Revision: f.Opened}}
	out.Order, out.Final, out.From, out.Until, out.LastDay = f.Order, f.Final, seeing.Instant(f.Active.From), seeing.Instant(f.Active.Until), v.LastDay(f.Active.Until)
	out.Scopes, out.AfterDays, out.LastsDays, out.OverlapDays = v.Scopes(f.Scopes), f.After, f.Lasts, f.OverlapDays
	if f.Owner != 0 {
		owner := v.UserRef(f.Owner)
		out.Owner = &owner
	}
	for _, r := range f.Roles {
		out.Roles = append(out.Roles, v.RoleRef(r, false))
	}
	for _, g := range f.Groups {
		out.Groups = append(out.Groups, v.GroupRef(g, false))
	}
	return out
}

// WouldBe is the view with one more user of given facts.
func WouldBe(v *seeing.View, u fact.User) (*seeing.View, fact.UserID, error) {
	s, id, faults := change.WouldBe(v.Uncut(), u)
	if len(faults) > 0 {
		var all []wire.Fault
		for _, f := range faults {
			all = append(all, wire.Fault{Place: "would_be/" + f.Field, Message: f.Message})
		}
		return nil, 0, seeing.Invalid("nobody can be like that", all...)
	}
	w := *v
	w.Show(s)
	return &w, id, nil
}

// NewUser stands for somebody who is not there yet.
var NewUser = wire.Ref{Label: "A new user"}

// Unmade takes from a path what only facts that are there have: a name for the
// user, and who gave it.
func Unmade(p *wire.Path) {
	p.Steps[0].Ref = NewUser
	for i := range p.Steps {
		p.Steps[i].Assignment = ""
		if p.Steps[i].Default != nil {
			p.Steps[i].Given = nil
		}
	}
}
