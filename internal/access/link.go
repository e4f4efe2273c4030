package access

import "ableroster/internal/calendar"

// link is an assignment as its holder finds it, or a membership as its member
// does: its number and what it leads to, a role or a group. One that nothing
// limits is plain: checks need not look it up.
type link struct {
	id uint32 // 0 for a membership by the filter of a group
	to uint32 // with topBit when plain
}

func (l link) assignment() AssignmentID { return AssignmentID(l.id) }
func (l link) membership() MembershipID { return MembershipID(l.id) }
func (l link) role() RoleID             { return RoleID(l.to &^ topBit) }
func (l link) group() GroupID           { return GroupID(l.to &^ topBit) }
func (l link) plain() bool              { return l.to&topBit != 0 }
func (l link) byRule() bool             { return l.id == 0 }

func linkTo(id, to uint32, plain bool) link {
	if plain {
		to |= topBit
	}
	return link{id, to}
}

func givenBy(f *Assignment) link { return linkTo(uint32(f.ID), uint32(f.Role), f.plain()) }

func joinedBy(f *Membership) link {
	return linkTo(uint32(f.ID), uint32(f.Group), f.Window == calendar.Window{})
}

// chosenFor is the membership that a group's filter gives.
func chosenFor(id GroupID) link { return linkTo(0, uint32(id), true) }

// links are what is given to somebody and the groups they are joined to. A few
// lie in the record itself, so that a check need not fetch them from elsewhere.
type links struct {
	nGiven, nGroups uint32
	few             [8]link
	many            *[]link // instead of few, when there are more; never written in place
}

func (l *links) all() []link {
	if l.many != nil {
		return *l.many
	}
	n := int(l.nGiven) + int(l.nGroups)
	return l.few[:n:n]
}

// given are the assignments; groups the memberships. The slices are not to be
// kept beyond the next change of the record.
func (l *links) given() []link  { return l.all()[:l.nGiven:l.nGiven] }
func (l *links) groups() []link { return l.all()[l.nGiven:] }

// set replaces both.
func (l *links) set(given, groups []link) {
	all := make([]link, 0, 2*len(l.few))
	all = append(append(all, given...), groups...)
	l.nGiven, l.nGroups, l.many = uint32(len(given)), uint32(len(groups)), nil
	if len(all) <= len(l.few) {
		clear(l.few[copy(l.few[:], all):])
		return
	}
	l.few = [len(l.few)]link{}
	many := append([]link(nil), all...)
	l.many = &many
}

// givenTo are the assignments to a user or a group itself.
func (s *Snapshot) givenTo(m Assignee) []link {
	if m.Group != 0 {
		return s.groups.At(int(m.Group)).given
	}
	if u := s.users.At(int(m.User)); u != nil {
		return u.given()
	}
	return nil
}

// joinedTo are the memberships a user or a group has itself.
func (s *Snapshot) joinedTo(m Member) []link {
	if m.Group != 0 {
		return s.groups.At(int(m.Group)).parents
	}
	if u := s.users.At(int(m.User)); u != nil {
		return u.groups()
	}
	return nil
}
