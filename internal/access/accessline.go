package access

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"ableroster/internal/calendar"
)

// AccessLine is one permission's worth of a user's access: actions on a
// pattern, on what condition and when, and the ways it is held, shortest first.
type AccessLine struct {
	Application ApplicationID
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
func (s *Snapshot) Access(id UserID, at calendar.Instant) []AccessLine {
	counts := s.effective(id)
	if len(counts) == 0 {
		return nil
	}
	type key struct {
		app                            ApplicationID
		pattern, of, actions, schedule string
		own                            bool
	}
	lines := map[key]*AccessLine{}
	chains, more := s.chains(id, at, nil, func(*Permission) bool { return true })
	for _, c := range chains {
		f := s.Assignment(c.Assignment)
		if c.Fails == Ended || c.Never || id == 0 && s.Permission(c.Permission).Own {
			continue
		}
		when := counts.Within(c.Window)
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
		for _, pattern := range narrowed(p.Application, p.Pattern, f.Scopes) {
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
		for _, h := range s.permissionsOf(id) {
			var actions []string
			for _, a := range s.Application(h.Application).Actions {
				if h.gives(a.Key) {
					actions = append(actions, a.Key)
				}
			}
			for _, pattern := range narrowed(h.Application, h.Pattern, h.scopes) {
				if l := lines[key{h.Application, pattern, h.Pattern, strings.Join(actions, " "), h.schedule.String(), h.Own}]; l != nil {
					l.When = l.When.Union(slices.DeleteFunc(slices.Clone(h.when), func(w calendar.Window) bool { return w.Over(at) }))
				}
			}
		}
	}
	for l := range maps.Values(lines) {
		sortChains(l.Chains)
		l.More = more
		l.Fences = s.fencesIn(l)
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
func (s *Snapshot) fencesIn(l *AccessLine) []string {
	var out []string
	for _, f := range s.Fences(l.Application) {
		if !slices.ContainsFunc(l.Actions, f.guards) {
			continue
		}
		passed := slices.ContainsFunc(l.Chains, func(c Chain) bool { return f.passes(s.Permission(c.Permission).Pattern) })
		if overlap(l.Pattern, f.Pattern) && !passed && !slices.Contains(out, f.Pattern) {
			out = append(out, f.Pattern)
		}
	}
	return out
}
