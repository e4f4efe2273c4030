package access

import (
	"slices"
	"strings"
)

func init() { Register(&AddConflict{}); Register(&UpdateConflict{}); Register(&EndConflict{}) }

// AddConflict writes a conflict: roles nobody may combine.
type AddConflict struct {
	Key         string    `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string    `json:"label,omitempty"`
	Description string    `json:"description,omitempty" doc:"why nobody may combine them"`
	Roles       []RoleRef `json:"roles" doc:"two or more roles"`
	Prevent     bool      `json:"prevent,omitempty" doc:"refuse what would bring it about; else warn"`

	Conflict ConflictRef `json:"conflict,omitempty" doc:"set by the service"`
}

// Verb implements Operation.
func (*AddConflict) Verb() string { return "add_conflict" }

func (o *AddConflict) Settled() string { return named(o.Conflict, "conflict") }

// ApplyTo implements Operation.
func (o *AddConflict) ApplyTo(d *Draft) {
	if !d.need(ActUpdate, "settings", "write conflicts") {
		return
	}
	before := len(d.Faults)
	if m := checkKey(o.Key); m != "" {
		d.fault("key", "%s", m)
	} else if _, taken := d.FindConflict(o.Key); taken {
		d.fault("key", "“%s” is taken: keys are never reused", o.Key)
	}
	d.checkTexts(&o.Label, o.Key, o.Description)
	roles, _ := d.gifts(o.Roles, nil)
	d.checkConflict(roles)
	if len(d.Faults) > before {
		d.fail(FactConflict, o.Key)
		return
	}
	f := &Conflict{ID: ConflictID(d.allocate(FactConflict)), Key: o.Key, Label: o.Label, Description: o.Description, Roles: roles, Prevent: o.Prevent}
	o.Conflict = ConflictRef(f.ID.String())
	d.Keep(f)
}

// checkConflict files the faults of the roles a conflict names: one that
// includes another is always held with it.
func (d *Draft) checkConflict(roles []RoleID) {
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
func (o *AddConflict) Sentence(s *Snapshot, _ Names) string {
	return "Wrote the conflict " + o.Label + ": " + conflictWords(s, o.Conflict)
}

func conflictWords(s *Snapshot, ref ConflictRef) string {
	id, _ := s.FindConflict(string(ref))
	if f := s.Conflict(id); f != nil {
		return f.Words(s)
	}
	return string(ref)
}

// Words says what nobody may combine, in plain words.
func (f *Conflict) Words(s *Snapshot) string {
	var names []string
	for _, r := range f.Roles {
		names = append(names, roleLabel(s, r))
	}
	last := len(names) - 1
	return "nobody holds " + strings.Join(names[:last], ", ") + " and " + names[last] + " at the same time"
}

// UpdateConflict alters a conflict; what is not given stays.
type UpdateConflict struct {
	Conflict    ConflictRef `json:"conflict" doc:"key or id"`
	Label       *string     `json:"label,omitempty"`
	Description *string     `json:"description,omitempty"`
	Roles       []RoleRef   `json:"roles,omitzero" doc:"all its roles from now on"`
	Prevent     *bool       `json:"prevent,omitempty"`
}

// Verb implements Operation.
func (*UpdateConflict) Verb() string { return "update_conflict" }

// ApplyTo implements Operation.
func (o *UpdateConflict) ApplyTo(d *Draft) {
	if !d.need(ActUpdate, "settings", "write conflicts") {
		return
	}
	old := d.conflict(&o.Conflict)
	if old == nil {
		return
	}
	before := len(d.Faults)
	f := *old
	set(&f.Label, o.Label)
	set(&f.Description, o.Description)
	set(&f.Prevent, o.Prevent)
	if o.Roles != nil {
		f.Roles, _ = d.gifts(o.Roles, nil)
	}
	d.checkTexts(&f.Label, f.Key, f.Description)
	d.checkConflict(f.Roles)
	if len(d.Faults) > before {
		return
	}
	if f.Label == old.Label && f.Description == old.Description && f.Prevent == old.Prevent && slices.Equal(f.Roles, old.Roles) {
		d.note(AlreadySo, old.Opened)
		return
	}
	d.Keep(&f)
}

// conflict settles a conflict that has not ended.
func (d *Draft) conflict(ref *ConflictRef) *Conflict {
	id, ok := d.FindConflict(string(*ref))
	if !ok || !d.visible(FactConflict, uint32(id)) {
		d.missing(FactConflict, "conflict", string(*ref))
		return nil
	}
	*ref = ConflictRef(id.String())
	d.read(FactConflict, uint32(id))
	f := d.Conflict(id)
	if f.Ended {
		d.fault("conflict", "%s has ended; write another", f.Key)
		return nil
	}
	return f
}

// Sentence implements Operation.
func (o *UpdateConflict) Sentence(s *Snapshot, _ Names) string {
	return "Changed the conflict: " + conflictWords(s, o.Conflict)
}

// EndConflict ends a conflict: its roles may be combined again.
type EndConflict struct {
	Conflict ConflictRef `json:"conflict" doc:"key or id"`
}

// Verb implements Operation.
func (*EndConflict) Verb() string { return "end_conflict" }

// ApplyTo implements Operation.
func (o *EndConflict) ApplyTo(d *Draft) {
	if !d.need(ActUpdate, "settings", "write conflicts") {
		return
	}
	old := d.conflict(&o.Conflict)
	if old == nil {
		return
	}
	f := *old
	f.Ended = true
	d.Keep(&f)
}

// Sentence implements Operation.
func (o *EndConflict) Sentence(s *Snapshot, _ Names) string {
	id, _ := s.FindConflict(string(o.Conflict))
	return "Ended the conflict " + s.Conflict(id).Label
}
