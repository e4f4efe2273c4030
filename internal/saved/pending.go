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

// The states.
const (
	PendingWaiting   PendingState = "waiting"
	PendingMade      PendingState = "made"
	PendingRefused   PendingState = "refused"
	PendingWithdrawn PendingState = "withdrawn"
)

// PendingChange is a part of a change that its author may not make and passed on.
type PendingChange struct {
	ID       int64
	Author   fact.UserID
	Receiver fact.UserID // 0: anybody who may make it
	Reason   string
	Lines    json.RawMessage // what is to be done; dropped when it ends
	Said     []string        // the same in the author's words; dropped a while after it ended
	State    PendingState
	Answer   string // why it was refused
	EndedBy  fact.UserID
	Revision int64 // what it was made in
	Created  time.Time
	Ended    *time.Time

	Subjects []string // the ids of whom it speaks of
}

// MostWaiting bounds how many pending changes of one author wait at a time.
const MostWaiting = 50

const pendingColumns = "id, author, receiver, reason, lines, said, state, answer, ended_by, revision, created_at, ended_at"

func (s *Store) pendingChanges(ctx context.Context, where string, args ...any) ([]PendingChange, error) {
	rows, err := s.Pool.Query(ctx, "select "+pendingColumns+" from pending_change where "+where+" order by id", args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (p PendingChange, err error) {
		return p, r.Scan(&p.ID, (*uint32)(&p.Author), (*uint32)(&p.Receiver), &p.Reason, &p.Lines, &p.Said, (*string)(&p.State), &p.Answer,
			(*uint32)(&p.EndedBy), &p.Revision, &p.Created, &p.Ended)
	})
}

// WaitingChanges are those that wait, for whomever.
func (s *Store) WaitingChanges(ctx context.Context) ([]PendingChange, error) {
	return s.pendingChanges(ctx, "state = 'waiting'")
}

// PendingChangesOf are those an author passed on that wait, or ended since an instant.
func (s *Store) PendingChangesOf(ctx context.Context, author fact.UserID, since time.Time) ([]PendingChange, error) {
	return s.pendingChanges(ctx, "author = $1 and (ended_at is null or ended_at >= $2)", uint32(author), since)
}

// PutPendingChange keeps a change that is passed on and gives it its number.
func (s *Store) PutPendingChange(ctx context.Context, p *PendingChange) error {
	err := s.Pool.QueryRow(ctx, `insert into pending_change (author, receiver, reason, lines, said, subjects)
		select $1, $2, $3, $4, $5, $7 where $6 > (select count(*) from pending_change where author = $1 and state = 'waiting') returning id, created_at`,
		uint32(p.Author), uint32(p.Receiver), p.Reason, string(p.Lines), p.Said, MostWaiting, append([]string{}, p.Subjects...)).Scan(&p.ID, &p.Created)
	if err == pgx.ErrNoRows {
		return ErrTooMany
	}
	p.State = PendingWaiting
	return err
}

// PendingShown is how long it is told what became of a pending change.
const PendingShown = 14 * 24 * time.Hour

// EndPendingChange ends one that waits; ended is false where it does not wait any more.
func (s *Store) EndPendingChange(ctx context.Context, id int64, state PendingState, by fact.UserID, answer string, revision int64) (ended bool, err error) {
	if _, err := s.Pool.Exec(ctx, "update pending_change set said = '{}', reason = '' where ended_at < $1 and said <> '{}'", time.Now().Add(-PendingShown)); err != nil {
		return false, err
	}
	tag, err := s.Pool.Exec(ctx, `update pending_change set state = $2, ended_by = $3, answer = $4, revision = $5, ended_at = clock_timestamp(), lines = null
		where id = $1 and state = 'waiting'`, id, string(state), uint32(by), answer, revision)
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
