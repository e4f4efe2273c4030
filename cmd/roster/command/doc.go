// Package command is what all commands of the client have in common: a call with its options
// (call.go), running one and its exit codes (run.go), making a change and telling its effect
// (changing.go, operation.go), files that go up and come down (files.go, watch.go), what is
// printed (output.go, table.go, screen.go, words.go), sign-ins that are kept (profiles.go), and
// help, completion and the manual page. The commands are in the packages beside it, by theme.
package command
