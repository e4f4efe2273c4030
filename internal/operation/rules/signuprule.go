package rules

import (
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/record"
)

func init() {
	change.Register(&SetSignUpRule{}, "Let whoever has an address in a mail domain sign up, or edit the rule for the domain: all that is said of it")
	change.Register(&EndSignUpRule{}, "Let nobody with an address in a mail domain sign up any more; who did so stays")
}

// SetSignUpRule lets whoever has an address in a mail domain sign up: all of the rule, from now on.
type SetSignUpRule struct {
	Domain     string         `json:"domain" doc:"the mail domain: what comes after the @ of an address"`
	Unit       string         `json:"unit,omitempty" doc:"the unit of whoever signs up, such as marine/pilotage"`
	Employment string         `json:"employment_type,omitempty" doc:"their employment type"`
	Company    string         `json:"company,omitempty" doc:"the company they work for"`
	Sponsor    change.UserRef `json:"sponsor,omitempty" doc:"whom they report to: user name or id"`
	Days       int            `json:"days,omitempty" doc:"how many days after they signed up is their last day; 0: they have none"`

	Rule change.SignUpRuleRef `json:"sign_up_rule,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*SetSignUpRule) Verb() string { return "set_sign_up_rule" }

// ApplyTo implements change.Operation.
func (o SetSignUpRule) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "say who may sign up") {
		return
	}
	before := len(d.Faults)
	if domain, ok := fact.MailDomain(o.Domain); ok {
		o.Domain = domain
	} else {
		d.Fault("domain", "“%s” is not a mail domain such as pilots.example", o.Domain)
	}
	if o.Days < 0 || o.Days > settle.MostDays {
		d.Fault("days", "is a number of days from 0 to %d", settle.MostDays)
	}
	f := &fact.SignUpRule{Domain: o.Domain, By: d.Author,
		Newcomer: fact.Newcomer{Unit: o.Unit, Employment: strings.TrimSpace(o.Employment), Company: strings.TrimSpace(o.Company), Days: o.Days}}
	if o.Sponsor != "" {
		f.Sponsor, _ = d.SettleUser("sponsor", &o.Sponsor)
	}
	if len(d.Faults) == before {
		d.CheckSignUp(f)
	}
	if len(d.Faults) == before { // they are added by its author
		d.Need(access.ActCreate, d.NewUserPath(f.Unit), "add users%s", change.InUnit(f.Unit))
	}
	old, there := access.FindKeyed[*fact.SignUpRule](&d.Snapshot, fact.FactSignUpRule, o.Domain, access.Same)
	if !there && len(record.SignUpRules(&d.Snapshot)) >= fact.MostSignUpRules {
		d.Judged("", "there have been %d sign-up rules, and there is no room for more", fact.MostSignUpRules)
	}
	if len(d.Faults) > before {
		d.Fails(fact.FactSignUpRule, o.Domain)
		return
	}
	if there {
		d.Reads(fact.FactSignUpRule, old.Row())
		f.ID = old.ID
		o.Rule = change.SignUpRuleRef(f.ID.String())
		if f.Lifetime = old.Lifetime; *f == *old {
			d.Note(change.AlreadySo, old.Since())
			return
		}
		f.Lifetime = fact.Lifetime{}
	} else {
		f.ID = fact.SignUpRuleID(d.Allocate(fact.FactSignUpRule))
		o.Rule = change.SignUpRuleRef(f.ID.String())
	}
	d.Put(f)
	return settled
}

// Sentence implements change.Operation.
func (o *SetSignUpRule) Sentence(*access.Snapshot, change.Names) string {
	text := "Whoever has an address in " + o.Domain + " may sign up"
	if o.Unit != "" {
		text += ", as a user in " + o.Unit
	}
	if o.Days > 0 {
		text += ", for " + fact.Count(o.Days, "day")
	}
	return text
}

// EndSignUpRule ends a sign-up rule.
type EndSignUpRule struct {
	Rule change.SignUpRuleRef `json:"sign_up_rule" doc:"its mail domain or id"`
}

// Verb implements change.Operation.
func (*EndSignUpRule) Verb() string { return "end_sign_up_rule" }

// ApplyTo implements change.Operation.
func (o EndSignUpRule) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "say who may sign up") {
		return
	}
	if domain, ok := fact.MailDomain(string(o.Rule)); ok {
		o.Rule = change.SignUpRuleRef(domain)
	}
	old, ok := change.SettleKeyed[*fact.SignUpRule](d, fact.FactSignUpRule, "sign_up_rule", &o.Rule, access.Same, "the sign-up rule for %s has ended")
	if !ok {
		return
	}
	settle.Alter(d, old, func(f *fact.SignUpRule) { f.Ended = true })
	return settled
}

// Sentence implements change.Operation.
func (o *EndSignUpRule) Sentence(s *access.Snapshot, _ change.Names) string {
	n, _ := fact.ParseID("sign_up_rule", string(o.Rule))
	domain := "a mail domain"
	if f, _ := s.RecordFact(fact.FactSignUpRule, n).(*fact.SignUpRule); f != nil {
		domain = f.Domain
	}
	return "Nobody with an address in " + domain + " may sign up any more"
}
