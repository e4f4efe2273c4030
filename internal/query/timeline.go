package query

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// Era is a snapshot and the time in which it was the newest: from its revision
// until the next that concerns the user.
type Era struct {
	*access.Snapshot
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
func Timeline(eras []Era, id fact.UserID, app fact.ApplicationID, action, path string) []Span {
	var out []Span
	for _, era := range eras {
		l := Line{app, action, path}
		perms := PermissionsOf(era.Snapshot, id)
		for c, when := range When(era.Snapshot, l, perms) {
			e := entitlement(l, c, when.Within(era.Window), perms)
			for _, w := range e.When {
				out = append(out, Span{Window: w, Own: e.Own, Schedule: e.Schedule, Revision: era.Revision, Chains: ways(era.Snapshot, id, l, w.From, c)})
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
func ways(s *access.Snapshot, id fact.UserID, l Line, at calendar.Instant, c Condition) []Chain {
	rec := s.ApplicationTable.At(int(l.App))
	all, _ := Chains(s, id, at, nil, func(p *fact.Permission) bool {
		return p.Application == l.App && access.Gives(p, l.Action) && patterns.Contains(p.Pattern, l.Target) && p.Own == c.own && !s.Fenced(rec, p.Pattern, l.Action, l.Target)
	})
	var out []Chain
	for _, x := range all {
		f := s.Assignment(x.Assignment)
		if x.Fails == "" && fact.InScope(f.Scopes, l.App, l.Target) && f.Schedule.String() == c.Schedule {
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
