package query

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/patterns"
)

// Entitlement is one thing a user can do: an action on a registered resource,
// or on a pattern below an open one; on what condition, and when.
type Entitlement struct {
	Application fact.ApplicationID
	Action      string
	Target      string             // a registered path, or a pattern below an open resource
	Own         bool               // only where the resource is the user's own
	Schedule    *calendar.Schedule // or nil
	When        calendar.Intervals
}

// Line is what an entitlement is about.
type Line struct {
	App    fact.ApplicationID
	Action string
	Target string
}

// Condition is on what an entitlement is held.
type Condition struct {
	own      bool
	Schedule string
}

// weaker are the conditions that ask for less: whoever holds on one of them
// needs no more.
func (c Condition) weaker() []Condition {
	var out []Condition
	if c.own || c.Schedule != "" {
		out = append(out, Condition{})
	}
	if c.own && c.Schedule != "" {
		out = append(out, Condition{own: true}, Condition{Schedule: c.Schedule})
	}
	return out
}

// permitted is a permission on the bounds and with the time a user holds it.
type permitted struct {
	*fact.Permission
	fact.Bounds
	when calendar.Intervals
}

// PermissionsOf are all permissions a user ever holds by the present facts.
func PermissionsOf(s *access.Snapshot, id fact.UserID) []permitted {
	return PermissionsIn(s, id, held.RolesOf(s, id, held.AnyGroup), nil)
}

// PermissionsIn are the permissions of roles a user holds, in some applications
// or, for nil, in all.
func PermissionsIn(s *access.Snapshot, id fact.UserID, roles held.Roles, apps map[fact.ApplicationID]bool) []permitted {
	var out []permitted
	for i := range roles {
		h := &roles[i]
		for _, x := range s.RoleTable.At(int(h.Role)).Permissions {
			p := s.PermissionTable.At(int(x)).Fact
			if id == 0 && p.Own || apps != nil && !apps[p.Application] { // somebody not signed in owns nothing
				continue
			}
			out = append(out, permitted{p, h.Bounds, h.When})
		}
	}
	return out
}

// activeResources calls yield for each resource that is neither retired nor
// below a retired one.
func activeResources(s *access.Snapshot, app *access.ApplicationEntry, yield func(*fact.Resource)) {
	for _, id := range app.Resources {
		r := s.ResourceTable.At(int(id)).Fact
		if app.Retired > 0 {
			if _, known := s.Known(app, r.Path); !known {
				continue
			}
		}
		yield(r)
	}
}

