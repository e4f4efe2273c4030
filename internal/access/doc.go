// Package access is the snapshot, and the decision drawn from it. A snapshot is
// compiled from the facts (package fact) at one revision and never changes; a Builder
// makes the next one, by difference. It has no interface code, does no I/O and keeps no
// clock: the instant judged is always a parameter.
//
// A question walks these phases, each in the file of its name:
//
//  1. The application (check.go). Live answers by the facts; rehearsal lets
//     everybody in who is signed in; a draft only its trial group.
//  2. Who counts (effective.go). A user is effective when active and inside
//     their start and end dates, whole days in the organisation's time zone.
//  3. Paths (snapshot.go, FindResource). A path names a resource, a pattern covers
//     paths; what is neither registered nor below an open resource, or retired, is not
//     there.
//  4. Principals (principals.go, rule.go). The user; every group reached upward
//     through memberships inside their windows and through filters over the
//     user's facts; all-users for persons; and public.
//  5. Roles (roles.go). Those assigned to any principal, inside the
//     window, the schedule and the scopes of the assignment, and all they include; a
//     retired role gives nothing.
//  6. Permissions (check.go, fence.go). A role may do these actions on what this
//     pattern covers, perhaps only on one's own; a fence keeps out what was
//     written for something wider. There are no deny rules: adding a permission
//     or an assignment only ever adds access, adding a fence only removes it.
//  7. Reasons (reason.go). Each answer has a code of a closed list. The facts behind
//     it, and the roles that would cure a denial, are questions of package query.
//
// How it lies in memory: snapshot.go has the tables and their entries; row.go and
// link.go what there are millions of; fit.go what fits a question in an application.
// The entries are there for those who walk them fast (package query, package change)
// and are only read there: what writes them is a Builder alone (builder.go, put.go),
// which keeps every index, gathers what lies above a group (gather.go) and compiles
// what a role includes (closure.go).
package access
