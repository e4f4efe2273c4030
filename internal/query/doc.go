// Package query is every question beside the check: who may do this, what somebody may
// do and through what, what a change of the facts gives and takes. Each is a function of
// a snapshot, and of an instant where it has one. A draft is a snapshot too. It has no
// interface code, does no I/O and keeps no clock.
//
//   - Why: explain.go (the chains of facts behind an answer, or those that came
//     nearest), cure.go (the roles that would cure a denial).
//   - What somebody holds: entitlement.go (all of it, with its times), accessline.go (as
//     it is shown), reach.go and menu.go (where they may do an action), cells.go (a grid
//     of actions and resources), assignments.go.
//   - Who holds it: holders.go, hold.go (counts), ways.go (how members came into a group),
//     administrators.go (who may do everything, who may change anything).
//   - Roles: spread.go, rolereach.go, rolespan.go, grown.go, coverage.go (an application's
//     tree, and who covers it).
//   - Two snapshots: between.go (what a user gained and lost), holding.go, bearing.go (whether they
//     differ for somebody at all), timeline.go (over many).
//   - Rules that are held against the facts: judging.go and broken.go (expectations),
//     sodrule.go (separation of duties).
package query
