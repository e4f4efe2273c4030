// Package revisions has what a revision is as the ledger keeps it: its canonical bytes, and the
// digests in them (canonical.go; format1.go reads those of the first format), reading it with
// its operations, reason and personal values (revisions.go, listed.go, mending.go), replaying
// it, and holding its bytes and what stands beside them to its hash (check.go, derived.go).
package revisions
