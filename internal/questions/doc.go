// Package questions answers who may do what and why, by whom and since when: the check
// and its explanation, holders, access gained and lost, timelines, comparisons, coverage,
// expectations, findings, history. Each is a function of a caller's view (package
// seeing), and tells no more than they may see.
package questions
