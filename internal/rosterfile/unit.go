package rosterfile

import (
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
)

// Unit is a part of the organisation.
type Unit struct {
	Label *string `json:"label,omitempty" doc:"the last part of its path by default"`
	Head  *string `json:"head,omitempty" doc:"user name of who leads it; blank: whoever leads the unit above"`
}

func (p *planner) unit(place, path string, x Unit) {
	now := p.s.UnitAt(path)
	if now == nil {
		p.op(place, &people.AddUnit{Path: path, Label: or(x.Label), Head: change.UserRef(or(x.Head))})
		return
	}
	o := &people.UpdateUnit{Unit: change.UnitRef(now.ID.String()), Label: differ(x.Label, now.Label), Head: p.owner(x.Head, now.Head)}
	if o.Label != nil || o.Head != nil {
		p.op(place, o)
	}
}

func (x exporter) unit(f *fact.Unit) Unit { return Unit{Label: &f.Label, Head: x.user(f.Head)} }
