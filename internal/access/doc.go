// Package access is the core: the facts of who may do what, the immutable
// snapshot compiled from them, and every answer drawn from it. It has no
// interface code, does no I/O and keeps no clock: the instant judged is always
// a parameter.
//
// A question walks these phases, each in the file of its name:
//
//  1. Paths (path.go). A path names a resource, a pattern covers paths.
//  2. Who counts (effective.go). A user is effective when active and inside
//     their start and end dates, whole days in the organisation's time zone.
//  3. Principals (principals.go). The user, every group reached upward through
//     memberships inside their windows, all-users for persons, and public.
//  4. Roles (roles.go). Those assigned to any principal, inside the window of
//     the assignment, and all they include; a retired role gives nothing, and
//     nothing through what it includes.
//  5. Permissions (check.go). A role may do these actions on what this pattern
//     covers. What no permission gives is denied: there are no deny rules, so
//     adding a permission or an assignment only ever adds access.
//  6. Reasons (reason.go, explain.go). Each answer has a code of a closed list
//     and the chains of facts behind it, or the chain that came nearest.
//
// A change is a list of operations (operation.go and one op_*.go for each kind).
// They are applied to a Draft, which is the next snapshot in the making, by
// difference; preview.go says what a draft gives and takes, authority.go
// whether its author may make it, guard.go what should be acknowledged first.
package access
