package review

import (
	"fmt"
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
)

func init() { change.OnFinish(openForMoves) }

// ofMoves begins the keys of the rounds that moves open, and no others: what a move's is called
// does not depend on what others open.
const ofMoves = "after-move-"

// openForMoves opens a round for each user whom a draft moves to another unit, where the
// organisation has that: of what they were given by hand and is not given there by rule as well.
// It is put before their manager, and else before the head of their unit or the owner of the
// role; it is signed off once all of it is decided. Who decides then goes by who is the manager
// then, on the authority of whoever set it, and is no gain of whoever makes the move.
func openForMoves(d *change.Draft) {
	if !d.Organisation().ReviewMoves || len(d.Faults) > 0 {
		return
	}
	var renamed []string // units that are elsewhere now, with all their people
	var moved []fact.UserID
	for _, c := range d.Changes() {
		switch before := c.Before.(type) {
		case *fact.Unit:
			if after, _ := c.After.(*fact.Unit); after == nil || after.Path != before.Path || after.Ended {
				renamed = append(renamed, before.Path)
			}
		case *fact.User:
			if after, _ := c.After.(*fact.User); after != nil && after.Unit != before.Unit && after.UserKind == fact.Person && after.Status != fact.Departed {
				moved = append(moved, after.ID)
			}
		}
	}
	if len(moved) == 0 {
		return
	}
	open := map[fact.UserID]bool{}
	for _, r := range Rounds(&d.Snapshot) {
		open[r.Moved] = open[r.Moved] || r.State == Open
	}
	for _, id := range moved {
		from := d.Base().User(id).Unit
		if open[id] || slices.ContainsFunc(renamed, func(p string) bool { return patterns.Covers(p, from) }) {
			continue
		}
		r := &Round{Label: "After a move", People: []fact.UserID{id}, ByHand: true, Reviewers: Manager, Fixed: d.Revision, At: d.At(), State: Open, Moved: id, Lines: linesOf(d, id)}
		if len(r.Lines) == 0 {
			continue
		}
		r.ID = RoundID(d.Allocate(FactRound))
		r.Key = fmt.Sprint(ofMoves, uint32(r.ID))
		d.Put(r)
	}
}

// linesOf are what somebody who moves was given by hand before, and has not by rule as well.
func linesOf(d *change.Draft, id fact.UserID) (out []Item) {
	direct, through := d.Given(fact.Assignee{User: id}), d.MembershipsOf(fact.Member{User: id})
	fits := map[fact.RoleID]bool{}
	for _, a := range direct {
		fits[a.Role] = fits[a.Role] || a.Rule != 0
	}
	for _, m := range through {
		for _, a := range d.Given(fact.Assignee{Group: m.Group}) {
			fits[a.Role] = fits[a.Role] || !m.ByHand()
		}
	}
	add := func(a *fact.Assignment, w calendar.Window) {
		until := a.Window.Until
		if w.Until != 0 && (until == 0 || w.Until < until) {
			until = w.Until
		}
		if d.Base().Assignment(a.ID) == nil || fits[a.Role] || until != 0 && until <= d.At() { // what comes with the move was given for it
			return
		}
		l := Item{ItemKey: ItemKey{id, a.ID}, Role: a.Role, Group: a.Assignee.Group, Since: a.Opened, Until: until}
		if a.Origin == fact.ByShare {
			l.Shared = &a.Scopes[0]
		}
		out = append(out, l)
	}
	for _, a := range direct {
		add(a, calendar.Window{})
	}
	for _, m := range through {
		if before := d.Base().Membership(m.ID); m.ByHand() && before != nil {
			for _, a := range d.Given(fact.Assignee{Group: m.Group}) {
				add(a, m.Window)
			}
		}
	}
	return sortedItems(out)
}

// Ends is when the first of the lines ends by itself, 0 for never: until then the round is the same
// whenever the move is made.
func (f *Round) Ends() (first calendar.Instant) {
	for _, l := range f.Lines {
		if l.Until != 0 && (first == 0 || l.Until < first) {
			first = l.Until
		}
	}
	return first
}

// Made sets the revision by which a move was made that opened the round, and its instant.
func (f *Round) Made(revision int64, at calendar.Instant) {
	if f.Moved != 0 && f.State == Open {
		f.Fixed, f.At = revision, at
	}
}

// decided says whether every line of a round that a move opened is decided, or held no more.
func (r *Round) decided(d *change.Draft, said map[ItemKey]*Decision) bool {
	still := query.Still{S: &d.Snapshot, From: d.At()}
	return r.Moved != 0 && !slices.ContainsFunc(r.Lines, func(l Item) bool {
		return said[l.ItemKey] == nil && still.Holds(l.User, d.Assignment(l.Assignment))
	})
}
