package wire

import "time"

// SharedAccount is a machine account that people use in turn.
type SharedAccount struct {
	User      Ref        `json:"user"`
	Purpose   string     `json:"purpose,omitempty" doc:"what it is for"`
	SecretAt  string     `json:"secret_at,omitempty" doc:"where its secret lies; never the secret"`
	Custodian *Ref       `json:"custodian,omitempty" doc:"who gives its secret out; none: nobody does now"`
	Group     Ref        `json:"group" doc:"whose members may check it out"`
	MaxHours  int        `json:"max_hours" doc:"for how many hours at most"`
	Emergency bool       `json:"emergency,omitempty" doc:"it is for emergencies alone"`
	Tested    string     `json:"tested,omitempty" format:"date" doc:"when somebody last made sure that it works"`
	State     string     `json:"state" enum:"free,out,overdue,secret_used" doc:"secret_used: it was returned, and its secret was not changed since"`
	HeldBy    *Ref       `json:"held_by,omitempty" doc:"who has it, or had it last"`
	From      *time.Time `json:"from,omitempty" doc:"since when"`
	Until     *time.Time `json:"until,omitempty" doc:"until when it is to be returned"`
	Returned  *time.Time `json:"returned,omitempty"`
	Given     *Given     `json:"given,omitempty" doc:"why it was last checked out, or returned, or its secret changed"`
	May       []string   `json:"may" enum:"check_out,return,confirm_rotation,record_test,edit" doc:"what the caller may do with it as it is"`
}

// SharedAccountList is the shared accounts, of those the caller may read, keeps, or may check out.
type SharedAccountList struct {
	Basis
	Accounts []SharedAccount `json:"accounts"`
}
