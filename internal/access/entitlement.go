package access

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

// Entitlement is one thing a user can do: an action on a registered resource,
// or on a pattern below an open one; on what condition, and when.
type Entitlement struct {
	Application ApplicationID
	Action      string
	Target      string             // a registered path, or a pattern below an open resource
	Own         bool               // only where the resource is the user's own
	Schedule    *calendar.Schedule // or nil
	When        calendar.Intervals
}

// line is what an entitlement is about.
type line struct {
	app    ApplicationID
	action string
	target string
}

// condition is on what an entitlement is held.
type condition struct {
	own      bool
	schedule string
}

// weaker are the conditions that ask for less: whoever holds on one of them
// needs no more.
func (c condition) weaker() []condition {
	var out []condition
	if c.own || c.schedule != "" {
		out = append(out, condition{})
	}
	if c.own && c.schedule != "" {
		out = append(out, condition{own: true}, condition{schedule: c.schedule})
	}
	return out
}

// held is a permission on the bounds and with the time a user holds it.
type held struct {
	*Permission
	bounds
	when calendar.Intervals
}

// permissionsOf are all permissions a user ever holds by the present facts.
func (s *Snapshot) permissionsOf(id UserID) []held {
	return s.permissionsIn(id, s.heldRoles(id, anyGroup), nil)
}

// permissionsIn are the permissions of roles a user holds, in some applications
// or, for nil, in all.
func (s *Snapshot) permissionsIn(id UserID, roles heldRoles, apps map[ApplicationID]bool) []held {
	var out []held
	for i := range roles {
		h := &roles[i]
		for _, x := range s.roles.At(int(h.role)).permissions {
			p := s.permissions.At(int(x)).fact
			if id == 0 && p.Own || apps != nil && !apps[p.Application] { // somebody not signed in owns nothing
				continue
			}
			out = append(out, held{p, h.bounds, h.when})
		}
	}
	return out
}

// activeResources calls yield for each resource that is neither retired nor
// below a retired one.
func (s *Snapshot) activeResources(app *applicationRec, yield func(*Resource)) {
	for _, id := range app.resources {
		r := s.resources.At(int(id)).fact
		if app.retired > 0 {
			if _, known := s.known(app, r.Path); !known {
				continue
			}
		}
		yield(r)
	}
}

// belowOpen says whether a pattern reaches below an open resource, and not only
// below a retired one.
func (s *Snapshot) belowOpen(app *applicationRec, pattern string) bool {
	if len(app.open) == 0 || app.retired > 0 && s.belowRetired(app, pattern) {
		return false
	}
	return slices.ContainsFunc(app.open, func(id ResourceID) bool {
		path := s.resources.At(int(id)).fact.Path
		if !patterns.ReachesBelow(pattern, path) {
			return false
		}
		_, known := s.known(app, path)
		return known && !(app.retired > 0 && s.belowRetired(app, below(pattern, path)))
	})
}

// below is what of a pattern that reaches below a path lies there: its stars that
// stand for parts of the path are that path.
func below(pattern, path string) string {
	if path == patterns.Root || patterns.Covers(pattern, path) {
		return pattern
	}
	return patterns.Join(path, strings.Join(strings.Split(pattern, "/")[strings.Count(path, "/")+1:], "/"))
}

// belowRetired says whether all a pattern covers is a retired resource or lies
// below one.
func (s *Snapshot) belowRetired(app *applicationRec, pattern string) bool {
	plain, _, _ := strings.Cut(pattern, "*")
	if plain != pattern { // up to the segment with the star
		plain = plain[:strings.LastIndexByte(plain, '/')+1]
	}
	for path := strings.TrimSuffix(plain, "/"); path != "" && path != patterns.Root; path = patterns.ParentPath(path) {
		if r := s.resourceAt(app, path); r != nil && r.fact.Retired {
			return true
		}
	}
	return false
}

// lines adds the items a permission spans on its bounds: every registered
// resource it covers; itself where it reaches below an open resource without
// covering it; and fences below open resources that it meets.
func (s *Snapshot) lines(h held, into map[line]struct{}) {
	app := s.applications.At(int(h.Application))
	var targets []string
	for _, pattern := range narrowed(h.Application, h.Pattern, h.scopes) {
		s.activeResources(app, func(r *Resource) {
			if patterns.Covers(pattern, r.Path) {
				targets = append(targets, r.Path)
			}
		})
		targets = append(targets, s.unregistered(app, pattern)...)
	}
	for _, a := range app.fact.Actions {
		if !h.gives(a.Key) {
			continue
		}
		for _, t := range targets {
			into[line{h.Application, a.Key, t}] = struct{}{}
		}
	}
}

// unregistered are the targets below open resources that a pattern gives lines of
// their own: itself, and what of it a fence covers.
func (s *Snapshot) unregistered(app *applicationRec, pattern string) []string {
	var out []string
	if s.belowOpen(app, pattern) {
		out = append(out, pattern)
	}
	for _, f := range app.fences {
		for _, p := range meet(pattern, s.fences.At(int(f)).fact.Pattern) {
			if s.belowOpen(app, p) {
				out = append(out, p)
			}
		}
	}
	return out
}

