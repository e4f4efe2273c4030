package query

import (
	"hash/maphash"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Spread is all that a role gives, with all it includes, as a set of bits: one
// for each action on each registered resource or pattern below an open one. Bits
// of one call mean the same in all of its spreads.
type Spread struct {
	Role fact.RoleID
	Bits []uint64
	Size int
	Mark uint64 // differs, nearly always, where the bits do
}

// RoleSpread is what each active role gives that gives anything.
func RoleSpread(s *access.Snapshot) []Spread {
	place := map[Line]int{}
	trees := map[fact.ApplicationID]*Tree{}
	own := map[fact.PermissionID][]int{} // the bits of each permission, found once
	bitsOf := func(p *fact.Permission) []int {
		if known, ok := own[p.ID]; ok {
			return known
		}
		t := trees[p.Application]
		if t == nil {
			t = TreeOf(s, p.Application)
			trees[p.Application] = t
		}
		var out []int
		bit := func(l Line) {
			if p.Own {
				l.Target += " own" // no path ends so: a space begins no segment's end
			}
			n, ok := place[l]
			if !ok {
				n = len(place)
				place[l] = n
			}
			out = append(out, n)
		}
		targets := []string{p.Pattern}
		t.covered(p.Pattern, func(i int) {
			if path := t.nodes[i].Path; path != p.Pattern {
				targets = append(targets, path)
			}
		})
		for i, target := range targets {
			for _, a := range t.app.Fact.Actions {
				if access.Gives(p, a.Key) && (i > 0 || s.ResourceAt(t.app, target) != nil || BelowOpen(s, t.app, target)) && !s.Fenced(t.app, p.Pattern, a.Key, target) {
					bit(Line{p.Application, a.Key, target})
				}
			}
		}
		own[p.ID] = out
		return out
	}
	seed := maphash.MakeSeed()
	var out []Spread
	for i := range s.RoleTable.Len() {
		rec := s.RoleTable.At(i)
		if rec == nil || rec.Fact == nil || rec.Fact.Retired {
			continue
		}
		x := Spread{Role: fact.RoleID(i)}
		for _, r := range rec.Closure {
			for _, id := range s.RoleTable.At(int(r)).Permissions {
				for _, n := range bitsOf(s.PermissionTable.At(int(id)).Fact) {
					for len(x.Bits) <= n>>6 {
						x.Bits = append(x.Bits, 0)
					}
					if w := &x.Bits[n>>6]; *w&(1<<(n&63)) == 0 {
						*w |= 1 << (n & 63)
						x.Size++
						x.Mark ^= maphash.Comparable(seed, n)
					}
				}
			}
		}
		if x.Size > 0 {
			out = append(out, x)
		}
	}
	return slices.Clip(out)
}

// RoleEntitlements are what a role gives to whoever holds it on no bounds, with
// all it includes, in order of application, target and action.
func RoleEntitlements(s *access.Snapshot, id fact.RoleID) []Entitlement {
	var perms []permitted
	for _, r := range s.RoleClosure(id) {
		for _, p := range s.RolePermissions(r) {
			perms = append(perms, permitted{p, fact.Bounds{}, calendar.Always()})
		}
	}
	set := map[Line]struct{}{}
	for _, p := range perms {
		Lines(s, p, set)
	}
	var out []Entitlement
	for l := range set {
		for c, when := range When(s, l, perms) {
			out = append(out, entitlement(l, c, when, perms))
		}
	}
	sortEntitlements(out)
	return out
}
