// Package ledger keeps every change that was ever committed, in PostgreSQL.
//
// It is the only history and the only writer of access facts. A commit goes
// through one queue: whatever waits is judged, in order, each against the
// snapshot the one before it makes, and written in one transaction; the new
// head is published when PostgreSQL has answered. Each revision carries its
// canonical bytes (RFC 8785) and a hash over them and its predecessor's hash.
// Large changes are made beside that queue: see large.go.
//
// Reading: Head is the present, At a whole past revision, Slice what concerns
// one user at a past revision, History the revisions themselves (package past).
// Verify replays the operations against the rows (package verify); Rebuild makes
// the rows again from the operations alone. How facts and revisions lie in the
// tables is in packages factrows and revisions, how the database is reached in
// package database, and which tables there are in package migrations. Operations
// of a change that is large take their way into it by package stream.
package ledger
