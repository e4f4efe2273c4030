package wire

import "time"

// MachineAccount is a machine account: what it is for, who is accountable for it, and its tokens.
type MachineAccount struct {
	User         Ref        `json:"user"`
	Unit         string     `json:"unit,omitempty"`
	Status       string     `json:"status" enum:"invited,active,suspended,departed"`
	Purpose      string     `json:"purpose,omitempty" doc:"what it does; none: nobody has said so"`
	Accountable  []Ref      `json:"accountable" doc:"who is accountable for it"`
	Application  *Ref       `json:"application,omitempty" doc:"that it works for"`
	SecretAt     string     `json:"secret_at,omitempty" doc:"where its secret lies; never the secret"`
	ActsForUsers bool       `json:"acts_for_users,omitempty" doc:"it may act for whoever is signed in to its application"`
	Tokens       int        `json:"tokens" doc:"how many it has that are good"`
	TokenEnds    *time.Time `json:"token_ends,omitempty" doc:"when the last of them ends"`
	LastUsed     *time.Time `json:"last_used,omitempty" doc:"when it last did anything, to the day"`
	Attributes   []string   `json:"attributes,omitempty" doc:"attributes of users that come from it, by key: nobody else changes these"`
	Overridable  []string   `json:"overridable,omitempty" doc:"attributes that come from it and may be changed here all the same"`
	Filter       string     `json:"filter,omitempty" doc:"over the users it is for; blank for every person"`
	FilterWords  string     `json:"filter_words,omitempty" doc:"the filter in plain words"`
	Given        *Given     `json:"given,omitempty" doc:"who last said so, and why"`
}

// MachineAccountList is the machine accounts, of those the caller may read.
type MachineAccountList struct {
	Basis
	Accounts []MachineAccount `json:"accounts"`
}
