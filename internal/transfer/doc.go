// Package transfer reads and writes whole files: CSV and LDIF of people, groups,
// memberships and assignments, and the roster file. Reading one comes to one change
// (package changing), with every fault at its line; writing one is cut to the caller like
// any other answer.
package transfer
