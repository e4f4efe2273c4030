package access

import (
	"strings"

	"ableroster/internal/calendar"
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
func (ThingRef) Refers()       {}

// missing files the fault of a name that was not found, unless its making in
// the same change has failed and been reported already.
func (d *Draft) missing(kind FactKind, field, given string) {
	if d.failed[string(kind)+given] {
		return
	}
	if given == "" {
		d.fault(field, "is missing")
		return
	}
	text := "there is no %s “%s”"
	if d.Visible != nil { // whether it is there is not said
		text += ", or it is outside what you may see"
	}
	d.fault(field, text, strings.ReplaceAll(string(kind), "_", " "), given)
	if len(given) <= 200 { // what is longer resembles no name
		f := &d.Faults[len(d.Faults)-1]
		f.Subject, f.Given = kind, given
	}
}

// visible says whether the author may know of a thing. What the change itself
// made they do know.
func (d *Draft) visible(kind FactKind, row uint32) bool {
	return d.Visible == nil || d.base.fact(factKey{kind, row}) == nil || d.Visible(kind, row)
}

func (d *Draft) fail(kind FactKind, name string) {
	if d.failed == nil {
		d.failed = map[string]bool{}
	}
	d.failed[string(kind)+name] = true
}

func (d *Draft) user(field string, r *UserRef) (UserID, bool) {
	id, ok := d.FindUser(strings.TrimSpace(string(*r)))
	if !ok || !d.visible(FactUser, uint32(id)) {
		d.missing(FactUser, field, string(*r))
		return 0, false
	}
	*r = UserRef(id.String())
	d.read(FactUser, uint32(id))
	return id, true
}

func (d *Draft) group(field string, r *GroupRef) (GroupID, bool) {
	id, ok := d.FindGroup(string(*r))
	if !ok || !d.visible(FactGroup, uint32(id)) {
		d.missing(FactGroup, field, string(*r))
		return 0, false
	}
	*r = GroupRef(id.String())
	d.read(FactGroup, uint32(id))
	return id, true
}

func (d *Draft) role(field string, r *RoleRef) (RoleID, bool) {
	id, ok := d.FindRole(string(*r))
	if !ok || !d.visible(FactRole, uint32(id)) {
		d.missing(FactRole, field, string(*r))
		return 0, false
	}
	*r = RoleRef(id.String())
	d.read(FactRole, uint32(id))
	return id, true
}

func (d *Draft) application(field string, r *ApplicationRef) (ApplicationID, bool) {
	id, ok := d.FindApplication(string(*r))
	if !ok || !d.visible(FactApplication, uint32(id)) {
		d.missing(FactApplication, field, string(*r))
		return 0, false
	}
	*r = ApplicationRef(id.String())
	d.read(FactApplication, uint32(id))
	return id, true
}

// member settles a user or a group, exactly one of which must be named.
func (d *Draft) member(user *UserRef, groupField string, group *GroupRef) (Member, bool) {
	if (*user == "") == (*group == "") {
		d.fault("user", "name either a user or a group (%s)", groupField)
		return Member{}, false
	}
	if *user != "" {
		id, ok := d.user("user", user)
		return Member{User: id}, ok
	}
	id, ok := d.group(groupField, group)
	return Member{Group: id}, ok
}

func (d *Draft) window(w calendar.Window) bool {
	if w.Until != 0 && w.Until <= w.From {
		d.fault("until", "is not after from: the window would end before it begins")
		return false
	}
	if w.Until != 0 && w.Until <= d.at {
		return d.judged("until", "is over already")
	}
	return true
}

// memberName is what people call a user or a group.
func memberName(s *Snapshot, n Names, m Member) string {
	if m.User != 0 {
		return n.UserName(m.User)
	}
	if g := s.Group(m.Group); g != nil {
		return "the group " + g.Label
	}
	return m.Group.String()
}

func roleLabel(s *Snapshot, id RoleID) string {
	r := s.Role(id)
	if r == nil {
		return id.String()
	}
	return r.Label
}

func windowWords(w calendar.Window, s *Snapshot) string {
	day := func(i calendar.Instant) string { return i.Time().In(s.zone).Format("2 Jan 2006 15:04") }
	switch {
	case w.From != 0 && w.Until != 0:
		return " from " + day(w.From) + " until " + day(w.Until)
	case w.From != 0:
		return " from " + day(w.From)
	case w.Until != 0:
		return " until " + day(w.Until)
	}
	return ""
}