// BelowOpen says whether a pattern reaches below an open resource, and not only
// below a retired one.
func BelowOpen(s *access.Snapshot, app *access.ApplicationEntry, pattern string) bool {
	if len(app.Open) == 0 || app.Retired > 0 && belowRetired(s, app, pattern) {
		return false
	}
	return slices.ContainsFunc(app.Open, func(id fact.ResourceID) bool {
		path := s.ResourceTable.At(int(id)).Fact.Path
		if !patterns.ReachesBelow(pattern, path) {
			return false
		}
		_, known := s.Known(app, path)
		return known && !(app.Retired > 0 && belowRetired(s, app, below(pattern, path)))
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
func belowRetired(s *access.Snapshot, app *access.ApplicationEntry, pattern string) bool {
	plain, _, _ := strings.Cut(pattern, "*")
	if plain != pattern { // up to the segment with the star
		plain = plain[:strings.LastIndexByte(plain, '/')+1]
	}
	for path := strings.TrimSuffix(plain, "/"); path != "" && path != patterns.Root; path = patterns.ParentPath(path) {
		if r := s.ResourceAt(app, path); r != nil && r.Fact.Retired {
			return true
		}
	}
	return false
}

// Lines adds the items a permission spans on its bounds: every registered
// resource it covers; itself where it reaches below an open resource without
// covering it; and fences below open resources that it meets.
func Lines(s *access.Snapshot, h permitted, into map[Line]struct{}) {
	app := s.ApplicationTable.At(int(h.Application))
	var targets []string
	for _, pattern := range fact.Narrowed(h.Application, h.Pattern, h.Scopes) {
		activeResources(s, app, func(r *fact.Resource) {
			if patterns.Covers(pattern, r.Path) {
				targets = append(targets, r.Path)
			}
		})
		targets = append(targets, unregistered(s, app, pattern)...)
	}
	for _, a := range app.Fact.Actions {
		if !access.Gives(h.Permission, a.Key) {
			continue
		}
		for _, t := range targets {
			into[Line{h.Application, a.Key, t}] = struct{}{}
		}
	}
}

// unregistered are the targets below open resources that a pattern gives lines of
// their own: itself, and what of it a fence covers.
func unregistered(s *access.Snapshot, app *access.ApplicationEntry, pattern string) []string {
	var out []string
	if BelowOpen(s, app, pattern) {
		out = append(out, pattern)
	}
	for _, f := range app.Fences {
		for _, p := range patterns.Meet(pattern, s.FenceTable.At(int(f)).Fact.Pattern) {
			if BelowOpen(s, app, p) {
				out = append(out, p)
			}
		}
	}
	return out
}

// spans says whether a line is one that can be held at all: its action declared,
// its target registered, or a pattern that reaches below an open resource.
func spans(s *access.Snapshot, l Line) bool {
	app := s.ApplicationTable.At(int(l.App))
	if app == nil || app.Fact == nil || !access.Declares(app.Fact, l.Action) {
		return false
	}
	if s.ResourceAt(app, l.Target) != nil {
		_, known := s.Known(app, l.Target)
		return known
	}
	return BelowOpen(s, app, l.Target)
}

// When is the time in which permissions give a line, by condition; what is
// held on a weaker condition is not said again.
func When(s *access.Snapshot, l Line, perms []permitted) map[Condition]calendar.Intervals {
	if !spans(s, l) {
		return nil
	}
	app := s.ApplicationTable.At(int(l.App))
	var out map[Condition]calendar.Intervals
	for _, p := range perms {
		if p.Application != l.App || !access.Gives(p.Permission, l.Action) || !patterns.Contains(p.Pattern, l.Target) || !fact.InScope(p.Scopes, l.App, l.Target) ||
			s.Fenced(app, p.Pattern, l.Action, l.Target) {
			continue
		}
		if out == nil {
			out = map[Condition]calendar.Intervals{}
		}
		c := Condition{p.Own, p.Schedule.String()}
		out[c] = out[c].Union(p.when)
	}
	return reduced(out)
}

func reduced(all map[Condition]calendar.Intervals) map[Condition]calendar.Intervals {
	if len(all) < 2 {
		return all
	}
	out := map[Condition]calendar.Intervals{}
	for c, when := range all {
		if rest := beyond(when, c, all); len(rest) > 0 {
			out[c] = rest
		}
	}
	return out
}

// beyond is what of a time is not held on a weaker condition.
func beyond(when calendar.Intervals, c Condition, all map[Condition]calendar.Intervals) calendar.Intervals {
	for _, w := range c.weaker() {
		when = when.Minus(all[w])
	}
	return when
}

// Entitlements are all a user can do, by the present facts, over all time, in
// order of application, target and action. User 0 is nobody signed in.
func Entitlements(s *access.Snapshot, id fact.UserID) []Entitlement {
	perms := PermissionsOf(s, id)
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

func entitlement(l Line, c Condition, when calendar.Intervals, perms ...[]permitted) Entitlement {
	e := Entitlement{Application: l.App, Action: l.Action, Target: l.Target, Own: c.own, When: when}
	if c.Schedule != "" {
		for _, some := range perms {
			for _, p := range some {
				if p.Schedule.String() == c.Schedule {
					e.Schedule = p.Schedule
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
func differingLines(s *access.Snapshot, other *access.Snapshot, id fact.UserID, here, there held.Roles, into map[Line]struct{}) {
	for i := range here {
		h := &here[i]
		o := there.Find(h.Role, h.Text)
		alike := o != nil && slices.Equal(h.When, o.When)
		for _, x := range s.RoleTable.At(int(h.Role)).Permissions {
			p := s.PermissionTable.At(int(x)).Fact
			if q := other.PermissionTable.At(int(x)); alike && q != nil && q.Fact == p && describedAlike(s, other, p.Application) {
				continue
			}
			if id != 0 || !p.Own {
				Lines(s, permitted{p, h.Bounds, h.When}, into)
			}
		}
	}
}

func describedAlike(s *access.Snapshot, other *access.Snapshot, app fact.ApplicationID) bool {
	a, b := s.ApplicationTable.At(int(app)), other.ApplicationTable.At(int(app))
	return a != nil && b != nil && a.Touched == b.Touched
}

// Difference is what next holds and base does not, and the other way round,
// from an instant on. An item of one side counts in the other where it can be
// held there, though it may be held through a wider pattern.
func Difference(base, next *access.Snapshot, id fact.UserID, from calendar.Instant) (gained, lost []Entitlement) {
	return DifferenceOn(base, next, nil, id, from)
}

// DifferenceOn is Difference by the changes on which some holdings bear.
func DifferenceOn(base, next *access.Snapshot, b *Bearing, id fact.UserID, from calendar.Instant) (gained, lost []Entitlement) {
	had, has := held.RolesAmong(base, id, b.group, b.role), held.RolesAmong(next, id, b.group, b.role)
	set := map[Line]struct{}{}
	differingLines(base, next, id, had, has, set)
	differingLines(next, base, id, has, had, set)
	if len(set) == 0 {
		return nil, nil
	}
	apps := map[fact.ApplicationID]bool{}
	for l := range set {
		apps[l.App] = true
	}
	before, after := PermissionsIn(base, id, had, apps), PermissionsIn(next, id, has, apps)
	ahead := calendar.Window{From: from}
	for l := range set {
		b, a := When(base, l, before), When(next, l, after)
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
