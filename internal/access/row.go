package access

import (
	"slices"

	"ableroster/internal/calendar"
)

// What there are millions of lies flat in the tables of a snapshot and is made
// into a fact when somebody asks for one: a fact behind a pointer each would
// cost twice the memory, and a check the way to it.

// assignmentRow is an open assignment; a zero role says there is none.
type assignmentRow struct {
	limits *limits // nil when nothing limits it
	opened int64
	role   RoleID
	to     packed
	pos    uint32 // its place among the role's holders
	origin uint8  // its place in origins
	rule   uint16 // a DefaultID; see mostDefaults
}

// limits are when and where an assignment gives what its role does.
type limits struct {
	window   calendar.Window
	scopes   []Scope
	schedule *calendar.Schedule
}

// membershipRow is an open membership; a zero group says there is none.
type membershipRow struct {
	window *calendar.Window // nil when it is always
	opened int64
	group  GroupID
	member packed
	pos    uint32 // its place among the group's members
	rule   DefaultID
}

// packed is a user or a group in four bytes.
type packed uint32

// topBit tells a packed group from a user, and what is plain from what is not.
const topBit = 1 << 31

func pack(m Member) packed {
	if m.User != 0 {
		return packed(m.User)
	}
	return packed(m.Group) | topBit
}

func (p packed) member() Member {
	if p&topBit != 0 {
		return Member{Group: GroupID(p &^ topBit)}
	}
	return Member{User: UserID(p)}
}

func flatAssignment(f *Assignment, pos int) assignmentRow {
	r := assignmentRow{opened: f.Opened, role: f.Role, to: pack(f.Assignee), pos: uint32(pos), origin: uint8(slices.Index(origins, f.Origin)), rule: uint16(f.Rule)}
	if !f.plain() {
		r.limits = &limits{f.Window, f.Scopes, f.Schedule}
	}
	return r
}

func (f *Assignment) plain() bool {
	return f.Window == calendar.Window{} && len(f.Scopes) == 0 && f.Schedule == nil
}

func (r *assignmentRow) fact(id AssignmentID) *Assignment {
	f := &Assignment{ID: id, Assignee: r.to.member(), Role: r.role, Origin: origins[r.origin], Rule: DefaultID(r.rule), Opened: r.opened}
	if l := r.limits; l != nil {
		f.Window, f.Scopes, f.Schedule = l.window, l.scopes, l.schedule
	}
	return f
}

func flatMembership(f *Membership, pos int) membershipRow {
	r := membershipRow{opened: f.Opened, group: f.Group, member: pack(f.Member), pos: uint32(pos), rule: f.Rule}
	if f.Window != (calendar.Window{}) {
		w := f.Window
		r.window = &w
	}
	return r
}

func (r *membershipRow) fact(id MembershipID) *Membership {
	f := &Membership{ID: id, Group: r.group, Member: r.member.member(), Rule: r.rule, Opened: r.opened}
	if r.window != nil {
		f.Window = *r.window
	}
	return f
}

// windowOf is when a membership as its member finds it holds; one by a rule
// and a plain one always do.
func (s *Snapshot) windowOf(j link) calendar.Window {
	if j.plain() {
		return calendar.Window{}
	}
	return *s.memberships.At(int(j.id)).window
}

// limitsOf are what limits an assignment as its holder finds it.
func (s *Snapshot) limitsOf(g link) limits {
	if g.plain() {
		return limits{}
	}
	return *s.assignments.At(int(g.id)).limits
}
