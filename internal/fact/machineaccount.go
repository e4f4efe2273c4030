package fact

import (
	"slices"

	"ableroster/internal/filter"
)

// FactMachineAccount is the kind of what is said of machine accounts.
var FactMachineAccount = RecordKind("machine_account")

// Accountable is how many people are accountable for a machine account: one may be away, or leave.
const Accountable = 2

// MachineAccount is what is said of a machine account: what it is for, and who is accountable for it.
type MachineAccount struct {
	Lifetime
	User        UserID        `json:"-"`
	Purpose     string        `json:"purpose"`
	Accountable []UserID      `json:"accountable"`
	Application ApplicationID `json:"application,omitempty"`    // that it works for, or 0
	SecretAt    string        `json:"secret_at,omitempty"`      // where its secret lies; never the secret
	ActsFor     bool          `json:"acts_for_users,omitempty"` // it may act for whoever is signed in to its application

	// Attributes of users that come from it, so that nobody else changes them, and those that may be
	// changed here all the same, by their keys; of the users whom the filter chooses, blank for every person.
	Attributes  []string `json:"attributes,omitempty"`
	Overridable []string `json:"overridable,omitempty"`
	Filter      string   `json:"filter,omitempty"`

	expression filter.Expression // the filter compiled
}

// Compile makes its filter ready to choose: a snapshot does that with each it takes in.
func (f *MachineAccount) Compile() { f.expression = CompileRule(f.Filter) }

// IsSourceOf says whether attributes of a user come from it.
func (f *MachineAccount) IsSourceOf(u *User) bool {
	switch {
	case len(f.Attributes)+len(f.Overridable) == 0:
		return false
	case f.Filter == "":
		return u.UserKind == Person
	}
	return f.expression != nil && filter.Match(f.expression, RuleSchema, u)
}

// Kind and Row identify it.
func (*MachineAccount) Kind() FactKind { return FactMachineAccount }
func (f *MachineAccount) Row() uint32  { return uint32(f.User) }

// Name and Over implement access.Keyed.
func (f *MachineAccount) Name() string { return f.User.String() }
func (f *MachineAccount) Over() bool   { return false }

// Succeeded is the same with somebody else in the place of one who is accountable for it; 0 is nobody.
func (f *MachineAccount) Succeeded(from, to UserID) *MachineAccount {
	b := *f
	b.Accountable = slices.DeleteFunc(slices.Clone(f.Accountable), func(id UserID) bool { return id == from })
	if to != 0 && !slices.Contains(b.Accountable, to) {
		b.Accountable = append(b.Accountable, to)
	}
	return &b
}
