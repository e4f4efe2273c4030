package access

import (
	"slices"
	"strings"
)

func init() {
	Register(&AddDefault{}, "Add a default rule")
	Register(&UpdateDefault{}, "Edit a default rule; what is not given stays")
	Register(&EndDefault{}, "End a default rule, and remove what it gave")
}

// AddDefault writes a default rule.
type AddDefault struct {
	Key         string     `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string     `json:"label,omitempty" doc:"what people call it"`
	Description string     `json:"description,omitempty" doc:"what it is for, in plain words"`
	Everybody   bool       `json:"everybody,omitempty" doc:"for every person; else a filter says for whom"`
	Filter      string     `json:"filter,omitempty" flag:"where" doc:"a filter (RFC 7644, section 3.4.2.2) over users' facts"`
	Roles       []RoleRef  `json:"roles,omitempty" flag:"role" doc:"a role it gives"`
	Groups      []GroupRef `json:"groups,omitempty" flag:"group" doc:"a group it puts into"`

	Default DefaultRef `json:"default,omitempty" set:"service"`
}

// Verb implements Operation.
func (*AddDefault) Verb() string { return "add_default" }

// ApplyTo implements Operation.
func (o AddDefault) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	if !d.need(ActUpdate, "settings", "write default rules") {
		return
	}
	before := len(d.Faults)
	if m := d.checkKey(o.Key); m != "" {
		d.fault("key", "%s", m)
	} else if _, taken := d.FindDefault(o.Key); taken {
		d.fault("key", "“%s” is taken: keys are never reused", o.Key)
	}
	d.checkTexts(&o.Label, o.Key, o.Description)
	f := &Default{Key: o.Key, Label: o.Label, Description: o.Description, Everybody: o.Everybody, Filter: strings.TrimSpace(o.Filter)}
	if len(o.Roles) == 0 {
		o.Roles = nil
	}
	if len(o.Groups) == 0 {
		o.Groups = nil
	}
	f.Roles, f.Groups = d.gifts(&o.Roles, &o.Groups)
	d.checkDefault(f)
	if *d.next.of(FactDefault) > mostDefaults {
		d.fault("", "there have been %d default rules, and there is no room for more: change one instead", mostDefaults)
	}
	if len(d.Faults) > before {
		d.fail(FactDefault, o.Key)
		return
	}
	f.ID = DefaultID(d.allocate(FactDefault))
	o.Default = DefaultRef(f.ID.String())
	d.PutRecord(f)
	return settled
}

// gifts settles the roles and groups a rule names.
func (d *Draft) gifts(roles *[]RoleRef, groups *[]GroupRef) ([]RoleID, []GroupID) {
	return each("roles", roles, d.role), each("groups", groups, d.group)
}

// each settles all that a list names, in a list of its own; what is named twice counts
// once.
func each[R any, I comparable](field string, list *[]R, settle func(string, *R) (I, bool)) (ids []I) {
	refs := slices.Clone(*list)
	*list = refs
	for i := range refs {
		if id, ok := settle(field, &refs[i]); ok && !slices.Contains(ids, id) {
			ids = append(ids, id)
		}
	}
	return ids
}

// checkDefault files the faults of a rule.
func (d *Draft) checkDefault(f *Default) {
	switch {
	case f.Everybody && f.Filter != "":
		d.fault("filter", "and everybody exclude each other: say one of them")
	case !f.Everybody && f.Filter == "":
		d.fault("filter", "is blank, which does not mean everybody: give a filter, or say everybody")
	default:
		d.checkRule(f.Filter)
	}
	if len(f.Roles)+len(f.Groups) == 0 {
		d.fault("roles", "and groups are both empty: the rule would give nothing")
	}
	for _, r := range f.Roles {
		if d.Role(r).Retired {
			d.fault("roles", "%s is retired and would give nothing", d.RoleKey(r))
		}
		if n := d.Role(r).MaxDays; n > 0 {
			d.fault("roles", "%s is held for %s at most, and a default rule gives without end", d.RoleKey(r), Count(n, "day"))
		}
	}
	for _, r := range f.Roles {
		d.defaultInside("roles", f, d.RoleKey(r), d.Role(r).HeldWithin)
	}
	for _, g := range f.Groups {
		d.defaultInside("groups", f, d.Group(g).Key, d.Group(g).HeldWithin)
		if g == PublicGroup || g == AllUsersGroup {
			d.fault("groups", "the group %s is built in and has no listed members", d.Group(g).Key)
		}
	}
}

// Sentence implements Operation.
func (o *AddDefault) Sentence(s *Snapshot, _ Names) string {
	return "Wrote the default rule " + o.Label + ": " + defaultWords(s, o.Default)
}

// defaultWords says whom a rule gives what.
func defaultWords(s *Snapshot, ref DefaultRef) string {
	id, _ := s.FindDefault(string(ref))
	f := s.Default(id)
	if f == nil {
		return string(ref)
	}
	return f.Words(s)
}

// Words says whom a rule gives what, in plain words.
func (f *Default) Words(s *Snapshot) string {
	var gives []string
	for _, r := range f.Roles {
		gives = append(gives, "the role "+roleLabel(s, r))
	}
	for _, g := range f.Groups {
		gives = append(gives, "a place in the group "+s.Group(g).Label)
	}
	whom := "everybody gets "
	if !f.Everybody {
		whom = s.FilterWords(f.Filter) + " get "
	}
	return whom + strings.Join(gives, ", ")
}

// UpdateDefault alters a default rule; what is not given stays.
type UpdateDefault struct {
	Default     DefaultRef `json:"default" doc:"key or id"`
	Label       *string    `json:"label,omitempty" doc:"what people call it"`
	Description *string    `json:"description,omitempty" doc:"what it is for, in plain words"`
	Everybody   *bool      `json:"everybody,omitempty" doc:"for every person"`
	Filter      *string    `json:"filter,omitempty" flag:"where" doc:"a filter over users' facts: whom it gives to"`
	Roles       []RoleRef  `json:"roles,omitzero" flag:"role" doc:"all the roles it gives from now on"`
	Groups      []GroupRef `json:"groups,omitzero" flag:"group" doc:"all the groups it puts into from now on"`
}

// Verb implements Operation.
func (*UpdateDefault) Verb() string { return "update_default" }

// ApplyTo implements Operation.
func (o UpdateDefault) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	if !d.need(ActUpdate, "settings", "write default rules") {
		return
	}
	old := d.defaultRule(&o.Default)
	if old == nil {
		return
	}
	before := len(d.Faults)
	f := *old
	set(&f.Label, o.Label)
	set(&f.Description, o.Description)
	set(&f.Everybody, o.Everybody)
	set(&f.Filter, o.Filter)
	roles, groups := d.gifts(&o.Roles, &o.Groups)
	if o.Roles != nil {
		f.Roles = roles
	}
	if o.Groups != nil {
		f.Groups = groups
	}
	d.checkTexts(&f.Label, f.Key, f.Description)
	d.checkDefault(&f)
	if len(d.Faults) > before {
		return
	}
	if f.Label == old.Label && f.Description == old.Description && f.Everybody == old.Everybody && f.Filter == old.Filter &&
		slices.Equal(f.Roles, old.Roles) && slices.Equal(f.Groups, old.Groups) {
		d.note(AlreadySo, old.Opened)
		return
	}
	d.PutRecord(&f)
	return settled
}

// defaultRule settles a rule that has not ended.
func (d *Draft) defaultRule(ref *DefaultRef) *Default {
	f, _ := settleKeyed[*Default](d, FactDefault, "default", ref, Same, "%s has ended; write another")
	return f
}

// Sentence implements Operation.
func (o *UpdateDefault) Sentence(s *Snapshot, _ Names) string {
	return "Changed the default rule: " + defaultWords(s, o.Default)
}

// EndDefault ends a default rule, and takes back what it gave.
type EndDefault struct {
	Default DefaultRef `json:"default" doc:"key or id"`
}

// Verb implements Operation.
func (*EndDefault) Verb() string { return "end_default" }

// ApplyTo implements Operation.
func (o EndDefault) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	if !d.need(ActUpdate, "settings", "write default rules") {
		return
	}
	old := d.defaultRule(&o.Default)
	if old == nil {
		return
	}
	f := *old
	f.Ended = true
	d.PutRecord(&f)
	return settled
}

// Sentence implements Operation.
func (o *EndDefault) Sentence(s *Snapshot, _ Names) string {
	id, _ := s.FindDefault(string(o.Default))
	return "Ended the default rule " + s.Default(id).Label
}
