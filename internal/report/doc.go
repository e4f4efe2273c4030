// Package report writes access reports: what somebody has, who holds a role, or what a revision
// did, as one HTML file that prints well and can be kept. It says of which revision it is, with
// its hash, so that it can be held against the ledger at any time; and it has no other instant
// than the one that was judged, so that the same question gives the same bytes.
//
// It draws what the API tells, as the API tells it: what the caller may not see is not in it.
package report
