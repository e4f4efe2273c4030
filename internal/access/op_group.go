package access

import "ableroster/internal/calendar"

func init() {
	Register(&AddGroup{}, "Add a group")
	Register(&UpdateGroup{}, "Edit a group; what is not given stays, and a blank filter ends the choosing")
	Register(&AddMember{}, "Add a user or a group to a group")
	Register(&RemoveMember{}, "Remove a user or a group from a group")
}

// AddGroup makes a group.
type AddGroup struct {
	Key         string `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string `json:"label,omitempty" doc:"what people call it"`
	Description string `json:"description,omitempty" doc:"what it is for, in plain words"`
	Unit        string `json:"unit,omitempty" doc:"the part of the organisation that owns it"`
	Filter      string `json:"filter,omitempty" flag:"where" doc:"a filter (RFC 7644, section 3.4.2.2) over users' facts: whom it chooses beside its listed members"`
	HeldWithin  string `json:"held_within,omitempty" doc:"the unit within which alone somebody may be in it; blank: anywhere, or the unit a filter insists on. Whoever moves out of it is in it no longer"`

	Group GroupRef `json:"group,omitempty" set:"service"`
}

// Verb implements Operation.
func (*AddGroup) Verb() string { return "add_group" }

func (o AddGroup) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	before := len(d.Faults)
	unit := d.unit("unit", o.Unit)
	if m := d.checkKey(o.Key); m != "" {
		d.fault("key", "%s", m)
	} else if unit && !d.need(ActCreate, groupPath(o.Unit, o.Key), "add groups%s", inUnit(o.Unit)) {
		d.fail(FactGroup, o.Key)
		return
	} else if id, taken := d.FindGroup(o.Key); taken {
		d.taken("key", FactGroup, uint32(id), o.Key, "keys")
	}
	d.checkTexts(&o.Label, o.Key, o.Description)
	d.checkOurs("label", o.Label)
	d.checkRule(o.Filter)
	d.unit("held_within", o.HeldWithin)
	if o.HeldWithin == "" && !d.Replays {
		o.HeldWithin = ruleUnit(o.Filter)
	}
	if o.Filter != "" && !heldInside(ruleUnit(o.Filter), o.HeldWithin) {
		d.fault("filter", "must insist on within eq \"%s\", where alone the group may be held", o.HeldWithin)
	}
	if len(d.Faults) > before {
		d.fail(FactGroup, o.Key)
		return
	}
	g := &Group{ID: GroupID(d.allocate(FactGroup)), Key: o.Key, Label: o.Label, Description: o.Description, Unit: o.Unit, Filter: o.Filter, HeldWithin: o.HeldWithin}
	o.Group = GroupRef(g.ID.String())
	d.put(g)
	return settled
}

// checkTexts files the faults of a label, which is the key when not given,
// and a description.
func (d *Draft) checkTexts(label *string, key, description string) {
	if *label == "" {
		*label = key
	}
	if m := checkLabel(*label, 200); m != "" {
		d.fault("label", "%s", m)
	} else if m := mixture(*label); m != "" {
		d.judged("label", "mixes %s letters within a word, so that it looks like another name", m)
	}
	if m := checkLabel(description, 2000); m != "" {
		d.fault("description", "%s", m)
	}
}

// Sentence implements Operation.
func (o *AddGroup) Sentence(s *Snapshot, _ Names) string {
	if o.Filter != "" {
		return "Added the group " + o.Label + ", for " + s.FilterWords(o.Filter)
	}
	return "Added the group " + o.Label
}

func (d *Draft) checkRule(text string) {
	if text == "" {
		return
	}
	for _, m := range d.CheckRule(text) {
		d.fault("filter", "%s", m)
	}
}

// UpdateGroup alters a group; what is not given stays, a blank filter ends the
// choosing.
type UpdateGroup struct {
	Group       GroupRef `json:"group"`
	Label       *string  `json:"label,omitempty" doc:"what people call it"`
	Description *string  `json:"description,omitempty" doc:"what it is for, in plain words"`
	Unit        *string  `json:"unit,omitempty"`
	Owner       *UserRef `json:"owner,omitempty" doc:"its owner; blank for nobody"`
	Filter      *string  `json:"filter,omitempty" flag:"where" doc:"a filter over users' facts; blank for none"`
	HeldWithin  *string  `json:"held_within,omitempty" doc:"the unit within which alone somebody may be in it; blank: anywhere. Whoever moves out of it is in it no longer"`
}

// Verb implements Operation.
func (*UpdateGroup) Verb() string { return "update_group" }

func (o UpdateGroup) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	id, ok := d.group("group", &o.Group)
	if !ok {
		return
	}
	if id == PublicGroup || id == AllUsersGroup {
		d.fault("group", "the group %s is built in", d.Group(id).Key)
		return
	}
	old := d.Group(id)
	if !d.need(ActUpdate, d.GroupPath(id), "update the group %s", old.Key) {
		return
	}
	before := len(d.Faults)
	g := *old
	set(&g.Label, o.Label)
	set(&g.Description, o.Description)
	set(&g.Unit, o.Unit)
	set(&g.Filter, o.Filter)
	set(&g.HeldWithin, o.HeldWithin)
	d.unit("held_within", g.HeldWithin)
	d.owner(&g.Owner, &o.Owner)
	d.checkTexts(&g.Label, g.Key, g.Description)
	if d.unit("unit", g.Unit) && g.Unit != old.Unit && !d.need(ActUpdate, groupPath(g.Unit, g.Key), "move groups%s", inUnit(g.Unit)) {
		return
	}
	d.checkRule(g.Filter)
	if len(d.Faults) > before || (g.HeldWithin != old.HeldWithin || g.Filter != old.Filter) && !d.narrowGroup(&g) {
		return
	}
	if g == *old {
		d.note(AlreadySo, d.groups.At(int(id)).touched)
		return
	}
	d.put(&g)
	return settled
}

// Sentence implements Operation.
func (o *UpdateGroup) Sentence(s *Snapshot, _ Names) string {
	what := "Updated the group " + groupLabel(s, o.Group)
	if o.Filter != nil {
		if *o.Filter == "" {
			return "The group " + groupLabel(s, o.Group) + " no longer chooses members"
		}
		return "The group " + groupLabel(s, o.Group) + " now chooses " + s.FilterWords(*o.Filter)
	}
	return what
}

// AddMember puts a user or a group into a group.
type AddMember struct {
	Group  GroupRef `json:"group" doc:"the group to put into"`
	User   UserRef  `json:"user,omitempty" doc:"the user to put in"`
	Member GroupRef `json:"member_group,omitempty" doc:"or the group to put in"`
	calendar.Window

	Membership MembershipRef `json:"membership,omitempty" set:"service"`
}

// Verb implements Operation.
func (*AddMember) Verb() string { return "add_member" }

func (o AddMember) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	g, ok1 := d.group("group", &o.Group)
	m, ok2 := d.member(&o.User, "member_group", &o.Member)
	if ok3 := d.window(o.Window); !ok1 || !ok2 || !ok3 {
		return
	}
	if !d.need(ActUpdate, d.GroupPath(g), "update the group %s", d.Group(g).Key) {
		return
	}
	if g == PublicGroup || g == AllUsersGroup {
		d.fault("group", "the group %s is built in and has no listed members", d.Group(g).Key)
		return
	}
	if m.Group == PublicGroup || m.Group == AllUsersGroup {
		d.fault("member_group", "the group %s is built in and is nobody's member", d.Group(m.Group).Key)
		return
	}
	if !d.mayHold("user", "the group", d.Group(g).HeldWithin, m) {
		return
	}
	if m.Group != 0 {
		if loop := d.groupLoop(g, m.Group); loop != "" {
			d.fault("member_group", "would make a circle of groups: %s", loop)
			return
		}
	}
	if f := d.membershipOf(m, g); f != nil {
		if f.Window == o.Window {
			o.Membership = MembershipRef(f.ID.String())
			d.note(AlreadyMember, f.Opened)
			return
		}
		d.end(f) // the same membership on new bounds
	}
	f := &Membership{ID: MembershipID(d.allocate(FactMembership)), Group: g, Member: m, Window: o.Window, Opened: d.Revision}
	o.Membership = MembershipRef(f.ID.String())
	d.put(f)
	return settled
}

// membershipOf is the listed membership, not one by a rule.
func (d *Draft) membershipOf(m Member, g GroupID) *Membership {
	for _, j := range d.joinedTo(m) {
		if j.group() == g && !j.byRule() {
			if f := d.Membership(j.membership()); f.Rule == 0 {
				return f
			}
		}
	}
	return nil
}

// joinedBy is the default rule that puts a member into a group, or nil.
func (d *Draft) joinedBy(m Member, g GroupID) *Default {
	for _, j := range d.joinedTo(m) {
		if j.group() == g && !j.byRule() {
			if f := d.Default(d.Membership(j.membership()).Rule); f != nil {
				return f
			}
		}
	}
	return nil
}

// groupLoop shows the circle that putting member into g would close.
func (d *Draft) groupLoop(g, member GroupID) string {
	name := func(x GroupID) string { return d.Group(x).Key }
	if g == member {
		return name(g) + " → " + name(g)
	}
	// The circle exists when member is already reached upward from g.
	var walk func(GroupID, string, map[GroupID]bool) string
	walk = func(x GroupID, trail string, seen map[GroupID]bool) string {
		for _, j := range d.groups.At(int(x)).parents {
			up := j.group()
			if up == member {
				return trail + " → " + name(up)
			}
			if !seen[up] {
				seen[up] = true
				if t := walk(up, trail+" → "+name(up), seen); t != "" {
					return t
				}
			}
		}
		return ""
	}
	return walk(g, name(member)+" → "+name(g), map[GroupID]bool{})
}

// Sentence implements Operation.
func (o *AddMember) Sentence(s *Snapshot, n Names) string {
	return "Added " + refMember(s, n, o.User, o.Member) + " to the group " + groupLabel(s, o.Group) + windowWords(o.Window, s)
}

func groupLabel(s *Snapshot, r GroupRef) string {
	id, _ := s.FindGroup(string(r))
	if g := s.Group(id); g != nil {
		return g.Label
	}
	return string(r)
}

func refMember(s *Snapshot, n Names, u UserRef, g GroupRef) string {
	var m Member
	if u != "" {
		m.User, _ = s.FindUser(string(u))
	} else {
		m.Group, _ = s.FindGroup(string(g))
	}
	return memberName(s, n, m)
}

// RemoveMember takes a user or a group out of a group.
type RemoveMember struct {
	Group  GroupRef `json:"group"`
	User   UserRef  `json:"user,omitempty"`
	Member GroupRef `json:"member_group,omitempty"`

	Membership MembershipRef `json:"membership,omitempty" set:"service"`
}

// Verb implements Operation.
func (*RemoveMember) Verb() string { return "remove_member" }

func (o RemoveMember) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	g, ok1 := d.group("group", &o.Group)
	m, ok2 := d.member(&o.User, "member_group", &o.Member)
	if !ok1 || !ok2 {
		return
	}
	if !d.need(ActUpdate, d.GroupPath(g), "update the group %s", d.Group(g).Key) {
		return
	}
	f := d.membershipOf(m, g)
	if f == nil {
		if rule := d.joinedBy(m, g); rule != nil {
			d.fault("", "is in %s by the default rule %s: edit the rule, or the attributes it goes by", d.Group(g).Key, rule.Key)
			return
		}
		d.fault("", "is not a listed member of %s", d.Group(g).Key)
		return
	}
	o.Membership = MembershipRef(f.ID.String())
	d.end(f)
	return settled
}

// Sentence implements Operation.
func (o *RemoveMember) Sentence(s *Snapshot, n Names) string {
	return "Removed " + refMember(s, n, o.User, o.Member) + " from the group " + groupLabel(s, o.Group)
}
