// Package signin proves who a caller is: passwords (argon2id), sessions, API
// tokens and the one-time set-up link. It keeps digests alone, outside the
// ledger, and follows those of sessions and tokens in memory, so that reads go
// on while the database is away. What a caller may do it leaves to the desk.
package signin
