package query

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/patterns"
)

// Cell is how a user may do one action on one resource: nothing when they may
// not at the instant, at no time of the week and on nothing of their own.
type Cell struct {
	Chain    *Chain // the shortest that holds; nil: not allowed
	Own      bool   // only on their own
	Schedule bool   // only at some times of the week
	Fenced   bool   // not allowed, and only for a fence
	Until    calendar.Instant
}

// Cells are how a user may do actions on the resources of an application at an
// instant, one for each of the targets.
func Cells(s *access.Snapshot, id fact.UserID, app fact.ApplicationID, at calendar.Instant, targets []Target) []Cell {
	out := make([]Cell, len(targets))
	if id != 0 && !s.Effective(id, at) {
		return out
	}
	rec := s.ApplicationTable.At(int(app))
	chains, more := Chains(s, id, at, nil, func(p *fact.Permission) bool { return p.Application == app })
	sortChains(chains)
	if more {
		lasting(s, id, at, chains)
	}
	for i, t := range targets {
		if _, known := s.Known(rec, t.Path); !known {
			continue
		}
		c := &out[i]
		best := access.MissNone
		for j := range chains {
			chain := &chains[j]
			p, f := s.Permission(chain.Permission), s.Assignment(chain.Assignment)
			if chain.Fails != "" || id == 0 && p.Own || !access.Gives(p, t.Action) || !patterns.Covers(p.Pattern, t.Path) || !fact.InScope(f.Scopes, app, t.Path) {
				continue
			}
			if s.Fenced(rec, p.Pattern, t.Action, t.Path) {
				c.Fenced = c.Chain == nil
				continue
			}
			m := access.HoldsNow // conditions are no misses here, but lesser ways
			if f.Schedule != nil {
				m = access.MissSchedule
			}
			if p.Own {
				m = max(m, access.MissOwner)
			}
			switch {
			case m < best:
				best = m
				*c = Cell{Chain: chain, Own: p.Own, Schedule: f.Schedule != nil, Until: chain.Window.Until}
			case m == best && c.Until != 0 && (chain.Window.Until == 0 || chain.Window.Until > c.Until):
				c.Until = chain.Window.Until // the longest says until when
			}
		}
	}
	return out
}

// lasting gives chains that hold at an instant the time of all the ways through their
// assignment, where not all of these are listed.
func lasting(s *access.Snapshot, id fact.UserID, at calendar.Instant, chains []Chain) {
	in := held.GroupIntervals(s, id)
	for i := range chains {
		f := s.Assignment(chains[i].Assignment)
		when := calendar.Always()
		if g := f.Assignee.Group; g != 0 {
			when = in[g]
		}
		for _, w := range when.Within(f.Window) {
			if w.Holds(at) && chains[i].Fails == "" {
				chains[i].Window = w
			}
		}
	}
}

// Target is one action on one path.
type Target struct{ Action, Path string }
