package query

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// Bearing is what of users' holdings bears on a change of assignments and memberships alone:
// the roles with permissions in an application of which something is given or taken, and the
// groups through which such roles are held. Users who hold these alike gain and lose the same,
// whatever else they hold, so that there are fewer classes of them. Nil is all of it. It is
// read by many goroutines at once.
type Bearing struct {
	roles  map[fact.RoleID]bool
	groups map[fact.GroupID]bool
	alike  bool // users themselves are given before the changes what they are after
}

// groupsAlone says whether changes are of what groups are given, and of groups in groups: nothing
// that users themselves are, are given or are in.
func groupsAlone(changes []access.RowChange) bool {
	for _, c := range changes {
		for _, f := range []fact.Fact{c.Before, c.After} {
			switch f := f.(type) {
			case nil:
			case *fact.Assignment:
				if f.Assignee.User != 0 {
					return false
				}
			case *fact.Membership:
				if f.Member.User != 0 {
					return false
				}
			default:
				return false
			}
		}
	}
	return len(changes) > 0
}

// BearingOn is that on some changes that led from one snapshot to the next; nil where one of
// them may alter access otherwise than by giving or taking roles.
func BearingOn(base, next *access.Snapshot, changes []access.RowChange) *Bearing {
	apps := map[fact.ApplicationID]bool{}
	seen := map[fact.RoleID]bool{}
	turns := func(s *access.Snapshot, role fact.RoleID) {
		if seen[role] {
			return
		}
		seen[role] = true
		for _, r := range s.RoleTable.At(int(role)).Rules {
			apps[r.App] = true
		}
	}
	groups := map[fact.GroupID]bool{}
	var up func(s *access.Snapshot, id fact.GroupID)
	up = func(s *access.Snapshot, id fact.GroupID) {
		g := s.GroupTable.At(int(id))
		if groups[id] || g == nil {
			return
		}
		groups[id] = true
		for _, l := range g.Given {
			turns(s, l.Role())
		}
		for _, l := range g.Parents {
			up(s, l.Group())
		}
	}
	for i, s := range []*access.Snapshot{base, next} {
		clear(groups)
		for _, c := range changes {
			f := c.Before
			if i == 1 {
				f = c.After
			}
			switch f := f.(type) {
			case *fact.Assignment:
				turns(s, f.Role)
			case *fact.Membership:
				up(s, f.Group)
			case *fact.Organisation, *fact.User, fact.OfUser, *fact.EmploymentType, *fact.Group, *fact.Role, *fact.Inclusion,
				*fact.Permission, *fact.Application, *fact.Resource, *fact.Fence:
				return nil
			}
		}
	}
	b := bearing(apps, base, next)
	b.alike = groupsAlone(changes)
	return b
}

// BearingIn is that on an application.
func BearingIn(s *access.Snapshot, app fact.ApplicationID) *Bearing {
	return bearing(map[fact.ApplicationID]bool{app: true}, s)
}

// bearing is that on applications, through the groups of snapshots; what roles permit is the
// same in all of these.
func bearing(apps map[fact.ApplicationID]bool, in ...*access.Snapshot) *Bearing {
	b := &Bearing{roles: map[fact.RoleID]bool{}, groups: map[fact.GroupID]bool{}}
	last := in[len(in)-1]
	for r := range last.Roles() {
		for _, rule := range last.RoleTable.At(int(r.ID)).Rules {
			if apps[rule.App] {
				b.roles[r.ID] = true
				break
			}
		}
	}
	for _, s := range in {
		known := map[fact.GroupID]bool{}
		for g := range s.Groups() {
			if b.through(s, g.ID, known) {
				b.groups[g.ID] = true
			}
		}
	}
	return b
}

// through says whether a group, or one above it, gives a role that bears.
func (b *Bearing) through(s *access.Snapshot, id fact.GroupID, known map[fact.GroupID]bool) bool {
	if bears, ok := known[id]; ok {
		return bears
	}
	known[id] = false // for the while
	g := s.GroupTable.At(int(id))
	if g == nil {
		return false
	}
	for _, l := range g.Given {
		if b.roles[l.Role()] {
			known[id] = true
			return true
		}
	}
	for _, l := range g.Parents {
		if b.through(s, l.Group(), known) {
			known[id] = true
			return true
		}
	}
	return false
}

func (b *Bearing) role(id fact.RoleID) bool   { return b == nil || b.roles[id] }
func (b *Bearing) group(id fact.GroupID) bool { return b == nil || b.groups[id] }
