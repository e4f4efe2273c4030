// Package saved keeps what belongs beside the ledger, since none of it gives access:
// views of lists, how the columns of files are to be read, parts of changes that
// were passed on, and what was tried and refused.
package saved

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Kind is what something saved is.
type Kind string

// The kinds.
const (
	View    Kind = "view"
	Mapping Kind = "mapping"
)

// Item is one thing saved. Its key is the owner's own; a shared one is nobody
// else's either.
type Item struct {
	Owner     fact.UserID
	Key       string
	Label     string
	Shared    bool
	Body      json.RawMessage
	ChangedAt time.Time
}

// ErrTaken says that somebody else shares something under the same key.
var ErrTaken = errors.New("somebody else shares one under this key")

// MostOwned bounds how many things of a kind one may save.
const MostOwned = 200

// ErrTooMany says that one has saved as many as one may.
var ErrTooMany = errors.New("too many are saved already")

// Store keeps them in PostgreSQL.
type Store struct{ Pool *pgxpool.Pool }

// List is what a user saved, and what anybody shares, the user's own first.
func (s *Store) List(ctx context.Context, kind Kind, user fact.UserID) ([]Item, error) {
	rows, err := s.Pool.Query(ctx, `select owner, key, label, shared, body, changed_at from saved
		where kind = $1 and (owner = $2 or shared) order by owner <> $2, lower(label), key`, string(kind), uint32(user))
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (i Item, err error) {
		return i, r.Scan((*uint32)(&i.Owner), &i.Key, &i.Label, &i.Shared, &i.Body, &i.ChangedAt)
	})
}

// Seen is what somebody saw under a key, that is to be there still when it is replaced or taken
// away. The zero value is whatever is there.
type Seen struct {
	ChangedAt time.Time // what they saw was saved then
	Nothing   bool      // they saw none
}

func (s Seen) changedAt() *time.Time {
	if s.ChangedAt.IsZero() {
		return nil
	}
	return &s.ChangedAt
}

// ErrMoved says that something else is there than what was seen.
var ErrMoved = errors.New("something else is saved there by now")

// Put saves something in the place of what has its key.
func (s *Store) Put(ctx context.Context, kind Kind, i Item, seen Seen) error {
	tag, err := s.Pool.Exec(ctx, `insert into saved (owner, kind, key, label, shared, body)
		select $1, $2, $3, $4, $5, $6 where $7 > (select count(*) from saved where owner = $1 and kind = $2 and key <> $3)
			and ($8::timestamptz is null or exists (select from saved where owner = $1 and kind = $2 and key = $3 and changed_at = $8))
		on conflict (owner, kind, key) do update set label = excluded.label, shared = excluded.shared, body = excluded.body, changed_at = clock_timestamp()
			where not $9 and ($8::timestamptz is null or saved.changed_at = $8)`,
		uint32(i.Owner), string(kind), i.Key, i.Label, i.Shared, string(i.Body), MostOwned, seen.changedAt(), seen.Nothing)
	var pe *pgconn.PgError
	switch {
	case errors.As(err, &pe) && pe.ConstraintName == "saved_shared":
		return ErrTaken
	case err == nil && tag.RowsAffected() == 0 && seen != (Seen{}):
		return ErrMoved
	case err == nil && tag.RowsAffected() == 0:
		return ErrTooMany
	}
	return err
}

// Delete takes something away; found is false where there was none.
func (s *Store) Delete(ctx context.Context, kind Kind, owner fact.UserID, key string, seen Seen) (found bool, err error) {
	tag, err := s.Pool.Exec(ctx, "delete from saved where kind = $1 and owner = $2 and key = $3 and ($4::timestamptz is null or changed_at = $4)", string(kind), uint32(owner), key, seen.changedAt())
	return tag.RowsAffected() > 0, err
}
