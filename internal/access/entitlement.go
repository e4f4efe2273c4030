package access

import (
	"cmp"
	"maps"
	"slices"
)

// Entitlement is one thing a user can do: an action on a registered resource,
// or on a pattern below an open one, and when.
type Entitlement struct {
	Application ApplicationID
	Action      string
	Target      string // a registered path, or a pattern below an open resource
	When        Intervals
}

type line struct {
	app    ApplicationID
	action string
	target string
}

// held is a permission with the time a user holds it.
type held struct {
	*Permission
	when Intervals
}

// permissionsOf are all permissions a user ever holds by the present facts.
func (s *Snapshot) permissionsOf(id UserID) []held {
	var out []held
	for r, when := range s.roleIntervals(id) {
		for _, p := range s.roles.At(int(r)).permissions {
			out = append(out, held{s.permissions.At(int(p)).fact, when})
		}
	}
	return out
}

// lines adds the lines a permission spans: every registered resource its
// pattern covers, and the pattern itself where it reaches below an open
// resource without covering it.
func (s *Snapshot) lines(p *Permission, into map[line]struct{}) {
	app := s.applications.At(int(p.Application))
	targets := []string{}
	below := false
	for _, id := range app.resources {
		r := s.resources.At(int(id)).fact
		if Covers(p.Pattern, r.Path) {
			targets = append(targets, r.Path)
		} else if r.Open && reachesBelow(p.Pattern, r.Path) {
			below = true
		}
	}
	if below && !slices.Contains(targets, p.Pattern) {
		targets = append(targets, p.Pattern)
	}
	for _, a := range app.fact.Actions {
		if !p.gives(a.Key) {
			continue
		}
		for _, t := range targets {
			into[line{p.Application, a.Key, t}] = struct{}{}
		}
	}
}

// when is the time in which any of the permissions gives a line.
func (l line) when(perms []held) Intervals {
	var out Intervals
	for _, p := range perms {
		if p.Application == l.app && p.gives(l.action) && Contains(p.Pattern, l.target) {
			out = out.union(p.when)
		}
	}
	return out
}

// Entitlements are all a user can do, by the present facts, over all time, in
// order of application, target and action. User 0 is nobody signed in.
func (s *Snapshot) Entitlements(id UserID) []Entitlement {
	perms := s.permissionsOf(id)
	set := map[line]struct{}{}
	for _, p := range perms {
		s.lines(p.Permission, set)
	}
	var out []Entitlement
	for l := range set {
		if when := l.when(perms); len(when) > 0 {
			out = append(out, Entitlement{l.app, l.action, l.target, when})
		}
	}
	sortEntitlements(out)
	return out
}

func sortEntitlements(es []Entitlement) {
	slices.SortFunc(es, func(a, b Entitlement) int {
		return cmp.Or(cmp.Compare(a.Application, b.Application), cmp.Compare(a.Target, b.Target),
			cmp.Compare(a.Action, b.Action))
	})
}

// spans says whether a line is one that can be held at all: its action declared,
// its target registered, or a pattern that reaches below an open resource.
func (s *Snapshot) spans(l line) bool {
	app := s.applications.At(int(l.app))
	if app == nil || app.fact == nil || !app.fact.declares(l.action) {
		return false
	}
	if _, ok := s.FindResource(l.app, l.target); ok {
		return true
	}
	for _, id := range app.resources {
		if r := s.resources.At(int(id)).fact; r.Open && reachesBelow(l.target, r.Path) {
			return true
		}
	}
	return false
}

// difference is what next holds and base does not, and the other way round,
// from an instant on. A line of one side counts in the other where it can be
// held there, though it may be held through a wider pattern.
func difference(base, next *Snapshot, id UserID, from Instant) (gained, lost []Entitlement) {
	before, after := base.permissionsOf(id), next.permissionsOf(id)
	set := map[line]struct{}{}
	for _, p := range before {
		base.lines(p.Permission, set)
	}
	for _, p := range after {
		next.lines(p.Permission, set)
	}
	ahead := Window{From: from}
	for l := range set {
		var b, a Intervals
		if base.spans(l) {
			b = l.when(before)
		}
		if next.spans(l) {
			a = l.when(after)
		}
		if g := a.minus(b).within(ahead); len(g) > 0 {
			gained = append(gained, Entitlement{l.app, l.action, l.target, g})
		}
		if g := b.minus(a).within(ahead); len(g) > 0 {
			lost = append(lost, Entitlement{l.app, l.action, l.target, g})
		}
	}
	sortEntitlements(gained)
	sortEntitlements(lost)
	return gained, lost
}

// AccessLine is one permission's worth of a user's access: actions on a
// pattern, when, and the ways it is held, shortest first.
type AccessLine struct {
	Application ApplicationID
	Actions     []string // as declared by the application, in its order
	Pattern     string
	When        Intervals
	Chains      []Chain
}

// Access is all a user can do at an instant or later, by the present facts.
func (s *Snapshot) Access(id UserID, at Instant) []AccessLine {
	counts := s.effective(id)
	if len(counts) == 0 {
		return nil
	}
	type key struct {
		app     ApplicationID
		pattern string
		actions string
	}
	lines := map[key]*AccessLine{}
	chains, _ := s.chains(id, at, func(*Permission) bool { return true })
	for _, c := range chains {
		if c.Fails == Ended || c.Never {
			continue
		}
		when := counts.within(c.Window)
		if len(when) == 0 {
			continue
		}
		p := s.permissions.At(int(c.Permission)).fact
		var actions []string
		for _, a := range s.Application(p.Application).Actions {
			if p.gives(a.Key) {
				actions = append(actions, a.Key)
			}
		}
		k := key{p.Application, p.Pattern, Join(actions...)}
		l := lines[k]
		if l == nil {
			l = &AccessLine{Application: p.Application, Pattern: p.Pattern, Actions: actions}
			lines[k] = l
		}
		l.When = l.When.union(when)
		l.Chains = append(l.Chains, c)
	}
	out := make([]AccessLine, 0, len(lines))
	for l := range maps.Values(lines) {
		sortChains(l.Chains)
		out = append(out, *l)
	}
	slices.SortFunc(out, func(a, b AccessLine) int {
		return cmp.Or(cmp.Compare(s.Application(a.Application).Label, s.Application(b.Application).Label),
			cmp.Compare(a.Pattern, b.Pattern), slices.Compare(a.Actions, b.Actions))
	})
	return out
}