// spans says whether a line is one that can be held at all: its action declared,
// its target registered, or a pattern that reaches below an open resource.
func (s *Snapshot) spans(l line) bool {
	app := s.applications.At(int(l.app))
	if app == nil || app.fact == nil || !app.fact.declares(l.action) {
		return false
	}
	if s.resourceAt(app, l.target) != nil {
		_, known := s.known(app, l.target)
		return known
	}
	return s.belowOpen(app, l.target)
}

// when is the time in which permissions give a line, by condition; what is
// held on a weaker condition is not said again.
func (s *Snapshot) when(l line, perms []held) map[condition]calendar.Intervals {
	if !s.spans(l) {
		return nil
	}
	app := s.applications.At(int(l.app))
	var out map[condition]calendar.Intervals
	for _, p := range perms {
		if p.Application != l.app || !p.gives(l.action) || !patterns.Contains(p.Pattern, l.target) || !inScope(p.scopes, l.app, l.target) ||
			s.fenced(app, p.Pattern, l.action, l.target) {
			continue
		}
		if out == nil {
			out = map[condition]calendar.Intervals{}
		}
		c := condition{p.Own, p.schedule.String()}
		out[c] = out[c].Union(p.when)
	}
	return reduced(out)
}

func reduced(all map[condition]calendar.Intervals) map[condition]calendar.Intervals {
	if len(all) < 2 {
		return all
	}
	out := map[condition]calendar.Intervals{}
	for c, when := range all {
		if rest := beyond(when, c, all); len(rest) > 0 {
			out[c] = rest
		}
	}
	return out
}

// beyond is what of a time is not held on a weaker condition.
func beyond(when calendar.Intervals, c condition, all map[condition]calendar.Intervals) calendar.Intervals {
	for _, w := range c.weaker() {
		when = when.Minus(all[w])
	}
	return when
}

// Entitlements are all a user can do, by the present facts, over all time, in
// order of application, target and action. User 0 is nobody signed in.
func (s *Snapshot) Entitlements(id UserID) []Entitlement {
	perms := s.permissionsOf(id)
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

func entitlement(l line, c condition, when calendar.Intervals, perms ...[]held) Entitlement {
	e := Entitlement{Application: l.app, Action: l.action, Target: l.target, Own: c.own, When: when}
	if c.schedule != "" {
		for _, some := range perms {
			for _, p := range some {
				if p.schedule.String() == c.schedule {
					e.Schedule = p.schedule
				}
			}
		}
	}
	return e
}

func sortEntitlements(es []Entitlement) {
	slices.SortFunc(es, func(a, b Entitlement) int {
		own := 0
		if a.Own != b.Own {
			own = 1
			if b.Own {
				own = -1
			}
		}
		return cmp.Or(cmp.Compare(a.Application, b.Application), cmp.Compare(a.Target, b.Target),
			cmp.Compare(a.Action, b.Action), own, cmp.Compare(a.Schedule.String(), b.Schedule.String()))
	})
}

// differingLines adds the items of the permissions a user holds here and not
// alike in another snapshot, and of all in applications that are described
// otherwise there: only those can have come or gone.
func (s *Snapshot) differingLines(other *Snapshot, id UserID, here, there heldRoles, into map[line]struct{}) {
	for i := range here {
		h := &here[i]
		o := there.find(h.role, h.text)
		alike := o != nil && slices.Equal(h.when, o.when)
		for _, x := range s.roles.At(int(h.role)).permissions {
			p := s.permissions.At(int(x)).fact
			if q := other.permissions.At(int(x)); alike && q != nil && q.fact == p && s.describedAlike(other, p.Application) {
				continue
			}
			if id != 0 || !p.Own {
				s.lines(held{p, h.bounds, h.when}, into)
			}
		}
	}
}

func (s *Snapshot) describedAlike(other *Snapshot, app ApplicationID) bool {
	a, b := s.applications.At(int(app)), other.applications.At(int(app))
	return a != nil && b != nil && a.touched == b.touched
}

// difference is what next holds and base does not, and the other way round,
// from an instant on. An item of one side counts in the other where it can be
// held there, though it may be held through a wider pattern.
func difference(base, next *Snapshot, id UserID, from calendar.Instant) (gained, lost []Entitlement) {
	had, has := base.heldRoles(id, anyGroup), next.heldRoles(id, anyGroup)
	set := map[line]struct{}{}
	base.differingLines(next, id, had, has, set)
	next.differingLines(base, id, has, had, set)
	if len(set) == 0 {
		return nil, nil
	}
	apps := map[ApplicationID]bool{}
	for l := range set {
		apps[l.app] = true
	}
	before, after := base.permissionsIn(id, had, apps), next.permissionsIn(id, has, apps)
	ahead := calendar.Window{From: from}
	for l := range set {
		b, a := base.when(l, before), next.when(l, after)
		for c, when := range a {
			if g := beyond(when.Minus(b[c]), c, b).Within(ahead); len(g) > 0 {
				gained = append(gained, entitlement(l, c, g, after))
			}
		}
		for c, when := range b {
			if g := beyond(when.Minus(a[c]), c, a).Within(ahead); len(g) > 0 {
				lost = append(lost, entitlement(l, c, g, before))
			}
		}
	}
	sortEntitlements(gained)
	sortEntitlements(lost)
	return gained, lost
}
