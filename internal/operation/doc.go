// Package operation has the operations of the core, one kind a type: its fields, its
// faults, what it opens and closes, and its sentence. The workflows have theirs in
// packages request, review and finding. Each registers itself with package change, and
// does to a draft what that package's methods allow.
//
// A kind of fact has a file: user.go, group.go, application.go, resource.go, role.go,
// grant.go, default.go, sodrule.go, expectation.go, attribute.go; handover.go and
// erase.go are of users who leave, signin.go and second.go of the organisation.
package operation
