package access

func init() { register(&Grant{}); register(&Revoke{}) }

// Grant gives a role to a user or a group.
type Grant struct {
	Role  RoleRef  `json:"role" doc:"application/key, a key, or an id"`
	User  UserRef  `json:"user,omitempty" doc:"user name or id"`
	Group GroupRef `json:"group,omitempty" doc:"or the group that shall hold it"`
	Window
	Origin Origin `json:"origin,omitempty" doc:"set by the service"`

	Assignment AssignmentRef `json:"assignment,omitempty" doc:"set by the service"`
}

// Verb implements Operation.
func (*Grant) Verb() string { return "grant" }

func (o *Grant) settled() string {
	if o.Origin != "" {
		return "origin"
	}
	return named(o.Assignment, "assignment")
}

func (o *Grant) apply(d *Draft) {
	role, ok1 := d.role("role", &o.Role)
	to, ok2 := d.member(&o.User, "group", &o.Group)
	if ok3 := d.window(o.Window); !ok1 || !ok2 || !ok3 {
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
	d.needAssign(role, to)
	for _, id := range d.given(to) {
		f := d.Assignment(id)
		if f.Role == role && f.Window == o.Window && f.Origin == o.Origin {
			o.Assignment = AssignmentRef(id.String())
			d.note(AlreadyHeld, f.Opened)
			return
		}
	}
	f := &Assignment{ID: AssignmentID(d.allocate(FactAssignment)), Assignee: to, Role: role,
		Window: o.Window, Origin: o.Origin, Opened: d.Revision}
	o.Assignment = AssignmentRef(f.ID.String())
	d.put(f)
}

// given are the assignments made to a user or a group itself.
func (d *Draft) given(m Assignee) []AssignmentID {
	if m.User != 0 {
		return d.users.At(int(m.User)).assignments
	}
	return d.groups.At(int(m.Group)).assignments
}

// needAssign asks for the rights to give or take a role: assign on the role,
// and assign on the user or update on the group. What members of the group
// come to hold is judged by the effect.
func (d *Draft) needAssign(role RoleID, to Assignee) {
	d.need(ActAssign, d.RolePath(role), "assign the role %s", d.RoleKey(role))
	if to.User != 0 {
		d.need(ActAssign, d.UserPath(to.User), "assign roles to %s", d.User(to.User).UserName)
	} else {
		d.need(ActUpdate, d.GroupPath(to.Group), "update the group %s", d.Group(to.Group).Key)
	}
}

// Sentence implements Operation.
func (o *Grant) Sentence(s *Snapshot, n Names) string {
	return "Granted " + refRole(s, o.Role) + " to " + refMember(s, n, o.User, o.Group) + windowWords(o.Window, s)
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

func (o *Revoke) apply(d *Draft) {
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
	d.needAssign(f.Role, f.Assignee)
	d.end(f)
}

func (o *Revoke) find(d *Draft) *Assignment {
	if o.Assignment != "" {
		n, _ := ParseID("assignment", string(o.Assignment))
		f := d.Assignment(AssignmentID(n))
		if f == nil || !d.visible(FactRole, uint32(f.Role)) || f.Assignee.User != 0 && !d.visible(FactUser, uint32(f.Assignee.User)) {
			d.fault("assignment", "there is no assignment “%s” in force", o.Assignment)
			return nil
		}
		return f
	}
	role, ok1 := d.role("role", &o.Role)
	from, ok2 := d.member(&o.User, "group", &o.Group)
	if !ok1 || !ok2 {
		return nil
	}
	var found *Assignment
	n := 0
	for _, id := range d.given(from) {
		if f := d.Assignment(id); f.Role == role {
			found = f
			n++
		}
	}
	switch {
	case n == 0:
		d.fault("", "%s", d.notDirect(role, from))
		return nil
	case n > 1:
		d.fault("assignment", "%s is held there %d times; name one assignment by its id", d.RoleKey(role), n)
		return nil
	}
	return found
}

// notDirect says why there is nothing to revoke, and through what it is held.
func (d *Draft) notDirect(role RoleID, from Assignee) string {
	key := d.RoleKey(role)
	if from.User != 0 {
		for g, when := range d.groupIntervals(from.User) {
			for _, a := range d.groups.At(int(g)).assignments {
				if d.Assignment(a).Role == role && len(when) > 0 && d.visible(FactGroup, uint32(g)) {
					return key + " is not held directly: it comes through the group " + d.Group(g).Key +
						"; take the user out of the group, or revoke it there"
				}
			}
		}
	}
	return key + " is not held there"
}

// Sentence implements Operation.
func (o *Revoke) Sentence(s *Snapshot, n Names) string {
	return "Revoked " + refRole(s, o.Role) + " of " + refMember(s, n, o.User, o.Group)
}
