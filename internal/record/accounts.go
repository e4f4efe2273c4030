package record

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// MachineAccount is what is said of a machine account, or nil.
func MachineAccount(s *access.Snapshot, id fact.UserID) *fact.MachineAccount {
	f, _ := s.RecordFact(fact.FactMachineAccount, uint32(id)).(*fact.MachineAccount)
	return f
}

// AccountableFor are the machine accounts that somebody is accountable for.
func AccountableFor(s *access.Snapshot, id fact.UserID) []*fact.MachineAccount {
	return slices.DeleteFunc(access.RecordFactsOf[*fact.MachineAccount](s, fact.FactMachineAccount), func(f *fact.MachineAccount) bool {
		return !slices.Contains(f.Accountable, id)
	})
}

// SharedAccount is how people use a machine account in turn, or nil.
func SharedAccount(s *access.Snapshot, id fact.UserID) *fact.SharedAccount {
	f, _ := s.RecordFact(fact.FactSharedAccount, uint32(id)).(*fact.SharedAccount)
	return f
}

// SharedAccounts are all that are shared, in order of user.
func SharedAccounts(s *access.Snapshot) []*fact.SharedAccount {
	return slices.DeleteFunc(access.RecordFactsOf[*fact.SharedAccount](s, fact.FactSharedAccount), func(f *fact.SharedAccount) bool { return f.Ended })
}

// CheckOut is the last use of a shared account, or nil.
func CheckOut(s *access.Snapshot, id fact.UserID) *fact.CheckOut {
	f, _ := s.RecordFact(fact.FactCheckOut, uint32(id)).(*fact.CheckOut)
	return f
}

// KeptBy are the shared accounts of which somebody is the custodian.
func KeptBy(s *access.Snapshot, id fact.UserID) []*fact.SharedAccount {
	return slices.DeleteFunc(SharedAccounts(s), func(f *fact.SharedAccount) bool { return f.Custodian != id })
}
