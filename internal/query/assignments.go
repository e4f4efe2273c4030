package query

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
)

// EachAssignment calls yield for each assignment whose window holds for a user at
// an instant, to them or to a group that counts for them, whatever its schedule.
func EachAssignment(s *access.Snapshot, id fact.UserID, at calendar.Instant, yield func(*fact.Assignment)) {
	each := func(all []access.Link) {
		for _, g := range all {
			if s.LimitsOf(g).Window.Holds(at) {
				yield(s.Assignment(g.Assignment()))
			}
		}
	}
	each(s.GivenTo(fact.Assignee{User: id}))
	for _, g := range s.GroupsAt(nil, id, at) {
		each(s.GroupTable.At(int(g)).Given)
	}
}

// Still says of one user and assignment after another whether the one holds by the other at an
// instant or later. It is quick where those of a user follow one another. It is for one goroutine.
type Still struct {
	S    *access.Snapshot
	From calendar.Instant

	user   fact.UserID
	groups map[fact.GroupID]calendar.Intervals
}

// Holds says whether one does; nobody holds by nil.
func (x *Still) Holds(id fact.UserID, f *fact.Assignment) bool {
	switch {
	case f == nil || f.Window.Until != 0 && f.Window.Until <= x.From:
		return false
	case f.Assignee.User != 0:
		return f.Assignee.User == id
	}
	if u := x.S.UserTable.At(int(id)); u != nil && u.Fact != nil { // nearly all are in it themselves, without an end
		for _, l := range u.Groups() {
			if l.Group() == f.Assignee.Group && l.Plain() {
				return true
			}
		}
	}
	if x.groups == nil || x.user != id {
		x.user, x.groups = id, held.GroupIntervals(x.S, id)
	}
	return len(x.groups[f.Assignee.Group].Within(f.Window).Within(calendar.Window{From: x.From})) > 0
}

// HoldsThrough says whether an assignment is made to a user, or to a group that
// counts for them at some time.
func HoldsThrough(s *access.Snapshot, id fact.UserID, f *fact.Assignment) bool {
	if f.Assignee.User != 0 {
		return f.Assignee.User == id
	}
	return len(held.GroupIntervals(s, id)[f.Assignee.Group]) > 0
}

// EverIn says whether a user is in a group at any time.
func EverIn(s *access.Snapshot, id fact.UserID, group fact.GroupID) bool {
	return len(held.GroupIntervals(s, id)[group]) > 0
}

// RoleReaches says whether a role, with all it includes, gives anything in an
// application.
func RoleReaches(s *access.Snapshot, id fact.RoleID, app fact.ApplicationID) bool {
	for _, r := range s.RoleTable.At(int(id)).Rules {
		if r.App == app {
			return true
		}
	}
	return false
}

// DefaultInto is the default rule that puts a user into a group, or 0.
func DefaultInto(s *access.Snapshot, id fact.UserID, group fact.GroupID) fact.DefaultID {
	for _, j := range s.JoinedTo(fact.Member{User: id}) {
		if j.Group() == group && !j.ByRule() {
			return s.Membership(j.Membership()).Rule
		}
	}
	return 0
}
