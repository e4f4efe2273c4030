package finding

import (
	"cmp"
	"math/bits"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

// almostAll is the share of active people from which on a role is held by almost
// all, and fewPeople how many there must be for a share to mean anything.
const (
	almostAll = 0.9
	fewPeople = 20
)

// inRoles looks at who holds roles and who owns them.
func (r *Report) inRoles() []Finding {
	people := 0
	for u := range r.s.Users() {
		if u.UserKind == fact.Person && r.s.Effective(u.ID, r.at) {
			people++
		}
	}
	var out []Finding
	for x := range r.s.Roles() {
		app := r.s.Application(x.Application)
		if x.Retired || app != nil && app.State == fact.StateRetired {
			continue
		}
		add := func(c Code, f Finding) {
			f.Code, f.Role, f.Application = c, x.ID, x.Application
			out = append(out, f)
		}
		if !r.gives(x.ID) {
			add(RoleEmpty, Finding{})
		}
		if x.Application == 0 && !answers(r.s, x.Owner) {
			add(RoleUnowned, Finding{})
		}
		h := r.roles[x.ID]
		switch {
		case h.Users == 0:
			add(RoleUnheld, Finding{})
		case h.Wide:
		case h.Users == 1 && r.s.User(h.Least).UserKind == fact.Service: // one machine is meant
		case h.Users == 1:
			add(RoleSingle, Finding{User: h.Least})
		case people >= fewPeople && float64(h.Users) >= almostAll*float64(people):
			add(AlmostEverybody, Finding{Count: h.Users})
		}
	}
	return out
}

// gives says whether a role carries a permission, itself or through what it
// includes.
func (r *Report) gives(id fact.RoleID) bool {
	for _, x := range r.s.RoleClosure(id) {
		if len(r.s.RolePermissions(x)) > 0 {
			return true
		}
	}
	return false
}

// The least share of two roles' rights, of all that either gives, from which on
// they are nearly the same.
const nearly = 0.9

// alike are the pairs of active roles that give nearly the same. A role that
// includes another is meant to be like it.
func alike(s *access.Snapshot) []Finding {
	all := query.RoleSpread(s)
	slices.SortFunc(all, func(a, b query.Spread) int { return cmp.Or(cmp.Compare(a.Size, b.Size), cmp.Compare(a.Role, b.Role)) })
	var out []Finding
	for i := range all {
		a := &all[i]
		for j := i + 1; j < len(all) && float64(a.Size) >= nearly*float64(all[j].Size); j++ {
			b := &all[j]
			if a.Mark != b.Mark && a.Size == b.Size && a.Size < 10 {
				continue // differing by one is differing by more than a tenth
			}
			both := 0
			for k := range min(len(a.Bits), len(b.Bits)) {
				both += bits.OnesCount64(a.Bits[k] & b.Bits[k])
			}
			if float64(both) < nearly*float64(a.Size+b.Size-both) || slices.Contains(s.RoleClosure(a.Role), b.Role) || slices.Contains(s.RoleClosure(b.Role), a.Role) {
				continue
			}
			first, second := min(a.Role, b.Role), max(a.Role, b.Role)
			out = append(out, Finding{Code: RoleAlike, Role: first, Other: second, Application: s.Role(first).Application})
		}
	}
	slices.SortFunc(out, func(a, b Finding) int { return cmp.Or(cmp.Compare(a.Role, b.Role), cmp.Compare(a.Other, b.Other)) })
	return out
}
