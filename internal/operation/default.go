package operation

import (
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() {
	change.Register(&AddDefault{}, "Add a default rule")
	change.Register(&UpdateDefault{}, "Edit a default rule; what is not given stays")
	change.Register(&EndDefault{}, "End a default rule, and remove what it gave")
}

// AddDefault writes a default rule.
type AddDefault struct {
	Key         string            `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string            `json:"label,omitempty" doc:"what people call it"`
	Description string            `json:"description,omitempty" doc:"what it is for, in plain words"`
	Everybody   bool              `json:"everybody,omitempty" doc:"for every person; else a filter says for whom"`
	Filter      string            `json:"filter,omitempty" flag:"where" doc:"a filter (RFC 7644, section 3.4.2.2) over users' facts"`
	Roles       []change.RoleRef  `json:"roles,omitempty" flag:"role" doc:"a role it gives"`
	Groups      []change.GroupRef `json:"groups,omitempty" flag:"group" doc:"a group it puts into"`

	Default change.DefaultRef `json:"default,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddDefault) Verb() string { return "add_default" }

// ApplyTo implements change.Operation.
func (o AddDefault) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write default rules") {
		return
	}
	before := len(d.Faults)
	if m := d.CheckKey(o.Key); m != "" {
		d.Fault("key", "%s", m)
	} else if _, taken := d.FindDefault(o.Key); taken {
		d.Fault("key", "“%s” is taken: keys are never reused", o.Key)
	}
	d.CheckTexts(&o.Label, o.Key, o.Description)
	f := &fact.Default{Key: o.Key, Label: o.Label, Description: o.Description, Everybody: o.Everybody, Filter: strings.TrimSpace(o.Filter)}
	if len(o.Roles) == 0 {
		o.Roles = nil
	}
	if len(o.Groups) == 0 {
		o.Groups = nil
	}
	f.Roles, f.Groups = gifts(d, &o.Roles, &o.Groups)
	checkDefault(d, f)
	knownInFilter(d, f.Filter)
	if d.Free(fact.FactDefault) > fact.MostDefaults {
		d.Fault("", "there have been %d default rules, and there is no room for more: change one instead", fact.MostDefaults)
	}
	if len(d.Faults) > before {
		d.Fails(fact.FactDefault, o.Key)
		return
	}
	f.ID = fact.DefaultID(d.Allocate(fact.FactDefault))
	o.Default = change.DefaultRef(f.ID.String())
	d.Put(f)
	return settled
}

// gifts settles the roles and groups a rule names.
func gifts(d *change.Draft, roles *[]change.RoleRef, groups *[]change.GroupRef) ([]fact.RoleID, []fact.GroupID) {
	return each("roles", roles, d.SettleRole), each("groups", groups, d.SettleGroup)
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
func checkDefault(d *change.Draft, f *fact.Default) {
	switch {
	case f.Everybody && f.Filter != "":
		d.Fault("filter", "and everybody exclude each other: say one of them")
	case !f.Everybody && f.Filter == "":
		d.Fault("filter", "is blank, which does not mean everybody: give a filter, or say everybody")
	default:
		checkRule(d, f.Filter)
	}
	if len(f.Roles)+len(f.Groups) == 0 {
		d.Fault("roles", "and groups are both empty: the rule would give nothing")
	}
	for _, r := range f.Roles {
		if d.Role(r).Retired {
			d.Fault("roles", "%s is retired and would give nothing", d.RoleKey(r))
		}
		if n := d.Role(r).MaxDays; n > 0 {
			d.Fault("roles", "%s is held for %s at most, and a default rule gives without end", d.RoleKey(r), fact.Count(n, "day"))
		}
	}
	for _, r := range f.Roles {
		d.DefaultInside("roles", f, d.RoleKey(r), d.Role(r).HeldWithin)
	}
	for _, g := range f.Groups {
		d.DefaultInside("groups", f, d.Group(g).Key, d.Group(g).HeldWithin)
		if g == fact.PublicGroup || g == fact.AllUsersGroup {
			d.Fault("groups", "the group %s is built in and has no listed members", d.Group(g).Key)
		}
	}
}

// Sentence implements change.Operation.
func (o *AddDefault) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Wrote the default rule " + o.Label + ": " + defaultWords(s, o.Default)
}

// defaultWords says whom a rule gives what.
func defaultWords(s *access.Snapshot, ref change.DefaultRef) string {
	id, _ := s.FindDefault(string(ref))
	f := s.Default(id)
	if f == nil {
		return string(ref)
	}
	return DefaultWords(f, s)
}

// DefaultWords says whom a rule gives what, in plain words.
func DefaultWords(f *fact.Default, s *access.Snapshot) string {
	var gives []string
	for _, r := range f.Roles {
		gives = append(gives, "the role "+change.RoleLabel(s, r))
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
	Default     change.DefaultRef `json:"default" doc:"key or id"`
	Label       *string           `json:"label,omitempty" doc:"what people call it"`
	Description *string           `json:"description,omitempty" doc:"what it is for, in plain words"`
	Everybody   *bool             `json:"everybody,omitempty" doc:"for every person"`
	Filter      *string           `json:"filter,omitempty" flag:"where" doc:"a filter over users' facts: whom it gives to"`
	Roles       []change.RoleRef  `json:"roles,omitzero" flag:"role" doc:"all the roles it gives from now on"`
	Groups      []change.GroupRef `json:"groups,omitzero" flag:"group" doc:"all the groups it puts into from now on"`
}

// Verb implements change.Operation.
func (*UpdateDefault) Verb() string { return "update_default" }

// ApplyTo implements change.Operation.
func (o UpdateDefault) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write default rules") {
		return
	}
	old := defaultRule(d, &o.Default)
	if old == nil {
		return
	}
	alter(d, old, func(f *fact.Default) {
		fact.SetIf(&f.Label, o.Label)
		fact.SetIf(&f.Description, o.Description)
		fact.SetIf(&f.Everybody, o.Everybody)
		fact.SetIf(&f.Filter, o.Filter)
		roles, groups := gifts(d, &o.Roles, &o.Groups)
		if o.Roles != nil {
			f.Roles = roles
		}
		if o.Groups != nil {
			f.Groups = groups
		}
		d.CheckTexts(&f.Label, f.Key, f.Description)
		checkDefault(d, f)
		if o.Filter != nil {
			knownInFilter(d, f.Filter)
		}
	})
	return settled
}

// defaultRule settles a rule that has not ended.
func defaultRule(d *change.Draft, ref *change.DefaultRef) *fact.Default {
	f, _ := change.SettleKeyed[*fact.Default](d, fact.FactDefault, "default", ref, access.Same, "%s has ended; write another")
	return f
}

// Sentence implements change.Operation.
func (o *UpdateDefault) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Changed the default rule: " + defaultWords(s, o.Default)
}

// EndDefault ends a default rule, and takes back what it gave.
type EndDefault struct {
	Default change.DefaultRef `json:"default" doc:"key or id"`
}

// Verb implements change.Operation.
func (*EndDefault) Verb() string { return "end_default" }

// ApplyTo implements change.Operation.
func (o EndDefault) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write default rules") {
		return
	}
	if old := defaultRule(d, &o.Default); old != nil {
		alter(d, old, func(f *fact.Default) { f.Ended = true })
	}
	return settled
}

// Sentence implements change.Operation.
func (o *EndDefault) Sentence(s *access.Snapshot, _ change.Names) string {
	id, _ := s.FindDefault(string(o.Default))
	return "Ended the default rule " + s.Default(id).Label
}
