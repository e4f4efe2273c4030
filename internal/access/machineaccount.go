package access

import (
	"slices"

	"ableroster/internal/fact"
)

// MachineAccount is what is said of a machine account, or nil.
func (s *Snapshot) MachineAccount(id fact.UserID) *fact.MachineAccount {
	f, _ := s.RecordFact(fact.FactMachineAccount, uint32(id)).(*fact.MachineAccount)
	return f
}

// AccountableFor are the machine accounts that somebody is accountable for.
func (s *Snapshot) AccountableFor(id fact.UserID) []*fact.MachineAccount {
	return slices.DeleteFunc(RecordFactsOf[*fact.MachineAccount](s, fact.FactMachineAccount), func(f *fact.MachineAccount) bool {
		return !slices.Contains(f.Accountable, id)
	})
}
