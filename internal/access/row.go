package access

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// What there are millions of lies flat in the tables of a snapshot and is made
// into a fact when somebody asks for one: a fact behind a pointer each would
// cost twice the memory, and a check the way to it.

// AssignmentRow is an open assignment; a zero role says there is none.
type AssignmentRow struct {
	Limits *Limits // nil when nothing limits it
	Opened int64
	Role   fact.RoleID
	To     packed
	pos    uint32 // its place among the role's holders
	Origin uint8  // its place in origins
	Rule   uint16 // a DefaultID; see mostDefaults
}

// Limits are when and where an assignment gives what its role does.
type Limits struct {
	Window   calendar.Window
	Scopes   []fact.Scope
	Schedule *calendar.Schedule
	SharedBy fact.UserID // who shared it, or 0
}

// Bounds are what limits besides the window.
func (l *Limits) Bounds() fact.Bounds { return fact.Bounds{Scopes: l.Scopes, Schedule: l.Schedule} }

// MembershipRow is an open membership; a zero group says there is none.
type MembershipRow struct {
	Window *calendar.Window // nil when it is always
	Opened int64
	group  fact.GroupID
	Member packed
	pos    uint32 // its place among the group's members
	Rule   fact.DefaultID

	position bool // a position of the member gives it
}

// packed is a user or a group in four bytes.
type packed uint32

// topBit tells a packed group from a user, and what is plain from what is not.
const topBit = 1 << 31

func pack(m fact.Member) packed {
	if m.User != 0 {
		return packed(m.User)
	}
	return packed(m.Group) | topBit
}

// Member is the user or the group.
func (p packed) Member() fact.Member {
	if p&topBit != 0 {
		return fact.Member{Group: fact.GroupID(p &^ topBit)}
	}
	return fact.Member{User: fact.UserID(p)}
}

func flatAssignment(f *fact.Assignment, pos int) AssignmentRow {
	r := AssignmentRow{Opened: f.Opened, Role: f.Role, To: pack(f.Assignee), pos: uint32(pos), Origin: uint8(slices.Index(fact.Origins, f.Origin)), Rule: uint16(f.Rule)}
	if !plain(f) {
		r.Limits = &Limits{f.Window, f.Scopes, f.Schedule, f.SharedBy}
	}
	return r
}

func plain(f *fact.Assignment) bool {
	return f.Window == calendar.Window{} && len(f.Scopes) == 0 && f.Schedule == nil && f.SharedBy == 0
}

func (r *AssignmentRow) fact(id fact.AssignmentID) *fact.Assignment {
	f := &fact.Assignment{ID: id, Assignee: r.To.Member(), Role: r.Role, Origin: fact.Origins[r.Origin], Rule: fact.DefaultID(r.Rule), Opened: r.Opened}
	if l := r.Limits; l != nil {
		f.Window, f.Scopes, f.Schedule, f.SharedBy = l.Window, l.Scopes, l.Schedule, l.SharedBy
	}
	return f
}

func flatMembership(f *fact.Membership, pos int) MembershipRow {
	r := MembershipRow{Opened: f.Opened, group: f.Group, Member: pack(f.Member), pos: uint32(pos), Rule: f.Rule, position: f.Position}
	if f.Window != (calendar.Window{}) {
		w := f.Window
		r.Window = &w
	}
	return r
}

func (r *MembershipRow) fact(id fact.MembershipID) *fact.Membership {
	f := &fact.Membership{ID: id, Group: r.group, Member: r.Member.Member(), Rule: r.Rule, Opened: r.Opened, Position: r.position}
	if r.Window != nil {
		f.Window = *r.Window
	}
	return f
}

// WindowOf is when a membership as its member finds it holds; one by a rule
// and a plain one always do.
func (s *Snapshot) WindowOf(j Link) calendar.Window {
	if j.Plain() {
		return calendar.Window{}
	}
	return *s.MembershipTable.At(int(j.ID)).Window
}

// LimitsOf are what limits an assignment as its holder finds it.
func (s *Snapshot) LimitsOf(g Link) Limits {
	if g.Plain() {
		return Limits{}
	}
	return *s.AssignmentTable.At(int(g.ID)).Limits
}
