// Package request is asking for access and getting it from the people who answer
// for it: roles that are offered, routes of approval, and requests as a state
// machine. It is pure: the instant is a parameter, the facts are a snapshot's,
// and what it decides it writes into a draft.
package request
