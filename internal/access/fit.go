package access

import (
	"sync/atomic"
	"unsafe"

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

func (f fit) set(role RoleID) *fitWord { return &f[role>>6] }

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
func (s *Snapshot) fit(a *asked) fit {
	actions := len(a.rec.fact.Actions)
	slot := a.rec.fits.slot(a.place*actions+a.action.place, len(a.rec.resources)*actions)
	if f := slot.Load(); f != nil {
		return *f
	}
	f := s.findFit(a)
	slot.Store(&f)
	return f
}

func (s *Snapshot) findFit(a *asked) fit {
	f := make(fit, s.roles.Len()>>6+1)
	for i := range s.roles.Len() {
		role := s.roles.At(i)
		if role == nil {
			continue
		}
		for k := range role.rules {
			r := &role.rules[k]
			if r.app != a.app || r.actions&a.action.bit() == 0 || !r.covers(a.path) {
				continue
			}
			w, bit := f.set(RoleID(i)), uint64(1)<<(i&63)
			if r.own || s.fenced(a.rec, r.pattern, a.action.key, a.path) {
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
func (s *Snapshot) byFit(a *asked) (m miss, sure bool) {
	f, near := s.fit(a), false
	if f.heldBy(s.groups.At(int(PublicGroup)).given, &near) {
		return holdsNow, true
	}
	if a.user == 0 {
		return missNone, !near
	}
	u := a.u
	var few [4]*groupRec // those that most have no more of
	for i, j := range u.groups() {
		if i < len(few) {
			few[i] = s.groups.At(int(j.group()))
			paged.Prefetch(few[i], unsafe.Offsetof(groupRec{}.given))
		}
	}
	if f.heldBy(u.given(), &near) || u.person && f.heldBy(s.groups.At(int(AllUsersGroup)).given, &near) {
		return holdsNow, true
	}
	for i, j := range u.groups() {
		var g *groupRec
		if i < len(few) {
			g = few[i]
		} else {
			g = s.groups.At(int(j.group()))
		}
		held := f.heldBy(g.above.given(), &near)
		if held && (j.plain() || s.windowOf(j).Holds(a.at)) {
			return holdsNow, true
		}
		near = near || held || g.winding
	}
	return missNone, !near
}

// heldBy says whether a role that gives is among those given on no bounds, and
// sets near when one is held that gives on some. A role made after the fit gives
// nothing: one that gave anything would have replaced it.
func (f fit) heldBy(all []link, near *bool) bool {
	for i := range all {
		role := all[i].role()
		if int(role>>6) >= len(f) {
			continue
		}
		w, bit := &f[role>>6], uint64(1)<<(role&63)
		if (w.gives|w.near)&bit == 0 { // as nearly all
			continue
		}
		if w.gives&bit != 0 && all[i].plain() {
			return true
		}
		*near = true
	}
	return false
}
