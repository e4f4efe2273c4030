package record

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// Default is the rule under a number, or nil.
func Default(s *access.Snapshot, id fact.DefaultID) *fact.Default {
	f, _ := s.RecordFact(fact.FactDefault, uint32(id)).(*fact.Default)
	return f
}

// Defaults are all rules, ended ones too.
func Defaults(s *access.Snapshot) []*fact.Default {
	return access.RecordFactsOf[*fact.Default](s, fact.FactDefault)
}

// FindDefault finds a rule by key or id.
func FindDefault(s *access.Snapshot, ref string) (fact.DefaultID, bool) {
	if f, ok := access.FindKeyed[*fact.Default](s, fact.FactDefault, ref, access.Same); ok {
		return f.ID, true
	}
	return 0, false
}

// SoD rule is the rule under a number, or nil.
func SoDRule(s *access.Snapshot, id fact.SoDRuleID) *fact.SoDRule {
	f, _ := s.RecordFact(fact.FactSoDRule, uint32(id)).(*fact.SoDRule)
	return f
}

// SoD rules are all rules, ended ones too.
func SoDRules(s *access.Snapshot) []*fact.SoDRule {
	return access.RecordFactsOf[*fact.SoDRule](s, fact.FactSoDRule)
}

// FindSoDRule finds a rule by key or id.
func FindSoDRule(s *access.Snapshot, ref string) (fact.SoDRuleID, bool) {
	if f, ok := access.FindKeyed[*fact.SoDRule](s, fact.FactSoDRule, ref, access.Same); ok {
		return f.ID, true
	}
	return 0, false
}

// Expectation is the one under a number, or nil.
func Expectation(s *access.Snapshot, id fact.ExpectationID) *fact.Expectation {
	f, _ := s.RecordFact(fact.FactExpectation, uint32(id)).(*fact.Expectation)
	return f
}

// Expectations are all of them, ended ones too.
func Expectations(s *access.Snapshot) []*fact.Expectation {
	return access.RecordFactsOf[*fact.Expectation](s, fact.FactExpectation)
}

// FindExpectation finds one by key or id.
func FindExpectation(s *access.Snapshot, ref string) (fact.ExpectationID, bool) {
	if f, ok := access.FindKeyed[*fact.Expectation](s, fact.FactExpectation, ref, access.Same); ok {
		return f.ID, true
	}
	return 0, false
}
