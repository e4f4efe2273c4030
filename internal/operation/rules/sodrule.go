package rules

import (
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/record"
)

func init() {
	change.Register(&AddSoDRule{}, "Add a separation-of-duties rule: roles nobody may combine")
	change.Register(&UpdateSoDRule{}, "Edit a separation-of-duties rule; what is not given stays")
	change.Register(&EndSoDRule{}, "End a separation-of-duties rule")
}

// AddSoDRule writes an SoD rule: roles nobody may combine.
type AddSoDRule struct {
	Key         string           `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string           `json:"label,omitempty" doc:"what people call it"`
	Description string           `json:"description,omitempty" doc:"why nobody may combine them"`
	Roles       []change.RoleRef `json:"roles" flag:"role" doc:"two or more roles"`
	Prevent     bool             `json:"prevent,omitempty" doc:"refuse what would bring it about; else warn"`

	SoDRule change.SoDRuleRef `json:"sod_rule,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*AddSoDRule) Verb() string { return "add_sod_rule" }

// ApplyTo implements change.Operation.
func (o AddSoDRule) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write SoD rules") {
		return
	}
	before := len(d.Faults)
	if m := d.CheckKey(o.Key); m != "" {
		d.Fault("key", "%s", m)
	} else if _, taken := record.FindSoDRule(&d.Snapshot, o.Key); taken {
		d.Fault("key", "“%s” is taken: keys are never reused", o.Key)
	}
	d.CheckTexts(&o.Label, o.Key, o.Description)
	roles := settle.Each("roles", &o.Roles, d.SettleRole)
	checkSoDRule(d, roles)
	if len(d.Faults) > before {
		d.Fails(fact.FactSoDRule, o.Key)
		return
	}
	f := &fact.SoDRule{ID: fact.SoDRuleID(d.Allocate(fact.FactSoDRule)), Key: o.Key, Label: o.Label, Description: o.Description, Roles: roles, Prevent: o.Prevent}
	o.SoDRule = change.SoDRuleRef(f.ID.String())
	d.Put(f)
	return settled
}

// checkSoDRule files the faults of the roles an SoD rule names: one that
// includes another is always held with it.
func checkSoDRule(d *change.Draft, roles []fact.RoleID) {
	if len(roles) < 2 {
		d.Fault("roles", "names fewer than two roles: there is nothing to combine")
	}
	for _, r := range roles {
		for _, in := range d.RoleTable.At(int(r)).Closure {
			if in != r && slices.Contains(roles, in) {
				d.Fault("roles", "names %s, which includes %s: whoever holds the one holds the other", d.RoleKey(r), d.RoleKey(in))
			}
		}
	}
}

// Sentence implements change.Operation.
func (o *AddSoDRule) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Added the SoD rule " + o.Label + ": " + sodRuleWords(s, o.SoDRule)
}

func sodRuleWords(s *access.Snapshot, ref change.SoDRuleRef) string {
	id, _ := record.FindSoDRule(s, string(ref))
	if f := record.SoDRule(s, id); f != nil {
		return SoDRuleWords(f, s)
	}
	return string(ref)
}

// SoDRuleWords says what nobody may combine, in plain words.
func SoDRuleWords(f *fact.SoDRule, s *access.Snapshot) string {
	var names []string
	for _, r := range f.Roles {
		names = append(names, change.RoleLabel(s, r))
	}
	last := len(names) - 1
	return "nobody holds " + strings.Join(names[:last], ", ") + " and " + names[last] + " at the same time"
}

// UpdateSoDRule alters an SoD rule; what is not given stays.
type UpdateSoDRule struct {
	SoDRule     change.SoDRuleRef `json:"sod_rule" doc:"key or id"`
	Label       *string           `json:"label,omitempty" doc:"what people call it"`
	Description *string           `json:"description,omitempty" doc:"what it is for, in plain words"`
	Roles       []change.RoleRef  `json:"roles,omitzero" flag:"role" doc:"all its roles from now on"`
	Prevent     *bool             `json:"prevent,omitempty" doc:"refuse what would bring it about; else warn"`
}

// Verb implements change.Operation.
func (*UpdateSoDRule) Verb() string { return "update_sod_rule" }

// ApplyTo implements change.Operation.
func (o UpdateSoDRule) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write SoD rules") {
		return
	}
	old := sodRule(d, &o.SoDRule)
	if old == nil {
		return
	}
	settle.Alter(d, old, func(f *fact.SoDRule) {
		fact.SetIf(&f.Label, o.Label)
		fact.SetIf(&f.Description, o.Description)
		fact.SetIf(&f.Prevent, o.Prevent)
		if o.Roles != nil {
			f.Roles = settle.Each("roles", &o.Roles, d.SettleRole)
		}
		d.CheckTexts(&f.Label, f.Key, f.Description)
		checkSoDRule(d, f.Roles)
	})
	return settled
}

// sodRule settles an SoD rule that has not ended.
func sodRule(d *change.Draft, ref *change.SoDRuleRef) *fact.SoDRule {
	f, _ := change.SettleKeyed[*fact.SoDRule](d, fact.FactSoDRule, "sod_rule", ref, access.Same, "%s has ended; write another")
	return f
}

// Sentence implements change.Operation.
func (o *UpdateSoDRule) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Changed the SoD rule: " + sodRuleWords(s, o.SoDRule)
}

// EndSoDRule ends an SoD rule: its roles may be combined again.
type EndSoDRule struct {
	SoDRule change.SoDRuleRef `json:"sod_rule" doc:"key or id"`
}

// Verb implements change.Operation.
func (*EndSoDRule) Verb() string { return "end_sod_rule" }

// ApplyTo implements change.Operation.
func (o EndSoDRule) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write SoD rules") {
		return
	}
	if old := sodRule(d, &o.SoDRule); old != nil {
		settle.Alter(d, old, func(f *fact.SoDRule) { f.Ended = true })
	}
	return settled
}

// Sentence implements change.Operation.
func (o *EndSoDRule) Sentence(s *access.Snapshot, _ change.Names) string {
	id, _ := record.FindSoDRule(s, string(o.SoDRule))
	return "Ended the SoD rule " + record.SoDRule(s, id).Label
}
