package saved

import (
	"context"
	"encoding/json"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// PendingState is how far a pending change is.
type PendingState string

// The states. The first four wait.
const (
	PendingWaiting   PendingState = "waiting"  // for somebody who may make it
	PendingSaved     PendingState = "saved"    // for its author, under a name
	PendingDated     PendingState = "dated"    // for its date
	PendingReturned  PendingState = "returned" // for its author again: it was not made at its date
	PendingMade      PendingState = "made"
	PendingRefused   PendingState = "refused"
	PendingWithdrawn PendingState = "withdrawn"
)

// Waits says whether one may still be made.
func (s PendingState) Waits() bool {
	return s == PendingWaiting || s.Own()
}

// Own says whether one waits that is for its author alone.
func (s PendingState) Own() bool {
	return s == PendingSaved || s == PendingDated || s == PendingReturned
}

// PendingChange is a change that was prepared: one that its author may not make and passed
// on, or one of their own, kept under a name or to be made at a date.
type PendingChange struct {
	ID        int64
	Author    fact.UserID
	Receiver  fact.UserID // 0: anybody who may make it
	Name      string      // by which its author keeps it
	Reason    string
	Reference string
	Lines     json.RawMessage // what is to be done; dropped when it ends
	Said      []string        // the same in the author's words; dropped a while after it ended
	State     PendingState
	Answer    string // why it was refused, or not made at its date
	EndedBy   fact.UserID
	Revision  int64 // what it was made in
	Created   time.Time
	Ended     *time.Time

	// Of one that is to be made at a date:
	Due         *time.Time
	Acknowledge []string // the guard rails it passes
	BasedOn     int64    // the revision its author looked at
	Mark        []byte   // of the effect that they saw

	Subjects []string // the ids of whom it speaks of
}

// MostWaiting bounds how many pending changes of one author wait at a time.
const MostWaiting = 50

const pendingColumns = "id, author, receiver, name, reason, reference, lines, said, state, answer, ended_by, revision, created_at, ended_at, due, acknowledge, based_on, mark"

func readPending(r pgx.CollectableRow) (p PendingChange, err error) {
	return p, r.Scan(&p.ID, (*uint32)(&p.Author), (*uint32)(&p.Receiver), &p.Name, &p.Reason, &p.Reference, &p.Lines, &p.Said, (*string)(&p.State), &p.Answer,
		(*uint32)(&p.EndedBy), &p.Revision, &p.Created, &p.Ended, &p.Due, &p.Acknowledge, &p.BasedOn, &p.Mark)
}

func (s *Store) pendingChanges(ctx context.Context, where string, args ...any) ([]PendingChange, error) {
	rows, err := s.Pool.Query(ctx, "select "+pendingColumns+" from pending_change where "+where+" order by id", args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, readPending)
}

// WaitingChanges are those that wait for others than their authors.
func (s *Store) WaitingChanges(ctx context.Context) ([]PendingChange, error) {
	return s.pendingChanges(ctx, "state = 'waiting'")
}

// PendingChangesOf are those an author prepared that wait, or ended since an instant.
func (s *Store) PendingChangesOf(ctx context.Context, author fact.UserID, since time.Time) ([]PendingChange, error) {
	return s.pendingChanges(ctx, "author = $1 and (ended_at is null or ended_at >= $2)", uint32(author), since)
}

// PutPendingChange keeps a change in its state, waiting by default, and gives it its number.
// One that is saved under a name takes the place of what was saved under it.
func (s *Store) PutPendingChange(ctx context.Context, p *PendingChange) error {
	if p.State == "" {
		p.State = PendingWaiting
	}
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if p.State == PendingSaved {
			if _, err := tx.Exec(ctx, "delete from pending_change where author = $1 and state = 'saved' and name = $2", uint32(p.Author), p.Name); err != nil {
				return err
			}
		}
		err := tx.QueryRow(ctx, `insert into pending_change (author, receiver, name, reason, reference, lines, said, subjects, state, due, acknowledge, based_on, mark)
			select $1, $2, $7, $3, $8, $4, $5, $9, $10, $11, $12, $13, $14
			where $6 > (select count(*) from pending_change where author = $1 and ended_at is null) returning id, created_at`,
			uint32(p.Author), uint32(p.Receiver), p.Reason, string(p.Lines), p.Said, MostWaiting, p.Name, p.Reference, append([]string{}, p.Subjects...),
			string(p.State), p.Due, append([]string{}, p.Acknowledge...), p.BasedOn, p.Mark).Scan(&p.ID, &p.Created)
		if err == pgx.ErrNoRows {
			return ErrTooMany
		}
		return err
	})
}

// PendingShown is how long it is told what became of a pending change.
const PendingShown = 14 * 24 * time.Hour

// EndPendingChange ends one that waits; ended is false where it does not wait any more, or a
// service is just making it.
func (s *Store) EndPendingChange(ctx context.Context, id int64, state PendingState, by fact.UserID, answer string, revision int64) (ended bool, err error) {
	if _, err := s.Pool.Exec(ctx, "update pending_change set said = '{}', reason = '', name = '' where ended_at < $1 and said <> '{}'", time.Now().Add(-PendingShown)); err != nil {
		return false, err
	}
	tag, err := s.Pool.Exec(ctx, `update pending_change set state = $2, ended_by = $3, answer = $4, revision = $5, ended_at = clock_timestamp(), lines = null
		where id = $1 and ended_at is null and (state <> 'dated' or $2 = 'made' or taken_until is null or taken_until < clock_timestamp())`, id, string(state), uint32(by), answer, revision)
	return tag.RowsAffected() > 0, err
}

// PendingChange is one by its number, or nil.
func (s *Store) PendingChange(ctx context.Context, id int64) (*PendingChange, error) {
	all, err := s.pendingChanges(ctx, "id = $1", id)
	if err != nil || len(all) == 0 {
		return nil, err
	}
	return &all[0], nil
}

// takenFor is how long a due change is a service's own: another takes it up when it has not
// come to an end by then.
const takenFor = 2 * time.Minute

// TakeDue are changes whose date has come, by the database's clock, taken for the caller to
// make: no other service gets them meanwhile.
func (s *Store) TakeDue(ctx context.Context, most int) ([]PendingChange, error) {
	rows, err := s.Pool.Query(ctx, `update pending_change set taken_until = clock_timestamp() + $2::interval where id in (
		select id from pending_change where state = 'dated' and due <= clock_timestamp() and (taken_until is null or taken_until < clock_timestamp())
		order by due, id limit $1 for update skip locked) returning `+pendingColumns, most, takenFor)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, readPending)
}

// LeaveDue gives a due change back, to be taken again.
func (s *Store) LeaveDue(ctx context.Context, id int64) error {
	_, err := s.Pool.Exec(ctx, "update pending_change set taken_until = null where id = $1", id)
	return err
}

// ReturnDue puts a due change before its author again, with why it was not made.
func (s *Store) ReturnDue(ctx context.Context, id int64, why string) error {
	_, err := s.Pool.Exec(ctx, "update pending_change set state = 'returned', answer = $2 where id = $1 and state = 'dated'", id, why)
	return err
}
