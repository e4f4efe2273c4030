package access

import (
	"slices"
	"strings"
)

func init() {
	Register(&AddSoDRule{}, "Add a separation-of-duties rule: roles nobody may combine")
	Register(&UpdateSoDRule{}, "Edit a separation-of-duties rule; what is not given stays")
	Register(&EndSoDRule{}, "End a separation-of-duties rule")
}

// AddSoDRule writes an SoD rule: roles nobody may combine.
type AddSoDRule struct {
	Key         string    `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string    `json:"label,omitempty" doc:"what people call it"`
	Description string    `json:"description,omitempty" doc:"why nobody may combine them"`
	Roles       []RoleRef `json:"roles" flag:"role" doc:"two or more roles"`
	Prevent     bool      `json:"prevent,omitempty" doc:"refuse what would bring it about; else warn"`

	SoDRule SoDRuleRef `json:"sod_rule,omitempty" set:"service"`
}

// Verb implements Operation.
func (*AddSoDRule) Verb() string { return "add_sod_rule" }

// ApplyTo implements Operation.
func (o AddSoDRule) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	if !d.need(ActUpdate, "settings", "write SoD rules") {
		return
	}
	before := len(d.Faults)
	if m := d.checkKey(o.Key); m != "" {
		d.fault("key", "%s", m)
	} else if _, taken := d.FindSoDRule(o.Key); taken {
		d.fault("key", "“%s” is taken: keys are never reused", o.Key)
	}
	d.checkTexts(&o.Label, o.Key, o.Description)
	roles := each("roles", &o.Roles, d.role)
	d.checkSoDRule(roles)
	if len(d.Faults) > before {
		d.fail(FactSoDRule, o.Key)
		return
	}
	f := &SoDRule{ID: SoDRuleID(d.allocate(FactSoDRule)), Key: o.Key, Label: o.Label, Description: o.Description, Roles: roles, Prevent: o.Prevent}
	o.SoDRule = SoDRuleRef(f.ID.String())
	d.PutRecord(f)
	return settled
}

// checkSoDRule files the faults of the roles an SoD rule names: one that
// includes another is always held with it.
func (d *Draft) checkSoDRule(roles []RoleID) {
	if len(roles) < 2 {
		d.fault("roles", "names fewer than two roles: there is nothing to combine")
	}
	for _, r := range roles {
		for _, in := range d.roles.At(int(r)).closure {
			if in != r && slices.Contains(roles, in) {
				d.fault("roles", "names %s, which includes %s: whoever holds the one holds the other", d.RoleKey(r), d.RoleKey(in))
			}
		}
	}
}

// Sentence implements Operation.
func (o *AddSoDRule) Sentence(s *Snapshot, _ Names) string {
	return "Added the SoD rule " + o.Label + ": " + sodRuleWords(s, o.SoDRule)
}

func sodRuleWords(s *Snapshot, ref SoDRuleRef) string {
	id, _ := s.FindSoDRule(string(ref))
	if f := s.SoDRule(id); f != nil {
		return f.Words(s)
	}
	return string(ref)
}

// Words says what nobody may combine, in plain words.
func (f *SoDRule) Words(s *Snapshot) string {
	var names []string
	for _, r := range f.Roles {
		names = append(names, roleLabel(s, r))
	}
	last := len(names) - 1
	return "nobody holds " + strings.Join(names[:last], ", ") + " and " + names[last] + " at the same time"
}

// UpdateSoDRule alters an SoD rule; what is not given stays.
type UpdateSoDRule struct {
	SoDRule     SoDRuleRef `json:"sod_rule" doc:"key or id"`
	Label       *string    `json:"label,omitempty" doc:"what people call it"`
	Description *string    `json:"description,omitempty" doc:"what it is for, in plain words"`
	Roles       []RoleRef  `json:"roles,omitzero" flag:"role" doc:"all its roles from now on"`
	Prevent     *bool      `json:"prevent,omitempty" doc:"refuse what would bring it about; else warn"`
}

// Verb implements Operation.
func (*UpdateSoDRule) Verb() string { return "update_sod_rule" }

// ApplyTo implements Operation.
func (o UpdateSoDRule) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	if !d.need(ActUpdate, "settings", "write SoD rules") {
		return
	}
	old := d.sodRule(&o.SoDRule)
	if old == nil {
		return
	}
	before := len(d.Faults)
	f := *old
	set(&f.Label, o.Label)
	set(&f.Description, o.Description)
	set(&f.Prevent, o.Prevent)
	if o.Roles != nil {
		f.Roles = each("roles", &o.Roles, d.role)
	}
	d.checkTexts(&f.Label, f.Key, f.Description)
	d.checkSoDRule(f.Roles)
	if len(d.Faults) > before {
		return
	}
	if f.Label == old.Label && f.Description == old.Description && f.Prevent == old.Prevent && slices.Equal(f.Roles, old.Roles) {
		d.note(AlreadySo, old.Opened)
		return
	}
	d.PutRecord(&f)
	return settled
}

// sodRule settles an SoD rule that has not ended.
func (d *Draft) sodRule(ref *SoDRuleRef) *SoDRule {
	f, _ := settleKeyed[*SoDRule](d, FactSoDRule, "sod_rule", ref, Same, "%s has ended; write another")
	return f
}

// Sentence implements Operation.
func (o *UpdateSoDRule) Sentence(s *Snapshot, _ Names) string {
	return "Changed the SoD rule: " + sodRuleWords(s, o.SoDRule)
}

// EndSoDRule ends an SoD rule: its roles may be combined again.
type EndSoDRule struct {
	SoDRule SoDRuleRef `json:"sod_rule" doc:"key or id"`
}

// Verb implements Operation.
func (*EndSoDRule) Verb() string { return "end_sod_rule" }

// ApplyTo implements Operation.
func (o EndSoDRule) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	if !d.need(ActUpdate, "settings", "write SoD rules") {
		return
	}
	old := d.sodRule(&o.SoDRule)
	if old == nil {
		return
	}
	f := *old
	f.Ended = true
	d.PutRecord(&f)
	return settled
}

// Sentence implements Operation.
func (o *EndSoDRule) Sentence(s *Snapshot, _ Names) string {
	id, _ := s.FindSoDRule(string(o.SoDRule))
	return "Ended the SoD rule " + s.SoDRule(id).Label
}
