package saved

import (
	"context"
	"errors"
	"math/rand/v2"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// ErrExternalTaken says that a client calls something else so already.
var ErrExternalTaken = errors.New("the client calls another resource by this externalId")

// External is what a client calls a user or a group.
type External struct {
	ID   string
	Gone bool // the client deleted it
}

// Externals are what a client calls users or groups, by row; of all, or of some.
func (s *Store) Externals(ctx context.Context, client fact.UserID, kind fact.FactKind, only []uint32) (map[uint32]External, error) {
	sql, args := "select row, external_id, gone from external_id where client_id = $1 and kind = $2 and row > 0", []any{uint32(client), string(kind)}
	if only != nil {
		ids := make([]int64, len(only))
		for i, id := range only {
			ids[i] = int64(id)
		}
		sql, args = sql+" and row = any($3)", append(args, ids)
	}
	rows, err := s.Pool.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	out := map[uint32]External{}
	var row uint32
	var x External
	_, err = pgx.ForEachRow(rows, []any{&row, &x.ID, &x.Gone}, func() error {
		out[row] = x
		return nil
	})
	return out, err
}

// FindExternal is the row of what a client calls so; 0 for nothing.
func (s *Store) FindExternal(ctx context.Context, client fact.UserID, kind fact.FactKind, id string) (row uint32, gone bool, err error) {
	if id == "" {
		return 0, false, nil
	}
	err = s.Pool.QueryRow(ctx, "select greatest(row, 0), gone from external_id where client_id = $1 and kind = $2 and external_id = $3", uint32(client), string(kind), id).Scan(&row, &gone)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	return row, gone, err
}

// Reserve keeps what a client is about to call something that is being made, so that of two at
// once one is refused before it makes anything. What is reserved for minutes was given up.
func (s *Store) Reserve(ctx context.Context, client fact.UserID, kind fact.FactKind, id string) (reserved int32, err error) {
	reserved = -1 - rand.Int32()
	err = s.Pool.QueryRow(ctx, `insert into external_id as x (client_id, kind, row, external_id, gone, reserved_at) values ($1, $2, $3, $4, true, clock_timestamp())
		on conflict (client_id, kind, external_id) where external_id <> '' do update set row = excluded.row, reserved_at = excluded.reserved_at
		where x.row < 0 and x.reserved_at < clock_timestamp() - interval '5 minutes' returning row`, uint32(client), string(kind), reserved, id).Scan(&reserved)
	if errors.Is(err, pgx.ErrNoRows) {
		return 0, ErrExternalTaken
	}
	return reserved, err
}

// Release gives up what was reserved, or with a row says what it became.
func (s *Store) Release(ctx context.Context, client fact.UserID, kind fact.FactKind, reserved int32, row uint32) (err error) {
	if row == 0 {
		_, err = s.Pool.Exec(ctx, "delete from external_id where client_id = $1 and kind = $2 and row = $3", uint32(client), string(kind), reserved)
		return err
	}
	_, err = s.Pool.Exec(ctx, "update external_id set row = $4, gone = false, reserved_at = null where client_id = $1 and kind = $2 and row = $3", uint32(client), string(kind), reserved, row)
	return err
}

// SetExternal keeps what a client calls a row, or that it deleted it.
func (s *Store) SetExternal(ctx context.Context, client fact.UserID, kind fact.FactKind, row uint32, x External) error {
	_, err := s.Pool.Exec(ctx, `insert into external_id (client_id, kind, row, external_id, gone) values ($1, $2, $3, $4, $5)
		on conflict (client_id, kind, row) do update set external_id = excluded.external_id, gone = excluded.gone`, uint32(client), string(kind), row, x.ID, x.Gone)
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "23505" {
		return ErrExternalTaken
	}
	return err
}

// Departs counts whom a client has depart within a day, and says whether one more is within a
// limit; where they are not, nothing is counted. Several services may ask at once.
func (s *Store) Departs(ctx context.Context, client, user fact.UserID, most int) (ok bool, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "select pg_advisory_xact_lock(hashtextextended('client_departure', $1))", int64(client)); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "delete from client_departure where at < clock_timestamp() - interval '1 day'"); err != nil {
			return err
		}
		var n int
		if err := tx.QueryRow(ctx, "select count(*) from client_departure where client_id = $1 and user_id <> $2", uint32(client), uint32(user)).Scan(&n); err != nil {
			return err
		}
		if ok = n < most; !ok {
			return nil
		}
		_, err := tx.Exec(ctx, "insert into client_departure (client_id, user_id) values ($1, $2) on conflict do nothing", uint32(client), uint32(user))
		return err
	})
	return ok, err
}

// StaysHere takes back that a client had somebody depart: they came back, or it was refused.
func (s *Store) StaysHere(ctx context.Context, client, user fact.UserID) error {
	_, err := s.Pool.Exec(ctx, "delete from client_departure where client_id = $1 and user_id = $2", uint32(client), uint32(user))
	return err
}
