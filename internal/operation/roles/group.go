package roles

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/record"
)

func init() {
	change.Register(&AddGroup{}, "Add a group")
	change.Register(&UpdateGroup{}, "Edit a group; what is not given stays, and a blank filter ends the choosing")
	change.Register(&AddMember{}, "Add a user or a group to a group")
	change.Register(&RemoveMember{}, "Remove a user or a group from a group")
}

// AddGroup makes a group.
type AddGroup struct {
	Key         string `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string `json:"label,omitempty" doc:"what people call it"`
	Description string `json:"description,omitempty" doc:"what it is for, in plain words"`
	Unit        string `json:"unit,omitempty" doc:"the part of the organisation that owns it"`
	Filter      string `json:"filter,omitempty" flag:"where" doc:"a filter (RFC 7644, section 3.4.2.2) over users' facts: whom it chooses beside its listed members"`
	HeldWithin  string `json:"held_within,omitempty" doc:"the unit within which alone somebody may be in it; blank: anywhere, or the unit a filter insists on. Whoever moves out of it is in it no longer"`

	Group change.GroupRef `json:"group,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddGroup) Verb() string { return "add_group" }

// ApplyTo implements change.Operation.
func (o AddGroup) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	before := len(d.Faults)
	unit := d.CheckUnit("unit", o.Unit)
	if m := d.CheckKey(o.Key); m != "" {
		d.Fault("key", "%s", m)
	} else if unit && !d.Need(access.ActCreate, access.GroupPath(o.Unit, o.Key), "add groups%s", change.InUnit(o.Unit)) {
		d.Fails(fact.FactGroup, o.Key)
		return
	} else if id, taken := d.FindGroup(o.Key); taken {
		d.Taken("key", fact.FactGroup, uint32(id), o.Key, "keys")
	}
	d.CheckTexts(&o.Label, o.Key, o.Description)
	d.CheckOurs("label", o.Label)
	settle.CheckFilter(d, o.Filter)
	settle.KnownInFilter(d, o.Filter)
	d.KnownUnit("unit", o.Unit)
	if d.CheckUnit("held_within", o.HeldWithin) {
		d.KnownUnit("held_within", o.HeldWithin)
	}
	if o.HeldWithin == "" && !d.Replays {
		o.HeldWithin = change.RuleUnit(o.Filter)
	}
	if o.Filter != "" && !change.HeldInside(change.RuleUnit(o.Filter), o.HeldWithin) {
		d.Fault("filter", "must insist on within eq \"%s\", where alone the group may be held", o.HeldWithin)
	}
	if len(d.Faults) > before {
		d.Fails(fact.FactGroup, o.Key)
		return
	}
	g := &fact.Group{ID: fact.GroupID(d.Allocate(fact.FactGroup)), Key: o.Key, Label: o.Label, Description: o.Description, Unit: o.Unit, Filter: o.Filter, HeldWithin: o.HeldWithin}
	o.Group = change.GroupRef(g.ID.String())
	d.Put(g)
	return settled
}

// Sentence implements change.Operation.
func (o *AddGroup) Sentence(s *access.Snapshot, _ change.Names) string {
	if o.Filter != "" {
		return "Added the group " + o.Label + ", for " + s.FilterWords(o.Filter)
	}
	return "Added the group " + o.Label
}

// UpdateGroup alters a group; what is not given stays, a blank filter ends the
// choosing.
type UpdateGroup struct {
	Group       change.GroupRef `json:"group"`
	Label       *string         `json:"label,omitempty" doc:"what people call it"`
	Description *string         `json:"description,omitempty" doc:"what it is for, in plain words"`
	Unit        *string         `json:"unit,omitempty"`
	Owner       *change.UserRef `json:"owner,omitempty" doc:"its owner; blank for nobody"`
	Filter      *string         `json:"filter,omitempty" flag:"where" doc:"a filter over users' facts; blank for none"`
	HeldWithin  *string         `json:"held_within,omitempty" doc:"the unit within which alone somebody may be in it; blank: anywhere. Whoever moves out of it is in it no longer"`
}

// Verb implements change.Operation.
func (*UpdateGroup) Verb() string { return "update_group" }

