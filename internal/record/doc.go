// Package record looks up what is on record of rules, accounts, teams and people, by kind:
// facts of a snapshot that no single decision rests on, and that changes, findings and pages
// ask for. It reads a snapshot, and does no I/O.
//
//   - rules.go: default rules, separation-of-duties rules, expectations.
//   - accounts.go: machine accounts and who is accountable for them; shared accounts.
//   - teams.go: team rules, and the teams that were opened by them.
//   - people.go: sign-up rules, legal holds, merged records.
package record
