package query

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// MemberWay is the shortest way in which a user is in a group at an instant.
type MemberWay struct {
	User      fact.UserID
	Through   []fact.GroupID  // the groups in between, the nearest to the user first
	Rule      fact.GroupID    // whose filter chose the user, or 0: then they are listed
	Everybody bool            // the group is built in
	Window    calendar.Window // in which every membership on the way holds
}

// WaysIn are the users who are in a group at an instant, each by the shortest way.
func WaysIn(s *access.Snapshot, id fact.GroupID, at calendar.Instant) []MemberWay {
	var out []MemberWay
	if id == fact.PublicGroup || id == fact.AllUsersGroup {
		s.EachMember(id, nil, func(u fact.UserID) {
			if s.Effective(u, at) {
				out = append(out, MemberWay{User: u, Everybody: true})
			}
		})
		return out
	}
	type step struct {
		group   fact.GroupID
		through []fact.GroupID
		window  calendar.Window
	}
	seen := map[fact.GroupID]bool{id: true}
	found := map[fact.UserID]bool{}
	add := func(w MemberWay) {
		if !found[w.User] {
			found[w.User] = true
			out = append(out, w)
		}
	}
	for todo := []step{{group: id}}; len(todo) > 0; todo = todo[1:] {
		x := todo[0]
		for _, f := range s.Members(x.group) {
			w, ok := x.window.Both(f.Window)
			switch {
			case !f.Window.Holds(at) || !ok:
			case f.Member.User != 0:
				add(MemberWay{User: f.Member.User, Through: x.through, Window: w})
			case !seen[f.Member.Group]:
				seen[f.Member.Group] = true
				todo = append(todo, step{f.Member.Group, append([]fact.GroupID{f.Member.Group}, x.through...), w})
			}
		}
		s.EachChosen(x.group, func(u fact.UserID) { add(MemberWay{User: u, Through: x.through, Rule: x.group, Window: x.window}) })
	}
	return out
}
