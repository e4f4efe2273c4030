package saved

import (
	"cmp"
	"context"
	"errors"
	"fmt"
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

const sqlReservedMade = `select o.body::jsonb->>$3 from idempotency i join revision r using (revision)
	join operation o on o.revision = coalesce(-r.staged, r.revision) where i.caller = $1 and i.key = $2 and o.verb = 'add_' || $3 order by o.position limit 1`

// FindExternal is the row of what a client calls so; 0 for nothing. Where a service that made it was
// broken off before it wrote down what it is, that is found by the key under which it was made.
func (s *Store) FindExternal(ctx context.Context, client fact.UserID, kind fact.FactKind, id string) (row uint32, gone bool, err error) {
	if id == "" {
		return 0, false, nil
	}
	var at int32
	err = s.Pool.QueryRow(ctx, "select row, gone from external_id where client_id = $1 and kind = $2 and external_id = $3", uint32(client), string(kind), id).Scan(&at, &gone)
	if errors.Is(err, pgx.ErrNoRows) {
		return 0, false, nil
	}
	if err != nil || at > 0 {
		return uint32(max(at, 0)), gone, err
	}
	var made string
	err = s.Pool.QueryRow(ctx, sqlReservedMade, uint32(client), ReservedKey(kind, at), string(kind)).Scan(&made)
	if errors.Is(err, pgx.ErrNoRows) { // it is being made, or was given up
		return 0, false, nil
	}
	if err != nil {
		return 0, false, err
	}
	row, ok := fact.ParseID(string(kind), made)
	if !ok {
		return 0, false, fmt.Errorf("what was made under %s is %q", ReservedKey(kind, at), made)
	}
	return row, false, s.Release(ctx, client, kind, at, row, id)
}

// ReservedKey is the idempotency key under which something is made that a client calls by what it
// reserved.
func ReservedKey(kind fact.FactKind, reserved int32) string {
	return fmt.Sprintf("scim %s %d", kind, -int64(reserved))
}

// Reserve keeps what a client is about to call something that is being made. Of several at once, and
// of one that is sent again, all get the same, and so make it under one key: once.
func (s *Store) Reserve(ctx context.Context, client fact.UserID, kind fact.FactKind, id string) (reserved int32, err error) {
	err = s.Pool.QueryRow(ctx, `insert into external_id as x (client_id, kind, row, external_id, gone, reserved_at) values ($1, $2, $3, $4, true, clock_timestamp())
		on conflict (client_id, kind, external_id) where external_id <> '' do update set reserved_at = excluded.reserved_at
		where x.row < 0 returning row`, uint32(client), string(kind), -1-rand.Int32(), id).Scan(&reserved)
	if errors.Is(err, pgx.ErrNoRows) {
		return 0, ErrExternalTaken
	}
	return reserved, err
}

// Release says what became of what was reserved. Another service may have said so already.
func (s *Store) Release(ctx context.Context, client fact.UserID, kind fact.FactKind, reserved int32, row uint32, id string) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "delete from external_id where client_id = $1 and kind = $2 and row = $3", uint32(client), string(kind), reserved); err != nil {
			return err
		}
		return setExternal(ctx, tx, client, kind, row, External{ID: id})
	})
}

// SetExternal keeps what a client calls a row, or that it deleted it.
func (s *Store) SetExternal(ctx context.Context, client fact.UserID, kind fact.FactKind, row uint32, x External) error {
	if at, _, err := s.FindExternal(ctx, client, kind, x.ID); err != nil || at != 0 && at != row {
		return cmp.Or(err, ErrExternalTaken)
	}
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "delete from external_id where client_id = $1 and kind = $2 and external_id = $3 and row < 0 and $3 <> ''", uint32(client), string(kind), x.ID); err != nil {
			return err
		}
		return setExternal(ctx, tx, client, kind, row, x)
	})
}

func setExternal(ctx context.Context, tx pgx.Tx, client fact.UserID, kind fact.FactKind, row uint32, x External) error {
	_, err := tx.Exec(ctx, `insert into external_id (client_id, kind, row, external_id, gone) values ($1, $2, $3, $4, $5)
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
