package access

import (
	"slices"

	"ableroster/internal/fact"
)

// SharedAccount is how people use a machine account in turn, or nil.
func (s *Snapshot) SharedAccount(id fact.UserID) *fact.SharedAccount {
	f, _ := s.RecordFact(fact.FactSharedAccount, uint32(id)).(*fact.SharedAccount)
	return f
}

// SharedAccounts are all that are shared, in order of user.
func (s *Snapshot) SharedAccounts() []*fact.SharedAccount {
	return slices.DeleteFunc(RecordFactsOf[*fact.SharedAccount](s, fact.FactSharedAccount), func(f *fact.SharedAccount) bool { return f.Ended })
}

// CheckOut is the last use of a shared account, or nil.
func (s *Snapshot) CheckOut(id fact.UserID) *fact.CheckOut {
	f, _ := s.RecordFact(fact.FactCheckOut, uint32(id)).(*fact.CheckOut)
	return f
}

// KeptBy are the shared accounts of which somebody is the custodian.
func (s *Snapshot) KeptBy(id fact.UserID) []*fact.SharedAccount {
	return slices.DeleteFunc(s.SharedAccounts(), func(f *fact.SharedAccount) bool { return f.Custodian != id })
}
