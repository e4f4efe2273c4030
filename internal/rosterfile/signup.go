package rosterfile

import (
	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/rules"
)

// SignUpRule is what becomes of whoever has an address in a mail domain, and signs up by themselves.
type SignUpRule struct {
	Unit       string `json:"unit,omitempty" doc:"the unit they belong to"`
	Employment string `json:"employment_type,omitempty"`
	Company    string `json:"company,omitempty" doc:"the company they work for"`
	Sponsor    string `json:"sponsor,omitempty" doc:"user name of whom they report to"`
	Days       int    `json:"days,omitempty" doc:"how many days after they signed up is their last day"`
}

func (p *planner) signUpRule(place, domain string, x SignUpRule) {
	if same, ok := fact.MailDomain(domain); ok {
		domain = same
	}
	now, there := access.FindKeyed[*fact.SignUpRule](p.s, fact.FactSignUpRule, domain, access.Same)
	if there && !now.Ended && (exporter{s: p.s, reads: func(fact.FactKind, uint32) bool { return true }}).signUpRule(now) == x {
		return
	}
	p.op(place, &rules.SetSignUpRule{Domain: domain, Unit: x.Unit, Employment: x.Employment, Company: x.Company, Sponsor: change.UserRef(x.Sponsor), Days: x.Days})
}

func (x exporter) signUpRule(f *fact.SignUpRule) SignUpRule {
	out := SignUpRule{Unit: f.Unit, Employment: f.Employment, Company: f.Company, Days: f.Days}
	if sponsor := x.user(f.Sponsor); sponsor != nil {
		out.Sponsor = *sponsor
	}
	return out
}
