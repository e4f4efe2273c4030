package rosterfile

import (
	"reflect"
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
)

// Attribute is an attribute of users, or of units, that the organisation declares itself. Its
// type, its case rule, whose it is and whether it is personal never change.
type Attribute struct {
	Label       *string    `json:"label,omitempty"`
	Description *string    `json:"description,omitempty"`
	Type        string     `json:"type,omitempty" enum:"text,number,date,truth" doc:"text by default"`
	CaseExact   bool       `json:"case_exact,omitempty" doc:"texts are compared with case"`
	Personal    bool       `json:"personal,omitempty" doc:"can be erased, and may give no access; else a fact, kept for ever"`
	Required    *bool      `json:"required,omitempty" doc:"of every person, or unit, that is added from now on"`
	Identifies  *bool      `json:"identifies,omitempty" doc:"no two people share a value, such as a personnel number"`
	Pattern     *string    `json:"pattern,omitempty" doc:"regular expression that a whole text must match"`
	Allowed     []string   `json:"allowed,omitempty" doc:"the texts there may be, and no others"`
	Fill        *fact.Fill `json:"fill,omitempty" doc:"fills itself in from the unit or from a date, and nobody else does"`
	OfUnits     bool       `json:"of_units,omitempty" doc:"of units, and of no user"`
}

func (p *planner) attribute(place, key string, x Attribute) {
	now := p.s.DeclaredAttribute(key)
	kind := fact.ValueType(x.Type)
	if kind == "" {
		kind = fact.TextValue
	}
	switch {
	case now == nil:
		p.op(place, &people.DeclareAttribute{Key: key, Label: or(x.Label), Description: or(x.Description), Type: kind, CaseExact: x.CaseExact, Personal: x.Personal,
			Required: or(x.Required), Identifies: or(x.Identifies), Pattern: or(x.Pattern), Allowed: x.Allowed, Fill: x.Fill, OfUnits: x.OfUnits})
		return
	case now.Retired:
		p.fault(place, "was retired, and is not taken up again: declare it under another key")
		return
	case now.Type != kind || now.CaseExact != x.CaseExact || now.Personal != x.Personal || now.OfUnits != x.OfUnits:
		p.fault(place, "is there with another type, case rule or privacy, or of somebody else, which never change: declare it under another key")
		return
	}
	o := &people.UpdateAttribute{Attribute: change.AttributeRef(key), Label: differ(x.Label, now.Label), Description: differ(x.Description, now.Description),
		Required: differ(x.Required, now.Required), Identifies: differ(x.Identifies, now.Identifies), Pattern: differ(x.Pattern, now.Pattern)}
	if x.Allowed != nil && !slices.Equal(x.Allowed, now.Allowed) {
		o.Allowed = x.Allowed
	}
	if x.Fill != nil && !reflect.DeepEqual(x.Fill, now.Fill) {
		o.Fill = x.Fill
	}
	if o.Label != nil || o.Description != nil || o.Required != nil || o.Identifies != nil || o.Pattern != nil || o.Allowed != nil || o.Fill != nil {
		p.op(place, o)
	}
}

func attribute(f *fact.Attribute) Attribute {
	x := Attribute{Label: &f.Label, Description: said(f.Description), CaseExact: f.CaseExact, Personal: f.Personal, Pattern: said(f.Pattern), Allowed: f.Allowed, Fill: f.Fill, OfUnits: f.OfUnits}
	if f.Type != fact.TextValue {
		x.Type = string(f.Type)
	}
	if f.Identifies {
		x.Identifies = &f.Identifies
	}
	if f.Required {
		x.Required = &f.Required
	}
	return x
}
