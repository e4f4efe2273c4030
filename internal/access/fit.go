package access

import (
	"sync/atomic"
	"unsafe"

	"ableroster/internal/fact"
	"ableroster/internal/paged"
)

// What an action on a registered resource comes to is the same for everybody
// but for the roles they hold. So the roles that give it are found once, when
// somebody first asks, and kept for as long as nothing that bears on them
// changes: most changes are to people, and leave them alone.

// fit is, for one action on one resource, which roles (with all they include)
// have a permission that fits: two bits a role, side by side in words. The
// first says it gives it to any holder, the second that it may fall short, by a
// fence or for being limited to own resources.
type fit []fitWord

type fitWord struct{ gives, near uint64 }

func (f fit) set(role fact.RoleID) *fitWord { return &f[role>>6] }

// fits are those of an application found so far: by resource, then action. It
// is replaced, empty, when its resources, actions or fences change or what any
// role gives in it does.
type fits struct {
	found atomic.Pointer[[]atomic.Pointer[fit]]
}

func (x *fits) slot(i, of int) *atomic.Pointer[fit] {
	all := x.found.Load()
	if all == nil {
		made := make([]atomic.Pointer[fit], of)
		x.found.CompareAndSwap(nil, &made)
		all = x.found.Load()
	}
	return &(*all)[i]
}

// fit finds what gives a declared action on a registered resource.
func (s *Snapshot) fit(a *Asked) fit {
	actions := len(a.Rec.Fact.Actions)
	slot := a.Rec.Fits.slot(a.place*actions+a.Action.Place, len(a.Rec.Resources)*actions)
	if f := slot.Load(); f != nil {
		return *f
	}
	f := s.findFit(a)
	slot.Store(&f)
	return f
}

func (s *Snapshot) findFit(a *Asked) fit {
	f := make(fit, s.RoleTable.Len()>>6+1)
	for i := range s.RoleTable.Len() {
		role := s.RoleTable.At(i)
		if role == nil {
			continue
		}
		for k := range role.Rules {
			r := &role.Rules[k]
			if r.App != a.App || r.Actions&a.Action.Bit() == 0 || !r.Covers(a.Path) {
				continue
			}
			w, bit := f.set(fact.RoleID(i)), uint64(1)<<(i&63)
			if r.Own || s.Fenced(a.Rec, r.Pattern, a.Action.Key, a.Path) {
				w.near |= bit
			} else {
				w.gives |= bit
			}
		}
	}
	return f
}

// byFit answers from the roles that fit alone: holdsNow when one is held on no
// bounds, missNone when none is held in any way. Otherwise it is not sure, and
// the chains must be looked at.
func (s *Snapshot) byFit(a *Asked) (m Miss, sure bool) {
	f, near := s.fit(a), false
	if f.heldBy(s.GroupTable.At(int(fact.PublicGroup)).Given, &near) {
		return HoldsNow, true
	}
	if a.User == 0 {
		return MissNone, !near
	}
	u := a.u
	var few [4]*GroupEntry // those that most have no more of
	for i, j := range u.Groups() {
		if i < len(few) {
			few[i] = s.GroupTable.At(int(j.Group()))
			paged.Prefetch(few[i], unsafe.Offsetof(GroupEntry{}.Given))
		}
	}
	if f.heldBy(u.Given(), &near) || u.Person && f.heldBy(s.GroupTable.At(int(fact.AllUsersGroup)).Given, &near) {
		return HoldsNow, true
	}
	for i, j := range u.Groups() {
		var g *GroupEntry
		if i < len(few) {
			g = few[i]
		} else {
			g = s.GroupTable.At(int(j.Group()))
		}
		held := f.heldBy(g.Above.Given(), &near)
		if held && (j.Plain() || s.WindowOf(j).Holds(a.At)) {
			return HoldsNow, true
		}
		near = near || held || g.Winding
	}
	return MissNone, !near
}

// heldBy says whether a role that gives is among those given on no bounds, and
// sets near when one is held that gives on some. A role made after the fit gives
// nothing: one that gave anything would have replaced it.
func (f fit) heldBy(all []Link, near *bool) bool {
	for i := range all {
		role := all[i].Role()
		if int(role>>6) >= len(f) {
			continue
		}
		w, bit := &f[role>>6], uint64(1)<<(role&63)
		if (w.gives|w.near)&bit == 0 { // as nearly all
			continue
		}
		if w.gives&bit != 0 && all[i].Plain() {
			return true
		}
		*near = true
	}
	return false
}
