// Package change is how facts come to differ: a Draft takes operations, and says what
// they would do, to whom, and whether their author may. It has no interface code, does
// no I/O and keeps no clock.
//
// A change is a list of operations (operation.go; each kind has its descriptor,
// descriptor.go, from which decode.go reads it). They are applied to a Draft (draft.go),
// which answers like a snapshot all the while. What operations do to a draft is these
// methods, and nothing else:
//
//   - settle.go, ref.go, keyed.go: names become ids, or faults.
//   - operation.go: Fault, Need (a right of the author), Note, Reads.
//   - texts.go, key.go, lookalike.go: what may be a key, a name, a label.
//   - workflow.go: what a workflow promises and gives.
//   - Put and End, of the builder below it.
//
// When all are applied, Finish does what follows from the whole: default rules give and
// take (defaults.go), and what may be held within a unit alone leaves those outside
// (heldwithin.go). gain.go has the roles that somebody comes to hold, or to decide on,
// whichever way; authority.go says whether the author may give them, through one and the
// same of their own assignments; power.go what somebody could do who signs in as another.
//
// What the change comes to for people is package effect's.
package change
