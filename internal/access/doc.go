// Package access is the core: the facts of who may do what, the immutable
// snapshot compiled from them, and every answer drawn from it. It has no
// interface code, does no I/O and keeps no clock: the instant judged is always
// a parameter.
//
// A question walks these phases, each in the file of its name:
//
//  1. The application (check.go). Live answers by the facts; rehearsal lets
//     everybody in who is signed in; a draft only its trial group.
//  2. Who counts (effective.go). A user is effective when active and inside
//     their start and end dates, whole days in the organisation's time zone.
//  3. Paths (path.go). A path names a resource, a pattern covers paths; what is
//     neither registered nor below an open resource, or retired, is not there.
//  4. Principals (principals.go, rule.go). The user; every group reached upward
//     through memberships inside their windows and through filters over the
//     user's facts; all-users for persons; and public.
//  5. Roles (roles.go, held.go). Those assigned to any principal, inside the
//     window, the schedule (schedule.go) and the scopes (scope.go) of the
//     assignment, and all they include; a retired role gives nothing.
//  6. Permissions (check.go, fence.go). A role may do these actions on what this
//     pattern covers, perhaps only on one's own; a fence keeps out what was
//     written for something wider. There are no deny rules: adding a permission
//     or an assignment only ever adds access, adding a fence only removes it.
//  7. Reasons (reason.go, explain.go, cure.go). Each answer has a code of a
//     closed list and the chains of facts behind it, or those that came
//     nearest, and the roles that would cure a denial.
//
// A change is a list of operations (operation.go and one op_*.go for each kind).
// They are applied to a Draft, which is the next snapshot in the making, by
// difference; preview.go says what a draft gives and takes, authority.go
// whether its author may make it, guard.go what should be acknowledged first.
package access
