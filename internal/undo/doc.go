// Package undo says what takes back a change that was made: the operations that put things
// as they were before, on the head as it is now, and what cannot be put so, with why.
//
// undo.go goes through what a revision changed, given.go has what is given and taken, and
// altered.go what was altered field by field. It is pure, as the core.
package undo
