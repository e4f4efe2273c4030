// Package held says who holds what over time: where package access judges one instant, it
// gives the intervals, for rules, reviews and effects that ask about every instant at once.
// It reads a snapshot, and does no I/O.
//
//   - groups.go: when each group counts for a user, along every way up whose windows
//     overlap; and who is in a group at an instant.
//   - roles.go: the roles a user holds, a group gives or everybody has, once for each of
//     the bounds they are held on (scopes, schedule), with all that they include.
//
// The intervals of a user are clipped to when they count (start and end dates, absences,
// openings); those of a group are not, since nobody in particular is asked about.
package held
