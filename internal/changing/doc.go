// Package changing is the one way in: whatever changes access is a change made here. A
// change is read, its author's rights are looked at before anything else, it is applied,
// judged and committed (change.go, decode.go, judge.go); a dry run stops before the last.
//
//   - effect.go, refused.go: in what words a preview and a refusal are told.
//   - states.go, alike.go, covers.go, expectations.go, sodrules.go, handover.go: what a
//     preview says beside who gains and loses what.
//   - split.go: what of a refused change its author could make, and who could make the
//     rest; pending.go and removals.go: what waits for somebody who may make it.
//   - whatif.go: questions about what a change would leave.
//   - setup.go: the first administrator, and one who was lost.
package changing
