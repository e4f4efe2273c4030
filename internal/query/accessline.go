package query

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// AccessLine is one permission's worth of a user's access: actions on a
// pattern, on what condition and when, and the ways it is held, shortest first.
type AccessLine struct {
	Application fact.ApplicationID
	Actions     []string           // as declared by the application, in its order
	Pattern     string             // the permission's, within the assignment's scope
	Own         bool               // only where the resource is the user's own
	Schedule    *calendar.Schedule // or nil
	Fences      []string           // patterns of fences that keep some of the actions from part of it
	When        calendar.Intervals
	Chains      []Chain
	More        bool // there are more ways than Chains
}

// Access is all a user can do at an instant or later, by the present facts.
func Access(s *access.Snapshot, id fact.UserID, at calendar.Instant) []AccessLine {
	counts := s.WhenEffective(id)
	if len(counts) == 0 {
		return nil
	}
	type key struct {
		app                            fact.ApplicationID
		pattern, of, actions, schedule string
		own                            bool
	}
	lines := map[key]*AccessLine{}
	chains, more := Chains(s, id, at, nil, func(*fact.Permission) bool { return true })
	for _, c := range chains {
		f := s.Assignment(c.Assignment)
		if c.Fails == access.Ended || c.Never || id == 0 && s.Permission(c.Permission).Own {
			continue
		}
		when := counts.Within(c.Window)
		if len(when) == 0 {
			continue
		}
		p := s.PermissionTable.At(int(c.Permission)).Fact
		var actions []string
		for _, a := range s.Application(p.Application).Actions {
			if access.Gives(p, a.Key) {
				actions = append(actions, a.Key)
			}
		}
		for _, pattern := range fact.Narrowed(p.Application, p.Pattern, f.Scopes) {
			k := key{p.Application, pattern, p.Pattern, strings.Join(actions, " "), f.Schedule.String(), p.Own}
			l := lines[k]
			if l == nil {
				l = &AccessLine{Application: p.Application, Pattern: pattern, Actions: actions, Own: p.Own, Schedule: f.Schedule}
				lines[k] = l
			}
			l.When = l.When.Union(when)
			l.Chains = append(l.Chains, c)
		}
	}
	out := make([]AccessLine, 0, len(lines))
	if more { // the ways that were left out may hold at other times
		for _, h := range PermissionsOf(s, id) {
			var actions []string
			for _, a := range s.Application(h.Application).Actions {
				if access.Gives(h.Permission, a.Key) {
					actions = append(actions, a.Key)
				}
			}
			for _, pattern := range fact.Narrowed(h.Application, h.Pattern, h.Scopes) {
				if l := lines[key{h.Application, pattern, h.Pattern, strings.Join(actions, " "), h.Schedule.String(), h.Own}]; l != nil {
					l.When = l.When.Union(slices.DeleteFunc(slices.Clone(h.when), func(w calendar.Window) bool { return w.Over(at) }))
				}
			}
		}
	}
	for l := range maps.Values(lines) {
		sortChains(l.Chains)
		l.More = more
		l.Fences = fencesIn(s, l)
		out = append(out, *l)
	}
	slices.SortFunc(out, func(a, b AccessLine) int {
		return cmp.Or(cmp.Compare(s.Application(a.Application).Label, s.Application(b.Application).Label),
			cmp.Compare(a.Pattern, b.Pattern), slices.Compare(a.Actions, b.Actions), cmp.Compare(a.Schedule.String(), b.Schedule.String()))
	})
	return out
}

// fencesIn are the fences in the line's way that none of its permissions
// passes.
func fencesIn(s *access.Snapshot, l *AccessLine) []string {
	var out []string
	for _, f := range s.Fences(l.Application) {
		if !slices.ContainsFunc(l.Actions, f.Guards) {
			continue
		}
		passed := slices.ContainsFunc(l.Chains, func(c Chain) bool { return f.Passes(s.Permission(c.Permission).Pattern) })
		if patterns.Overlap(l.Pattern, f.Pattern) && !passed && !slices.Contains(out, f.Pattern) {
			out = append(out, f.Pattern)
		}
	}
	return out
}
