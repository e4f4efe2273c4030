package access

import "ableroster/internal/calendar"

// MemberWay is the shortest way in which a user is in a group at an instant.
type MemberWay struct {
	User      UserID
	Through   []GroupID       // the groups in between, the nearest to the user first
	Rule      GroupID         // whose filter chose the user, or 0: then they are listed
	Everybody bool            // the group is built in
	Window    calendar.Window // in which every membership on the way holds
}

// WaysIn are the users who are in a group at an instant, each by the shortest way.
func (s *Snapshot) WaysIn(id GroupID, at calendar.Instant) []MemberWay {
	var out []MemberWay
	if id == PublicGroup || id == AllUsersGroup {
		s.members(id, nil, func(u UserID) {
			if s.Effective(u, at) {
				out = append(out, MemberWay{User: u, Everybody: true})
			}
		})
		return out
	}
	type step struct {
		group   GroupID
		through []GroupID
		window  calendar.Window
	}
	seen := map[GroupID]bool{id: true}
	found := map[UserID]bool{}
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
				todo = append(todo, step{f.Member.Group, append([]GroupID{f.Member.Group}, x.through...), w})
			}
		}
		s.chosenBy(x.group, func(u UserID) { add(MemberWay{User: u, Through: x.through, Rule: x.group, Window: x.window}) })
	}
	return out
}
