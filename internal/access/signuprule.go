package access

import (
	"slices"

	"ableroster/internal/fact"
)

// SignUpRules are all of them, ended ones too.
func (s *Snapshot) SignUpRules() []*fact.SignUpRule {
	return RecordFactsOf[*fact.SignUpRule](s, fact.FactSignUpRule)
}

// SignUpRuleFor is the rule by which whoever has an address may sign up, or nil.
func (s *Snapshot) SignUpRuleFor(address string) *fact.SignUpRule {
	domain := fact.DomainOf(address)
	if domain == "" {
		return nil
	}
	f, ok := FindKeyed[*fact.SignUpRule](s, fact.FactSignUpRule, domain, Same)
	if !ok || f.Ended {
		return nil
	}
	return f
}

// SponsoredBySignUp are the sign-up rules whose users report to somebody.
func (s *Snapshot) SponsoredBySignUp(id fact.UserID) []*fact.SignUpRule {
	return slices.DeleteFunc(s.SignUpRules(), func(f *fact.SignUpRule) bool { return f.Ended || f.Sponsor != id })
}
