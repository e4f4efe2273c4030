package access

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

func init() {
	Register(&Grant{}, "Grant a role to a user or a group")
	Register(&Revoke{}, "Revoke an assignment: by its id, or by its role and its holder where that leaves no doubt")
}

// Grant gives a role to a user or a group.
type Grant struct {
	Role  RoleRef  `json:"role" doc:"application/key, a key, or an id"`
	User  UserRef  `json:"user,omitempty" doc:"user name or id"`
	Group GroupRef `json:"group,omitempty" doc:"or the group that shall hold it"`
	calendar.Window
	Scopes   []ScopeRef         `json:"scopes,omitempty" doc:"gives only what one of these covers; none: all the role gives"`
	Schedule *calendar.Schedule `json:"schedule,omitempty" doc:"only at these times of the week"`
	Origin   Origin             `json:"origin,omitempty" set:"service"`

	Assignment AssignmentRef `json:"assignment,omitempty" set:"service"`
}

// ScopeRef is a scope as it is asked for: the application by key or id.
type ScopeRef struct {
	Application ApplicationRef `json:"application"`
	Pattern     string         `json:"pattern" doc:"a path whose segments may contain *"`
}

// Verb implements Operation.
func (*Grant) Verb() string { return "grant" }

func (o Grant) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	role, ok1 := d.role("role", &o.Role)
	to, ok2 := d.member(&o.User, "group", &o.Group)
	scopes, ok4 := d.scopes(&o.Scopes)
	if ok3 := d.window(o.Window); !ok1 || !ok2 || !ok3 || !ok4 || !d.needAssign(role, to) {
		return
	}
	if o.Origin == "" {
		o.Origin = Manual
	}
	if d.Role(role).Retired {
		d.fault("role", "%s is retired and would give nothing", d.RoleKey(role))
		return
	}
	if to.User != 0 && d.User(to.User).Status == Departed {
		d.fault("user", "%s has departed", d.User(to.User).UserName)
		return
	}
	if !d.lasts(role, o.Window) || !d.direct(role, to) || !d.mayHold("role", d.RoleKey(role), d.Role(role).HeldWithin, to) {
		return
	}
	bounds := bounds{scopes, o.Schedule}.String()
	for _, g := range d.givenTo(to) {
		if g.role() != role {
			continue
		}
		f := d.Assignment(g.assignment())
		if f.Window == o.Window && f.Origin == o.Origin && f.bounds().String() == bounds {
			o.Assignment = AssignmentRef(f.ID.String())
			d.note(AlreadyHeld, f.Opened)
			return
		}
	}
	f := &Assignment{ID: AssignmentID(d.allocate(FactAssignment)), Assignee: to, Role: role,
		Window: o.Window, Scopes: scopes, Schedule: o.Schedule, Origin: o.Origin, Opened: d.Revision}
	o.Assignment = AssignmentRef(f.ID.String())
	d.put(f)
	return settled
}

// direct says whether a role may be given to a user themselves, and files the
// fault.
func (d *Draft) direct(role RoleID, to Assignee) bool {
	app := d.Application(d.Role(role).Application)
	if to.User == 0 || app == nil || app.Direct != DirectRefused {
		return true
	}
	d.fault("user", "roles of %s are given through groups alone: add the user to a group that holds %s", app.Key, d.RoleKey(role))
	return false
}

// scopes settles the scopes of a grant, in a list of their own, and files their faults.
func (d *Draft) scopes(list *[]ScopeRef) ([]Scope, bool) {
	ok := true
	var out []Scope
	refs := slices.Clone(*list)
	*list = refs
	for i := range refs {
		app, found := d.application("scopes", &refs[i].Application)
		if err := patterns.CheckPattern(refs[i].Pattern); err != nil {
			d.fault("scopes", "%d: the pattern %s", i+1, err)
			ok = false
		}
		ok = ok && found
		out = append(out, Scope{app, refs[i].Pattern})
	}
	slices.SortFunc(out, func(a, b Scope) int { return compareScopes([]Scope{a}, []Scope{b}) })
	return slices.Compact(out), ok
}

// needAssign asks for the rights to give or take a role: assign on the role,
// and assign on the user or update on the group. What members of the group
// come to hold is judged by the effect. It says whether the author has them.
func (d *Draft) needAssign(role RoleID, to Assignee) bool {
	may := d.need(ActAssign, d.RolePath(role), "assign the role %s", d.RoleKey(role))
	if to.User != 0 {
		return d.need(ActAssign, d.UserPath(to.User), "assign roles to %s", d.User(to.User).UserName) && may
	}
	return d.need(ActUpdate, d.GroupPath(to.Group), "update the group %s", d.Group(to.Group).Key) && may
}

// Sentence implements Operation.
func (o *Grant) Sentence(s *Snapshot, n Names) string {
	return "Granted " + refRole(s, o.Role) + " to " + refMember(s, n, o.User, o.Group) + windowWords(o.Window, s) + boundsWords(s, o.Scopes, o.Schedule)
}