// ApplyTo implements change.Operation.
func (o UpdateGroup) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleGroup("group", &o.Group)
	if !ok {
		return
	}
	if id == fact.PublicGroup || id == fact.AllUsersGroup {
		d.Fault("group", "the group %s is built in", d.Group(id).Key)
		return
	}
	old := d.Group(id)
	if !o.need(d, id) {
		return
	}
	before := len(d.Faults)
	g := *old
	fact.SetIf(&g.Label, o.Label)
	fact.SetIf(&g.Description, o.Description)
	fact.SetIf(&g.Unit, o.Unit)
	fact.SetIf(&g.Filter, o.Filter)
	fact.SetIf(&g.HeldWithin, o.HeldWithin)
	d.CheckUnit("held_within", g.HeldWithin)
	settle.Owner(d, &g.Owner, &o.Owner)
	d.CheckTexts(&g.Label, g.Key, g.Description)
	if d.CheckUnit("unit", g.Unit) && g.Unit != old.Unit && !d.Need(access.ActUpdate, access.GroupPath(g.Unit, g.Key), "move groups%s", change.InUnit(g.Unit)) {
		return
	}
	o.checkTeam(d, &g)
	settle.CheckFilter(d, g.Filter)
	if g.Unit != old.Unit {
		d.KnownUnit("unit", g.Unit)
	}
	if g.HeldWithin != old.HeldWithin {
		d.KnownUnit("held_within", g.HeldWithin)
	}
	if g.Filter != old.Filter {
		settle.KnownInFilter(d, g.Filter)
	}
	if len(d.Faults) > before || (g.HeldWithin != old.HeldWithin || g.Filter != old.Filter) && !d.NarrowGroup(&g) {
		return
	}
	if g == *old {
		d.Note(change.AlreadySo, d.GroupTable.At(int(id)).Touched)
		return
	}
	d.Put(&g)
	return settled
}

// need asks for the right to do it. What a team is called, and who manages it, its owner says.
func (o *UpdateGroup) need(d *change.Draft, id fact.GroupID) bool {
	what := "update the group " + d.Group(id).Key
	if o.Unit == nil && o.Filter == nil && o.HeldWithin == nil {
		return d.NeedTeam(id, access.ActUpdate, d.GroupPath(id), "%s", what)
	}
	return d.Need(access.ActUpdate, d.GroupPath(id), "%s", what)
}

// checkTeam files the faults of a group that is a team.
func (o *UpdateGroup) checkTeam(d *change.Draft, g *fact.Group) {
	f := record.Team(&d.Snapshot, g.ID)
	if f == nil || f.Ended {
		return
	}
	if g.Filter != "" {
		d.Judged("filter", "chooses nobody in a team: people are added to %s one by one", g.Label)
	}
	if rule := record.TeamRule(&d.Snapshot, f.Rule); o.Owner != nil && g.Owner != 0 && !rule.Ended && !rule.Chooses(d.User(g.Owner)) {
		d.Judged("owner", "%s may not manage such a team: the rule chooses %s", d.User(g.Owner).UserName, d.FilterWords(rule.Filter))
	}
}

