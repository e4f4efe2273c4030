package wire

import "time"

// Connection is an account that speaks an open standard with the service.
type Connection struct {
	Account  Ref                `json:"account"`
	Standard string             `json:"standard" enum:"SCIM,AuthZEN" doc:"SCIM: it keeps users and groups; AuthZEN: it asks for decisions"`
	FirstAt  time.Time          `json:"first_at"`
	LastAt   time.Time          `json:"last_at" doc:"of its last call, to the minute"`
	LastCall string             `json:"last_call,omitempty" doc:"told, as refused is, to whoever may read the ledger"`
	Refused  *ConnectionRefusal `json:"refused,omitempty" doc:"the last call that was refused"`
}

// ConnectionRefusal is a call of a connection that was refused.
type ConnectionRefusal struct {
	At   time.Time `json:"at"`
	Call string    `json:"call"`
	Why  string    `json:"why"`
}

// ConnectionList is the connections of accounts the caller may read.
type ConnectionList struct {
	Connections []Connection `json:"connections"`
}
