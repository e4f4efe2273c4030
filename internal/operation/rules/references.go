package rules

import (
	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() {
	change.Register(&SetReferences{}, "Set what references to tickets and orders look like, and where one is looked up")
}

// SetReferences says what references look like.
type SetReferences struct {
	fact.References
}

// Verb implements change.Operation.
func (*SetReferences) Verb() string { return "set_references" }

// ApplyTo implements change.Operation.
func (o SetReferences) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "say what references look like") {
		return
	}
	if field, wrong := o.References.Check(); wrong != "" && !d.Judged(field, "%s", wrong) {
		return
	}
	f := d.Organisation()
	if f.References == o.References {
		d.Note(change.AlreadySo, 0)
		return
	}
	f.References = o.References
	d.Put(&f)
	return settled
}

// Sentence implements change.Operation.
func (o *SetReferences) Sentence(*access.Snapshot, change.Names) string {
	switch {
	case o.Pattern == "" && o.Address == "":
		return "References may be any text, and are not linked"
	case o.Pattern == "":
		return "References may be any text, and are looked up at " + o.Address
	case o.Address == "":
		return "References must fit " + o.Pattern
	}
	return "References must fit " + o.Pattern + ", and are looked up at " + o.Address
}
