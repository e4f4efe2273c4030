package rules

import (
	"ableroster/internal/access"
	"ableroster/internal/change"
)

func init() {
	change.Register(&SetMoveReviews{}, "Set whether each move to another unit opens a review of what the user was given by hand, for their manager")
}

// SetMoveReviews says whether a review is opened of what was given by hand to whoever changes
// unit. Whoever sets it could open these reviews, sign them off, and revoke all that is revoked by them.
type SetMoveReviews struct {
	On bool `json:"on" doc:"whether each move opens a review"`
}

// Verb implements change.Operation.
func (*SetMoveReviews) Verb() string { return "set_move_reviews" }

// ApplyTo implements change.Operation.
func (o SetMoveReviews) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "update the settings") {
		return
	}
	if o.On && !(d.Need(access.ActCreate, "reviews", "open reviews") && d.Need(access.ActUpdate, "reviews", "sign reviews off") && d.Need(access.ActRead, "users", "read all users") &&
		d.Need(access.ActAssign, "users", "revoke roles of all users") && d.Need(access.ActAssign, "roles", "revoke all roles")) {
		return
	}
	f := d.Organisation()
	if f.ReviewMoves == o.On {
		d.Note(change.AlreadySo, 0)
		return
	}
	f.ReviewMoves = o.On
	d.Put(&f)
	return settled
}

// Sentence implements change.Operation.
func (o *SetMoveReviews) Sentence(*access.Snapshot, change.Names) string {
	if !o.On {
		return "Moves no longer open a review"
	}
	return "Each move to another unit opens a review of what the user was given by hand, for their manager"
}
