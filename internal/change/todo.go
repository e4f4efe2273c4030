package change

import (
	"strings"

	"ableroster/internal/access"
)

// ToDo says what an operation would do, in the words of its sentence: “Granted …” is what the
// ledger says of it, “Grant …” what stands on a sheet, or waits for its day. The operation is
// settled, as for its sentence.
func ToDo(op Operation, s *access.Snapshot, n Names) string {
	said := op.Sentence(s, n)
	first, rest, _ := strings.Cut(said, " ")
	if verb, ok := toDo[first]; ok {
		return verb + " " + rest
	}
	if who, departed := strings.CutSuffix(said, " departed"); departed {
		return "Mark " + who + " as departed"
	}
	return said
}

// toDo turns the verbs that sentences begin with.
var toDo = map[string]string{
	"Added": "Add", "Approved": "Approve", "Cancelled": "Cancel", "Changed": "Change", "Checked": "Check", "Closed": "Close", "Declared": "Declare",
	"Described": "Describe", "Ended": "End", "Erased": "Erase", "Extended": "Extend", "Fenced": "Fence", "Gave": "Give", "Granted": "Grant", "Shared": "Share",
	"Handed": "Hand", "Made": "Make", "Merged": "Merge", "Moved": "Move", "Named": "Name", "Opened": "Open", "Refused": "Refuse",
	"Registered": "Register", "Removed": "Remove", "Requested": "Request", "Retired": "Retire", "Returned": "Return", "Tested": "Test", "Revoked": "Revoke", "Settled": "Settle", "Signed": "Sign", "Suspended": "Suspend",
	"Took": "Take", "Updated": "Update", "Withdrew": "Withdraw", "Wrote": "Write",
}
