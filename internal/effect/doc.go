// Package effect is what a change comes to, and what stands in its way. It reads a draft
// that is finished and alters nothing. It has no interface code, does no I/O and keeps no
// clock.
//
//   - preview.go: who gains and loses what. mark.go: whether two previews say the same.
//   - guard.go: the guard rails, which somebody acknowledges first, or which nobody can.
//     counted.go: those that are shares of everybody, counted anew where others made
//     changes since; second.go: what needs a second person; freeze.go: what is not done
//     now; sodrule.go and expectation.go: the rules that are newly violated.
package effect
