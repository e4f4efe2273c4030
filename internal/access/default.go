package access

import "ableroster/internal/fact"

// Default is the rule under a number, or nil.
func (s *Snapshot) Default(id fact.DefaultID) *fact.Default {
	f, _ := s.RecordFact(fact.FactDefault, uint32(id)).(*fact.Default)
	return f
}

// Defaults are all rules, ended ones too.
func (s *Snapshot) Defaults() []*fact.Default {
	return RecordFactsOf[*fact.Default](s, fact.FactDefault)
}

// FindDefault finds a rule by key or id.
func (s *Snapshot) FindDefault(ref string) (fact.DefaultID, bool) {
	if f, ok := FindKeyed[*fact.Default](s, fact.FactDefault, ref, Same); ok {
		return f.ID, true
	}
	return 0, false
}
