package change

import (
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// References in operations: a name, a key or an id; an id once settled.
type (
	UserRef        string
	GroupRef       string
	RoleRef        string
	ApplicationRef string
	AssignmentRef  string
	MembershipRef  string
	PermissionRef  string
	InclusionRef   string
	ResourceRef    string
	FenceRef       string
	DefaultRef     string
	SoDRuleRef     string
	ExpectationRef string
	AttributeRef   string
	FreezeRef      string
	UnitRef        string
	EmploymentRef  string
	SignUpRuleRef  string
	TeamRuleRef    string
	ThingRef       string // of any kind, by its id
)

// Refers marks them as references; see Descriptor.
func (UserRef) Refers()        {}
func (GroupRef) Refers()       {}
func (RoleRef) Refers()        {}
func (ApplicationRef) Refers() {}
func (AssignmentRef) Refers()  {}
func (MembershipRef) Refers()  {}
func (PermissionRef) Refers()  {}
func (InclusionRef) Refers()   {}
func (ResourceRef) Refers()    {}
func (FenceRef) Refers()       {}
func (DefaultRef) Refers()     {}
func (SoDRuleRef) Refers()     {}
func (ExpectationRef) Refers() {}
func (AttributeRef) Refers()   {}
func (FreezeRef) Refers()      {}
func (UnitRef) Refers()        {}
func (EmploymentRef) Refers()  {}
func (SignUpRuleRef) Refers()  {}
func (TeamRuleRef) Refers()    {}
func (ThingRef) Refers()       {}

// Missing files the fault of a name that was not found, unless its making in
// the same change has failed and been reported already.
func (d *Draft) Missing(kind fact.FactKind, field, given string) {
	if d.failed[string(kind)+given] {
		return
	}
	if given == "" {
		d.Fault(field, "is missing")
		return
	}
	text := "there is no %s “%s”"
	if d.Visible != nil { // whether it is there is not said
		text += ", or it is outside what you may see"
	}
	d.Fault(field, text, strings.ReplaceAll(string(kind), "_", " "), given)
	if len(given) <= 200 { // what is longer resembles no name
		f := &d.Faults[len(d.Faults)-1]
		f.Subject, f.Given = kind, given
	}
}

// MaySee says whether the author may know of a thing. What the change itself
// made they do know.
func (d *Draft) MaySee(kind fact.FactKind, row uint32) bool {
	return d.Visible == nil || d.Base().Fact(kind, row) == nil || d.Visible(kind, row)
}

// Fails says that something of a name was to be made and is not: what refers to it says no
// more.
func (d *Draft) Fails(kind fact.FactKind, name string) {
	if d.failed == nil {
		d.failed = map[string]bool{}
	}
	d.failed[string(kind)+name] = true
}

// SettleUser turns what an operation names into an id, in place, or files the fault.
func (d *Draft) SettleUser(field string, r *UserRef) (fact.UserID, bool) {
	id, ok := d.FindUser(strings.TrimSpace(string(*r)))
	if !ok || !d.MaySee(fact.FactUser, uint32(id)) {
		d.Missing(fact.FactUser, field, string(*r))
		return 0, false
	}
	*r = UserRef(id.String())
	d.Reads(fact.FactUser, uint32(id))
	return id, true
}

// SettleGroup is SettleUser for a group.
func (d *Draft) SettleGroup(field string, r *GroupRef) (fact.GroupID, bool) {
	id, ok := d.FindGroup(string(*r))
	if !ok || !d.MaySee(fact.FactGroup, uint32(id)) {
		d.Missing(fact.FactGroup, field, string(*r))
		return 0, false
	}
	*r = GroupRef(id.String())
	d.Reads(fact.FactGroup, uint32(id))
	return id, true
}

// SettleRole is SettleUser for a role.
func (d *Draft) SettleRole(field string, r *RoleRef) (fact.RoleID, bool) {
	id, ok := d.FindRole(string(*r))
	if !ok || !d.MaySee(fact.FactRole, uint32(id)) {
		d.Missing(fact.FactRole, field, string(*r))
		return 0, false
	}
	*r = RoleRef(id.String())
	d.Reads(fact.FactRole, uint32(id))
	return id, true
}

// SettleApplication is SettleUser for an application.
func (d *Draft) SettleApplication(field string, r *ApplicationRef) (fact.ApplicationID, bool) {
	id, ok := d.FindApplication(string(*r))
	if !ok || !d.MaySee(fact.FactApplication, uint32(id)) {
		d.Missing(fact.FactApplication, field, string(*r))
		return 0, false
	}
	*r = ApplicationRef(id.String())
	d.Reads(fact.FactApplication, uint32(id))
	return id, true
}

// SettleMember settles a user or a group, exactly one of which must be named.
func (d *Draft) SettleMember(user *UserRef, groupField string, group *GroupRef) (fact.Member, bool) {
	if (*user == "") == (*group == "") {
		d.Fault("user", "name either a user or a group (%s)", groupField)
		return fact.Member{}, false
	}
	if *user != "" {
		id, ok := d.SettleUser("user", user)
		return fact.Member{User: id}, ok
	}
	id, ok := d.SettleGroup(groupField, group)
	return fact.Member{Group: id}, ok
}

// CheckWindow files the fault of a window that ends before it begins, or is over.
func (d *Draft) CheckWindow(w calendar.Window) bool {
	if w.Until != 0 && w.Until <= w.From {
		d.Fault("until", "is not after from: the window would end before it begins")
		return false
	}
	if w.Until != 0 && w.Until <= d.at {
		return d.Judged("until", "is over already")
	}
	return true
}

// MemberName is what people call a user or a group.
func MemberName(s *access.Snapshot, n Names, m fact.Member) string {
	if m.User != 0 {
		return n.UserName(m.User)
	}
	if g := s.Group(m.Group); g != nil {
		return "the group " + g.Label
	}
	return m.Group.String()
}

// RoleLabel is what people call a role.
func RoleLabel(s *access.Snapshot, id fact.RoleID) string {
	r := s.Role(id)
	if r == nil {
		return id.String()
	}
	return r.Label
}

// WindowWords says a window in the organisation's time: " until the end of 2 Jan 2026", " from
// 2 Jan 2026 15:04", or nothing for always.
func WindowWords(s *access.Snapshot, w calendar.Window) string {
	out := ""
	if w.From != 0 {
		out += " from " + calendar.FromWords(w.From.Time(), s.Zone())
	}
	if w.Until != 0 {
		out += " until " + calendar.UntilWords(w.Until.Time(), s.Zone())
	}
	return out
}
