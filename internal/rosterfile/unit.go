package rosterfile

import (
	"maps"
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
)

// Unit is a part of the organisation.
type Unit struct {
	Label *string `json:"label,omitempty" doc:"the last part of its path by default"`
	Head  *string `json:"head,omitempty" doc:"user name of who leads it; blank: whoever leads the unit above"`

	Custom map[string]string `json:"custom,omitempty" doc:"values of declared attributes of units, by key; those not named stay"`
}

func (p *planner) unit(place, path string, x Unit) {
	now := p.s.UnitAt(path)
	if now == nil {
		p.op(place, &people.AddUnit{Path: path, Label: or(x.Label), Head: change.UserRef(or(x.Head)), Custom: x.Custom})
		return
	}
	o := &people.UpdateUnit{Unit: change.UnitRef(now.ID.String()), Label: differ(x.Label, now.Label), Head: p.owner(x.Head, now.Head)}
	for _, key := range slices.Sorted(maps.Keys(x.Custom)) {
		if now.Custom.Get(key) != x.Custom[key] {
			o.Custom = change.WithEntry(o.Custom, key, x.Custom[key])
		}
	}
	if o.Label != nil || o.Head != nil || o.Custom != nil {
		p.op(place, o)
	}
}

func (x exporter) unit(f *fact.Unit) Unit {
	out := Unit{Label: &f.Label, Head: x.user(f.Head)}
	for key, value := range f.Custom.All() {
		if a := x.s.DeclaredAttribute(key); a != nil && !a.Retired {
			out.Custom = change.WithEntry(out.Custom, key, value)
		}
	}
	return out
}
