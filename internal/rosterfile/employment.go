package rosterfile

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
)

// Employment is a kind of people by how they work here.
type Employment struct {
	Label    *string `json:"label,omitempty"`
	External bool    `json:"external,omitempty" doc:"they work for another company: company, sponsor (manager) and last day are required"`
	MaxDays  int     `json:"max_days,omitempty" doc:"how many days ahead the last day may lie at most"`
	Closed   bool    `json:"closed,omitempty" doc:"they have access only while somebody has opened it"`
	MaxHours int     `json:"max_hours,omitempty" doc:"for how many hours it is opened at most"`
}

func (p *planner) employment(place, key string, x Employment) {
	now, there := access.FindKeyed[*fact.EmploymentType](p.s, fact.FactEmploymentType, key, func(a, b string) bool { return fact.Fold(a) == fact.Fold(b) })
	if there && !now.Ended {
		if old := employment(now); differ(x.Label, now.Label) == nil && old.External == x.External && old.MaxDays == x.MaxDays && old.Closed == x.Closed && (old.MaxHours == x.MaxHours || x.MaxHours == 0) {
			return
		}
	}
	o := &people.SetEmploymentType{Key: key, Label: or(x.Label), External: x.External, MaxDays: x.MaxDays, Closed: x.Closed, MaxHours: x.MaxHours}
	if x.Label == nil && there {
		o.Label = now.Label
	}
	p.op(place, o)
}

func employment(f *fact.EmploymentType) Employment {
	return Employment{Label: &f.Label, External: f.External, MaxDays: f.MaxDays, Closed: f.Closed, MaxHours: f.MaxHours}
}
