// Package operation has the operations of the core, one kind a type: its fields, its
// faults, what it opens and closes, and its sentence. Each registers itself with package
// change, and does to a draft what that package's methods allow. The workflows have theirs
// in packages request, review and finding.
//
// They live in three rooms, and a kind of fact has a file:
//
//   - people: user.go, unit.go and unitmove.go, employment.go, position.go and absence.go,
//     attribute.go, machineaccount.go; merge.go, handover.go, succeed.go and erase.go are
//     of users who turn out to be one, and who leave.
//   - roles: application.go, resource.go, role.go, permission.go, group.go, grant.go.
//   - rules: default.go, sodrule.go, expectation.go, freeze.go; organisation.go, signin.go, second.go and
//     references.go are of the whole organisation, ledger.go of the ledger itself.
//
// What they share is in package settle. Who imports this package has them all registered.
package operation

import (
	_ "ableroster/internal/operation/people"
	_ "ableroster/internal/operation/roles"
	_ "ableroster/internal/operation/rules"
)