// Sentence implements change.Operation.
func (o *UpdateGroup) Sentence(s *access.Snapshot, _ change.Names) string {
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
	Group  change.GroupRef `json:"group" doc:"the group to put into"`
	User   change.UserRef  `json:"user,omitempty" doc:"the user to put in"`
	Member change.GroupRef `json:"member_group,omitempty" doc:"or the group to put in"`
	calendar.Window

	Membership change.MembershipRef `json:"membership,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddMember) Verb() string { return "add_member" }

// ApplyTo implements change.Operation.
func (o AddMember) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	g, ok1 := d.SettleGroup("group", &o.Group)
	m, ok2 := d.SettleMember(&o.User, "member_group", &o.Member)
	if ok3 := d.CheckWindow(o.Window); !ok1 || !ok2 || !ok3 {
		return
	}
	if !d.NeedTeam(g, access.ActUpdate, d.GroupPath(g), "update the group %s", d.Group(g).Key) {
		return
	}
	if g == fact.PublicGroup || g == fact.AllUsersGroup {
		d.Fault("group", "the group %s is built in and has no listed members", d.Group(g).Key)
		return
	}
	if m.Group == fact.PublicGroup || m.Group == fact.AllUsersGroup {
		d.Fault("member_group", "the group %s is built in and is nobody's member", d.Group(m.Group).Key)
		return
	}
	if !inTeam(d, g, m) || !d.MayHold("user", "the group", d.Group(g).HeldWithin, m) {
		return
	}
	if m.Group != 0 {
		if loop := groupLoop(d, g, m.Group); loop != "" {
			d.Fault("member_group", "would make a circle of groups: %s", loop)
			return
		}
	}
	if f := MembershipOf(d, m, g); f != nil {
		if f.Window == o.Window {
			o.Membership = change.MembershipRef(f.ID.String())
			d.Note(change.AlreadyMember, f.Opened)
			return
		}
		d.End(f) // the same membership on new bounds
	}
	f := &fact.Membership{ID: fact.MembershipID(d.Allocate(fact.FactMembership)), Group: g, Member: m, Window: o.Window, Opened: d.Revision}
	o.Membership = change.MembershipRef(f.ID.String())
	d.Put(f)
	return settled
}

// MembershipOf is the listed membership, not one by a rule.
func MembershipOf(d *change.Draft, m fact.Member, g fact.GroupID) *fact.Membership {
	for _, j := range d.JoinedTo(m) {
		if j.Group() == g && !j.ByRule() {
			if f := d.Membership(j.Membership()); f.ByHand() {
				return f
			}
		}
	}
	return nil
}

// joinedBy is the default rule that puts a member into a group, or nil.
func joinedBy(d *change.Draft, m fact.Member, g fact.GroupID) *fact.Default {
	for _, j := range d.JoinedTo(m) {
		if j.Group() == g && !j.ByRule() {
			if f := record.Default(&d.Snapshot, d.Membership(j.Membership()).Rule); f != nil {
				return f
			}
		}
	}
	return nil
}

// groupLoop shows the circle that putting member into g would close.
func groupLoop(d *change.Draft, g, member fact.GroupID) string {
	name := func(x fact.GroupID) string { return d.Group(x).Key }
	if g == member {
		return name(g) + " → " + name(g)
	}
	// The circle exists when member is already reached upward from g.
	var walk func(fact.GroupID, string, map[fact.GroupID]bool) string
	walk = func(x fact.GroupID, trail string, seen map[fact.GroupID]bool) string {
		for _, j := range d.GroupTable.At(int(x)).Parents {
			up := j.Group()
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
	return walk(g, name(member)+" → "+name(g), map[fact.GroupID]bool{})
}

// Sentence implements change.Operation.
func (o *AddMember) Sentence(s *access.Snapshot, n change.Names) string {
	return "Added " + refMember(s, n, o.User, o.Member) + " to the group " + groupLabel(s, o.Group) + change.WindowWords(s, o.Window)
}

func groupLabel(s *access.Snapshot, r change.GroupRef) string {
	id, _ := s.FindGroup(string(r))
	if g := s.Group(id); g != nil {
		return g.Label
	}
	return string(r)
}

func refMember(s *access.Snapshot, n change.Names, u change.UserRef, g change.GroupRef) string {
	var m fact.Member
	if u != "" {
		m.User, _ = s.FindUser(string(u))
	} else {
		m.Group, _ = s.FindGroup(string(g))
	}
	return change.MemberName(s, n, m)
}

// RemoveMember takes a user or a group out of a group.
type RemoveMember struct {
	Group  change.GroupRef `json:"group"`
	User   change.UserRef  `json:"user,omitempty"`
	Member change.GroupRef `json:"member_group,omitempty"`

	Membership change.MembershipRef `json:"membership,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*RemoveMember) Verb() string { return "remove_member" }

// ApplyTo implements change.Operation.
func (o RemoveMember) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	g, ok1 := d.SettleGroup("group", &o.Group)
	m, ok2 := d.SettleMember(&o.User, "member_group", &o.Member)
	if !ok1 || !ok2 {
		return
	}
	if !d.NeedTeam(g, access.ActUpdate, d.GroupPath(g), "update the group %s", d.Group(g).Key) {
		return
	}
	f := MembershipOf(d, m, g)
	if f == nil {
		if rule := joinedBy(d, m, g); rule != nil {
			d.Fault("", "is in %s by the default rule %s: edit the rule, or the attributes it goes by", d.Group(g).Key, rule.Key)
			return
		}
		d.Fault("", "is not a listed member of %s", d.Group(g).Key)
		return
	}
	o.Membership = change.MembershipRef(f.ID.String())
	d.End(f)
	return settled
}

// Sentence implements change.Operation.
func (o *RemoveMember) Sentence(s *access.Snapshot, n change.Names) string {
	return "Removed " + refMember(s, n, o.User, o.Member) + " from the group " + groupLabel(s, o.Group)
}