// boundsWords says scopes and a schedule: " in voyages/2026-* of Berth planning,
// weekdays 06:00 to 14:00, Europe/Lisbon".
func boundsWords(s *Snapshot, scopes []ScopeRef, schedule *calendar.Schedule) string {
	out := ""
	for i, x := range scopes {
		out += map[bool]string{true: " within ", false: " or "}[i == 0] + x.Pattern
		if id, ok := s.FindApplication(string(x.Application)); ok {
			out += " of " + s.Application(id).Label
		}
	}
	if schedule != nil {
		out += ", " + schedule.String()
	}
	return out
}

// Revoke takes back one assignment: named by its id, or by the role and who
// holds it when that leaves no doubt.
type Revoke struct {
	Role       RoleRef       `json:"role,omitempty"`
	User       UserRef       `json:"user,omitempty"`
	Group      GroupRef      `json:"group,omitempty"`
	Assignment AssignmentRef `json:"assignment,omitempty" doc:"its id, instead of role and holder"`
}

// Verb implements Operation.
func (*Revoke) Verb() string { return "revoke" }

func (o Revoke) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	f := o.find(d)
	if f == nil {
		return
	}
	o.Assignment = AssignmentRef(f.ID.String())
	o.Role = RoleRef(f.Role.String())
	o.User, o.Group = UserRef(f.Assignee.User.String()), GroupRef(f.Assignee.Group.String())
	if f.Assignee.User != 0 {
		d.read(FactUser, uint32(f.Assignee.User))
	} else {
		d.read(FactGroup, uint32(f.Assignee.Group))
	}
	if d.needAssign(f.Role, f.Assignee) {
		d.end(f)
	}
	return settled
}

func (o *Revoke) find(d *Draft) *Assignment {
	if o.Assignment != "" {
		n, _ := ParseID("assignment", string(o.Assignment))
		f := d.Assignment(AssignmentID(n))
		if f == nil || !d.visible(FactRole, uint32(f.Role)) || f.Assignee.User != 0 && !d.visible(FactUser, uint32(f.Assignee.User)) {
			d.fault("assignment", "there is no assignment “%s” in force", o.Assignment)
			return nil
		}
		if f.Rule != 0 {
			d.byDefaultOnly("assignment", f)
			return nil
		}
		if !o.isOf(d, f) {
			return nil
		}
		return f
	}
	role, ok1 := d.role("role", &o.Role)
	from, ok2 := d.member(&o.User, "group", &o.Group)
	if !ok1 || !ok2 {
		return nil
	}
	var found, byRule *Assignment
	n := 0
	for _, g := range d.givenTo(from) {
		if g.role() != role {
			continue
		}
		if f := d.Assignment(g.assignment()); f.Rule != 0 {
			byRule = f
		} else {
			found = f
			n++
		}
	}
	switch {
	case n == 0 && byRule != nil:
		d.byDefaultOnly("", byRule)
		return nil
	case n == 0:
		d.fault("", "%s", d.notDirect(role, from))
		d.Faults[len(d.Faults)-1].NotHeld = &NotHeld{from, role}
		return nil
	case n > 1:
		d.fault("assignment", "%s is held there %d times; name one assignment by its id", d.RoleKey(role), n)
		return nil
	}
	return found
}

// byDefaultOnly files the fault of taking back what a default rule gives.
func (d *Draft) byDefaultOnly(field string, f *Assignment) {
	d.fault(field, "%s is granted by the default rule %s: edit the rule, or the attributes it goes by", d.RoleKey(f.Role), d.Default(f.Rule).Key)
}

// isOf says whether what else the operation names is that of an assignment.
func (o *Revoke) isOf(d *Draft, f *Assignment) bool {
	before := len(d.Faults)
	if o.Role != "" {
		if role, ok := d.role("role", &o.Role); ok && role != f.Role {
			d.fault("role", "is not the role of %s", o.Assignment)
		}
	}
	if o.User != "" {
		if id, ok := d.user("user", &o.User); ok && id != f.Assignee.User {
			d.fault("user", "does not hold %s", o.Assignment)
		}
	}
	if o.Group != "" {
		if id, ok := d.group("group", &o.Group); ok && id != f.Assignee.Group {
			d.fault("group", "does not hold %s", o.Assignment)
		}
	}
	return len(d.Faults) == before
}

// notDirect says why there is nothing to revoke, and through what it is held.
func (d *Draft) notDirect(role RoleID, from Assignee) string {
	key := d.RoleKey(role)
	if from.User != 0 {
		for g, when := range d.groupIntervals(from.User) {
			for _, a := range d.groups.At(int(g)).given {
				if a.role() == role && len(when) > 0 && d.visible(FactGroup, uint32(g)) {
					return d.holderLabel(from) + " does not hold " + key + " directly: it comes through the group " + d.Group(g).Key +
						". Remove the user from the group, or revoke it there"
				}
			}
		}
	}
	return d.holderLabel(from) + " does not hold " + key
}

// holderLabel is what people call a user or a group.
func (d *Draft) holderLabel(of Assignee) string {
	if of.Group != 0 {
		return "the group " + d.Group(of.Group).Label
	}
	if u := d.User(of.User); u.DisplayName != "" {
		return u.DisplayName
	}
	return d.User(of.User).UserName
}

// Sentence implements Operation.
func (o *Revoke) Sentence(s *Snapshot, n Names) string {
	return "Revoked " + refRole(s, o.Role) + " of " + refMember(s, n, o.User, o.Group)
}
