// Package seeing is what one caller may see of the facts, and the words in which they are
// told: the one way out of the service.
//
// service.go has the Service, which the interfaces hold, and the View: one caller's sight
// of one snapshot, of today or of a past day. What a view names (UserRef, GroupRef,
// RoleRef and the like) is cut to what the caller may read; reads.go, settings.go and
// known.go say what that is. The facts themselves lie behind Uncut: whoever draws an
// answer from those has to say so, and cuts it.
//
//   - page.go, where.go, attributes.go, roll.go, rank.go, columns.go: lists that are
//     searched, filtered, sorted and paged.
//   - paths.go, entitlements.go, revisions.go, words.go, text.go: what several use cases
//     draw alike.
//   - errors.go, refusals.go, telling.go: how something is refused, recorded, and slowed
//     down where the refusal cannot help telling something.
//   - broken.go, reports.go, rounds.go: what the service keeps between calls.
package seeing
