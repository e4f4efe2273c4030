package access

import "ableroster/internal/fact"

// SoD rule is the rule under a number, or nil.
func (s *Snapshot) SoDRule(id fact.SoDRuleID) *fact.SoDRule {
	f, _ := s.RecordFact(fact.FactSoDRule, uint32(id)).(*fact.SoDRule)
	return f
}

// SoD rules are all rules, ended ones too.
func (s *Snapshot) SoDRules() []*fact.SoDRule {
	return RecordFactsOf[*fact.SoDRule](s, fact.FactSoDRule)
}

// FindSoDRule finds a rule by key or id.
func (s *Snapshot) FindSoDRule(ref string) (fact.SoDRuleID, bool) {
	if f, ok := FindKeyed[*fact.SoDRule](s, fact.FactSoDRule, ref, Same); ok {
		return f.ID, true
	}
	return 0, false
}
