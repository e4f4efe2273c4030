package roles

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/record"
)

func init() {
	change.Register(&Grant{}, "Grant a role to a user or a group")
	change.Register(&Revoke{}, "Revoke an assignment: by its id, or by its role and its holder where that leaves no doubt")
}

// Grant gives a role to a user or a group.
type Grant struct {
	Role  change.RoleRef  `json:"role" doc:"application/key, a key, or an id"`
	User  change.UserRef  `json:"user,omitempty" doc:"user name or id"`
	Group change.GroupRef `json:"group,omitempty" doc:"or the group that shall hold it"`
	calendar.Window
	Scopes   []change.ScopeRef  `json:"scopes,omitempty" doc:"gives only what one of these covers; none: all the role gives"`
	Schedule *calendar.Schedule `json:"schedule,omitempty" doc:"only at these times of the week"`
	Origin   fact.Origin        `json:"origin,omitempty" set:"service"`

	Assignment change.AssignmentRef `json:"assignment,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*Grant) Verb() string { return "grant" }

// ApplyTo implements change.Operation.
func (o Grant) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	role, ok1 := d.SettleRole("role", &o.Role)
	to, ok2 := d.SettleMember(&o.User, "group", &o.Group)
	scopes, ok4 := d.SettleScopes(&o.Scopes)
	if ok3 := d.CheckWindow(o.Window); !ok1 || !ok2 || !ok3 || !ok4 || !d.NeedAssign(role, to) {
		return
	}
	if o.Origin == "" {
		o.Origin = fact.Manual
	}
	if d.Role(role).Retired {
		d.Fault("role", "%s is retired and would give nothing", d.RoleKey(role))
		return
	}
	if to.User != 0 && d.User(to.User).Status == fact.Departed {
		d.Fault("user", "%s has departed", d.User(to.User).UserName)
		return
	}
	if !lasts(d, role, o.Window) || !direct(d, role, to) || !d.MayHold("role", d.RoleKey(role), d.Role(role).HeldWithin, to) {
		return
	}
	bounds := fact.Bounds{Scopes: scopes, Schedule: o.Schedule}.String()
	for _, g := range d.GivenTo(to) {
		if g.Role() != role {
			continue
		}
		f := d.Assignment(g.Assignment())
		if f.Window == o.Window && f.Origin == o.Origin && fact.BoundsOf(f).String() == bounds {
			o.Assignment = change.AssignmentRef(f.ID.String())
			d.Note(change.AlreadyHeld, f.Opened)
			return
		}
	}
	f := &fact.Assignment{ID: fact.AssignmentID(d.Allocate(fact.FactAssignment)), Assignee: to, Role: role,
		Window: o.Window, Scopes: scopes, Schedule: o.Schedule, Origin: o.Origin, Opened: d.Revision}
	o.Assignment = change.AssignmentRef(f.ID.String())
	d.Put(f)
	return settled
}

// direct says whether a role may be given to a user themselves, and files the
// fault.
func direct(d *change.Draft, role fact.RoleID, to fact.Assignee) bool {
	app := d.Application(d.Role(role).Application)
	if to.User == 0 || app == nil || app.Direct != fact.DirectRefused {
		return true
	}
	d.Fault("user", "roles of %s are given through groups alone: add the user to a group that holds %s", app.Key, d.RoleKey(role))
	return false
}

// Sentence implements change.Operation.
func (o *Grant) Sentence(s *access.Snapshot, n change.Names) string {
	return "Granted " + refRole(s, o.Role) + " to " + refMember(s, n, o.User, o.Group) + change.WindowWords(s, o.Window) + boundsWords(s, o.Scopes, o.Schedule)
}

// boundsWords says scopes and a schedule: " in voyages/2026-* of Berth planning,
// weekdays 06:00 to 14:00, Europe/Lisbon".
func boundsWords(s *access.Snapshot, scopes []change.ScopeRef, schedule *calendar.Schedule) string {
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
	Role       change.RoleRef       `json:"role,omitempty"`
	User       change.UserRef       `json:"user,omitempty"`
	Group      change.GroupRef      `json:"group,omitempty"`
	Assignment change.AssignmentRef `json:"assignment,omitempty" doc:"its id, instead of role and holder"`
}

// Verb implements change.Operation.
func (*Revoke) Verb() string { return "revoke" }

// ApplyTo implements change.Operation.
func (o Revoke) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	f := o.find(d)
	if f == nil {
		return
	}
	o.Assignment = change.AssignmentRef(f.ID.String())
	o.Role = change.RoleRef(f.Role.String())
	o.User, o.Group = change.UserRef(f.Assignee.User.String()), change.GroupRef(f.Assignee.Group.String())
	if f.Assignee.User != 0 {
		d.Reads(fact.FactUser, uint32(f.Assignee.User))
	} else {
		d.Reads(fact.FactGroup, uint32(f.Assignee.Group))
	}
	if d.NeedAssign(f.Role, f.Assignee) {
		d.End(f)
	}
	return settled
}

func (o *Revoke) find(d *change.Draft) *fact.Assignment {
	if o.Assignment != "" {
		n, _ := fact.ParseID("assignment", string(o.Assignment))
		f := d.Assignment(fact.AssignmentID(n))
		if f == nil || !d.MaySee(fact.FactRole, uint32(f.Role)) || f.Assignee.User != 0 && !d.MaySee(fact.FactUser, uint32(f.Assignee.User)) {
			d.Fault("assignment", "there is no assignment “%s” in force", o.Assignment)
			return nil
		}
		if f.Rule != 0 {
			byDefaultOnly(d, "assignment", f)
			return nil
		}
		if !o.isOf(d, f) {
			return nil
		}
		return f
	}
	role, ok1 := d.SettleRole("role", &o.Role)
	from, ok2 := d.SettleMember(&o.User, "group", &o.Group)
	if !ok1 || !ok2 {
		return nil
	}
	var found, byRule *fact.Assignment
	n := 0
	for _, g := range d.GivenTo(from) {
		if g.Role() != role {
			continue
		}
		if f := d.Assignment(g.Assignment()); f.Rule != 0 {
			byRule = f
		} else {
			found = f
			n++
		}
	}
	switch {
	case n == 0 && byRule != nil:
		byDefaultOnly(d, "", byRule)
		return nil
	case n == 0:
		d.Fault("", "%s", notDirect(d, role, from))
		d.Faults[len(d.Faults)-1].NotHeld = &change.NotHeld{Assignee: from, Role: role}
		return nil
	case n > 1:
		d.Fault("assignment", "%s is held there %d times; name one assignment by its id", d.RoleKey(role), n)
		return nil
	}
	return found
}

// byDefaultOnly files the fault of taking back what a default rule gives.
func byDefaultOnly(d *change.Draft, field string, f *fact.Assignment) {
	d.Fault(field, "%s is granted by the default rule %s: edit the rule, or the attributes it goes by", d.RoleKey(f.Role), record.Default(&d.Snapshot, f.Rule).Key)
}

// isOf says whether what else the operation names is that of an assignment.
func (o *Revoke) isOf(d *change.Draft, f *fact.Assignment) bool {
	before := len(d.Faults)
	if o.Role != "" {
		if role, ok := d.SettleRole("role", &o.Role); ok && role != f.Role {
			d.Fault("role", "is not the role of %s", o.Assignment)
		}
	}
	if o.User != "" {
		if id, ok := d.SettleUser("user", &o.User); ok && id != f.Assignee.User {
			d.Fault("user", "does not hold %s", o.Assignment)
		}
	}
	if o.Group != "" {
		if id, ok := d.SettleGroup("group", &o.Group); ok && id != f.Assignee.Group {
			d.Fault("group", "does not hold %s", o.Assignment)
		}
	}
	return len(d.Faults) == before
}

// notDirect says why there is nothing to revoke, and through what it is held.
func notDirect(d *change.Draft, role fact.RoleID, from fact.Assignee) string {
	key := d.RoleKey(role)
	if from.User != 0 {
		for g, when := range held.GroupIntervals(&d.Snapshot, from.User) {
			for _, a := range d.GroupTable.At(int(g)).Given {
				if a.Role() == role && len(when) > 0 && d.MaySee(fact.FactGroup, uint32(g)) {
					return holderLabel(d, from) + " does not hold " + key + " directly: it comes through the group " + d.Group(g).Key +
						". Remove the user from the group, or revoke it there"
				}
			}
		}
	}
	return holderLabel(d, from) + " does not hold " + key
}

// holderLabel is what people call a user or a group.
func holderLabel(d *change.Draft, of fact.Assignee) string {
	if of.Group != 0 {
		return "the group " + d.Group(of.Group).Label
	}
	if u := d.User(of.User); u.DisplayName != "" {
		return u.DisplayName
	}
	return d.User(of.User).UserName
}

// Sentence implements change.Operation.
func (o *Revoke) Sentence(s *access.Snapshot, n change.Names) string {
	return "Revoked " + refRole(s, o.Role) + " of " + refMember(s, n, o.User, o.Group)
}
