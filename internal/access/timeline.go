package access

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

// Era is a snapshot and the time in which it was the newest: from its revision
// until the next that concerns the user.
type Era struct {
	*Snapshot
	calendar.Window
}

// Span is a time in which a user held something, and the ways that held at its
// beginning, shortest first.
type Span struct {
	calendar.Window
	Own      bool
	Schedule *calendar.Schedule
	Revision int64 // whose facts held when it began
	Chains   []Chain
}

// Timeline is from when to when a user held an action on a path, over eras in
// order of time. What goes on unbroken through a change of facts is one span
// as long as its ways are the same.
func Timeline(eras []Era, id UserID, app ApplicationID, action, path string) []Span {
	var out []Span
	for _, era := range eras {
		l := line{app, action, path}
		perms := era.permissionsOf(id)
		for c, when := range era.when(l, perms) {
			e := entitlement(l, c, when.Within(era.Window), perms)
			for _, w := range e.When {
				out = append(out, Span{Window: w, Own: e.Own, Schedule: e.Schedule, Revision: era.Revision, Chains: era.ways(id, l, w.From, c)})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Span) int {
		switch {
		case a.From < b.From:
			return -1
		case a.From > b.From:
			return 1
		}
		return 0
	})
	return joinSpans(out)
}

// ways are the chains that give a line on a condition at an instant.
func (s *Snapshot) ways(id UserID, l line, at calendar.Instant, c condition) []Chain {
	rec := s.applications.At(int(l.app))
	all, _ := s.chains(id, at, nil, func(p *Permission) bool {
		return p.Application == l.app && p.gives(l.action) && patterns.Contains(p.Pattern, l.target) && p.Own == c.own && !s.fenced(rec, p.Pattern, l.action, l.target)
	})
	var out []Chain
	for _, x := range all {
		f := s.Assignment(x.Assignment)
		if x.Fails == "" && inScope(f.Scopes, l.app, l.target) && f.Schedule.String() == c.schedule {
			out = append(out, x)
		}
	}
	sortChains(out)
	return out
}

// joinSpans joins spans that follow on one another by the same ways.
func joinSpans(all []Span) []Span {
	var out []Span
next:
	for _, s := range all {
		for i := range out {
			p := &out[i]
			if p.Until == s.From && p.Until != 0 && p.Own == s.Own && p.Schedule.Equal(s.Schedule) && sameWays(p.Chains, s.Chains) {
				p.Until = s.Until
				continue next
			}
		}
		out = append(out, s)
	}
	return out
}

func sameWays(a, b []Chain) bool {
	return slices.EqualFunc(a, b, func(x, y Chain) bool {
		return x.Assignment == y.Assignment && x.Rule == y.Rule && x.Permission == y.Permission && slices.Equal(x.Memberships, y.Memberships) && slices.Equal(x.Roles, y.Roles)
	})
}
