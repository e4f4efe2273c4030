// Package fact is what there is to know: the facts of who may do what, and nothing of
// how they lie in memory or what follows from them. It has no interface code, does no
// I/O and keeps no clock.
//
//   - fact.go has the kinds of facts and their types: users, groups, memberships,
//     applications, resources, fences, roles, inclusions, permissions, assignments. Each
//     fact is opened by one revision and closed by another; none is altered.
//   - id.go has their numbers, and what keys and names may be.
//   - record.go has the facts that checks ignore, of which a workflow makes kinds of its
//     own: default.go, sodrule.go, expectation.go and attribute.go are those of the core.
//   - userattribute.go is the table of what every user has; values.go what an
//     organisation declared beside it.
//   - rule.go says whom a filter over users' facts chooses. Filters see facts alone: no
//     groups, no clock, and nothing personal.
//   - scope.go narrows what a role gives to what some patterns cover.
package fact
