package access

import (
	"hash/maphash"
	"slices"

	"ableroster/internal/calendar"
)

// Spread is all that a role gives, with all it includes, as a set of bits: one
// for each action on each registered resource or pattern below an open one. Bits
// of one call mean the same in all of its spreads.
type Spread struct {
	Role RoleID
	Bits []uint64
	Size int
	Mark uint64 // differs, nearly always, where the bits do
}

// RoleSpread is what each active role gives that gives anything.
func (s *Snapshot) RoleSpread() []Spread {
	place := map[line]int{}
	trees := map[ApplicationID]*Tree{}
	own := map[PermissionID][]int{} // the bits of each permission, found once
	bitsOf := func(p *Permission) []int {
		if known, ok := own[p.ID]; ok {
			return known
		}
		t := trees[p.Application]
		if t == nil {
			t = s.Tree(p.Application)
			trees[p.Application] = t
		}
		var out []int
		bit := func(l line) {
			if p.Own {
				l.target += " own" // no path ends so: a space begins no segment's end
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
			for _, a := range t.app.fact.Actions {
				if p.gives(a.Key) && (i > 0 || s.resourceAt(t.app, target) != nil || s.belowOpen(t.app, target)) && !s.fenced(t.app, p.Pattern, a.Key, target) {
					bit(line{p.Application, a.Key, target})
				}
			}
		}
		own[p.ID] = out
		return out
	}
	seed := maphash.MakeSeed()
	var out []Spread
	for i := range s.roles.Len() {
		rec := s.roles.At(i)
		if rec == nil || rec.fact == nil || rec.fact.Retired {
			continue
		}
		x := Spread{Role: RoleID(i)}
		for _, r := range rec.closure {
			for _, id := range s.roles.At(int(r)).permissions {
				for _, n := range bitsOf(s.permissions.At(int(id)).fact) {
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
func (s *Snapshot) RoleEntitlements(id RoleID) []Entitlement {
	var perms []held
	for _, r := range s.RoleClosure(id) {
		for _, p := range s.RolePermissions(r) {
			perms = append(perms, held{p, bounds{}, calendar.Always()})
		}
	}
	set := map[line]struct{}{}
	for _, p := range perms {
		s.lines(p, set)
	}
	var out []Entitlement
	for l := range set {
		for c, when := range s.when(l, perms) {
			out = append(out, entitlement(l, c, when, perms))
		}
	}
	sortEntitlements(out)
	return out
}
