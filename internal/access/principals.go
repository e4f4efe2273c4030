package access

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// GroupsAt appends the groups whose assignments count for a user at an
// instant: those reached upward through memberships inside their windows,
// all-users for persons, and public. Nobody (user 0) has public alone.
func (s *Snapshot) GroupsAt(out []fact.GroupID, id fact.UserID, at calendar.Instant) []fact.GroupID {
	out = append(out, fact.PublicGroup)
	if id == 0 {
		return out
	}
	u := s.UserTable.At(int(id))
	if u == nil || u.Fact == nil {
		return out
	}
	if u.Person {
		out = append(out, fact.AllUsersGroup)
	}
	var buf [24]reachedGroup
	reached := s.reachUp(buf[:0], u.Groups(), HoldsNow, at)
	for i := 0; i < len(reached); i++ {
		if reached[i].miss == HoldsNow {
			reached = s.reachUp(reached, s.GroupTable.At(int(reached[i].id)).Parents, HoldsNow, at)
			out = append(out, reached[i].id)
		}
	}
	return out
}

// IsMember says whether a group is reached upward from a user at an instant.
func (s *Snapshot) IsMember(id fact.UserID, group fact.GroupID, at calendar.Instant) bool {
	for _, g := range s.GroupsAt(nil, id, at) {
		if g == group {
			return true
		}
	}
	return false
}

// EachMember calls yield for every user below a group at any depth, whatever the
// windows, each once. The built-in groups have all persons and all users.
func (s *Snapshot) EachMember(id fact.GroupID, seen map[fact.GroupID]bool, yield func(fact.UserID)) {
	if id == fact.AllUsersGroup || id == fact.PublicGroup {
		for i := range s.UserTable.Len() {
			if u := s.User(fact.UserID(i)); u != nil && (id == fact.PublicGroup || u.UserKind == fact.Person) {
				yield(u.ID)
			}
		}
		return
	}
	if seen[id] {
		return
	}
	seen[id] = true
	g := s.GroupTable.At(int(id))
	if g == nil {
		return
	}
	if g.Rule != nil {
		s.EachChosen(id, yield)
	}
	for i := range g.Members.Len() {
		m := s.MembershipTable.At(int(g.Members.Get(i))).Member.Member()
		if m.User != 0 {
			yield(m.User)
		} else {
			s.EachMember(m.Group, seen, yield)
		}
	}
}

// EachChosen calls yield for every user a group's filter chooses.
func (s *Snapshot) EachChosen(id fact.GroupID, yield func(fact.UserID)) {
	if s.GroupTable.At(int(id)).Rule == nil {
		return
	}
	for i := range s.UserTable.Len() {
		u := s.UserTable.At(i)
		if u == nil || u.Fact == nil {
			continue
		}
		if slices.Contains(u.Groups(), chosenFor(id)) {
			yield(u.Fact.ID)
		}
	}
}

// ChosenBy are the groups whose filter chooses a user.
func (s *Snapshot) ChosenBy(id fact.UserID) []fact.GroupID {
	var out []fact.GroupID
	for _, j := range s.JoinedTo(fact.Member{User: id}) {
		if j.ByRule() {
			out = append(out, j.Group())
		}
	}
	return out
}
