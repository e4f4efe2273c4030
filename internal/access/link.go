package access

import (
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Link is an assignment as its holder finds it, or a membership as its member
// does: its number and what it leads to, a role or a group. One that nothing
// limits is plain: checks need not look it up.
type Link struct {
	ID uint32 // 0 for a membership by the filter of a group
	to uint32 // with topBit when plain
}

func (l Link) Assignment() fact.AssignmentID { return fact.AssignmentID(l.ID) }
func (l Link) Membership() fact.MembershipID { return fact.MembershipID(l.ID) }
func (l Link) Role() fact.RoleID             { return fact.RoleID(l.to &^ topBit) }
func (l Link) Group() fact.GroupID           { return fact.GroupID(l.to &^ topBit) }
func (l Link) Plain() bool                   { return l.to&topBit != 0 }
func (l Link) ByRule() bool                  { return l.ID == 0 }

func linkTo(id, to uint32, plain bool) Link {
	if plain {
		to |= topBit
	}
	return Link{id, to}
}

func givenBy(f *fact.Assignment) Link { return linkTo(uint32(f.ID), uint32(f.Role), plain(f)) }

func joinedBy(f *fact.Membership) Link {
	return linkTo(uint32(f.ID), uint32(f.Group), f.Window == calendar.Window{})
}

// chosenFor is the membership that a group's filter gives.
func chosenFor(id fact.GroupID) Link { return linkTo(0, uint32(id), true) }

// links are what is given to somebody and the groups they are joined to. A few
// lie in the record itself, so that a check need not fetch them from elsewhere.
type links struct {
	NGiven, nGroups uint32
	few             [8]Link
	many            *[]Link // instead of few, when there are more; never written in place
}

func (l *links) all() []Link {
	if l.many != nil {
		return *l.many
	}
	n := int(l.NGiven) + int(l.nGroups)
	return l.few[:n:n]
}

// Given are the assignments; groups the memberships. The slices are not to be
// kept beyond the next change of the record.
func (l *links) Given() []Link  { return l.all()[:l.NGiven:l.NGiven] }
func (l *links) Groups() []Link { return l.all()[l.NGiven:] }

// set replaces both.
func (l *links) set(given, groups []Link) {
	all := make([]Link, 0, 2*len(l.few))
	all = append(append(all, given...), groups...)
	l.NGiven, l.nGroups, l.many = uint32(len(given)), uint32(len(groups)), nil
	if len(all) <= len(l.few) {
		clear(l.few[copy(l.few[:], all):])
		return
	}
	l.few = [len(l.few)]Link{}
	many := append([]Link(nil), all...)
	l.many = &many
}

// GivenTo are the assignments to a user or a group itself.
func (s *Snapshot) GivenTo(m fact.Assignee) []Link {
	if m.Group != 0 {
		return s.GroupTable.At(int(m.Group)).Given
	}
	if u := s.UserTable.At(int(m.User)); u != nil {
		return u.Given()
	}
	return nil
}

// JoinedTo are the memberships a user or a group has itself.
func (s *Snapshot) JoinedTo(m fact.Member) []Link {
	if m.Group != 0 {
		return s.GroupTable.At(int(m.Group)).Parents
	}
	if u := s.UserTable.At(int(m.User)); u != nil {
		return u.Groups()
	}
	return nil
}
