package access

import "ableroster/internal/fact"

// Expectation is the one under a number, or nil.
func (s *Snapshot) Expectation(id fact.ExpectationID) *fact.Expectation {
	f, _ := s.RecordFact(fact.FactExpectation, uint32(id)).(*fact.Expectation)
	return f
}

// Expectations are all of them, ended ones too.
func (s *Snapshot) Expectations() []*fact.Expectation {
	return RecordFactsOf[*fact.Expectation](s, fact.FactExpectation)
}

// FindExpectation finds one by key or id.
func (s *Snapshot) FindExpectation(ref string) (fact.ExpectationID, bool) {
	if f, ok := FindKeyed[*fact.Expectation](s, fact.FactExpectation, ref, Same); ok {
		return f.ID, true
	}
	return 0, false
}
