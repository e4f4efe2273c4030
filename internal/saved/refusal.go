package saved

import (
	"context"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Refusal is something a user tried to change and may not, on one day.
type Refusal struct {
	User        fact.UserID
	Call        string   // the method and the path
	Detail      string   // what they were told
	Subjects    []string // the ids of whom that speaks of
	Times       int
	Via         string
	First, Last time.Time
}

// MostRefusals bounds how many different ones of a user are kept for a day; more of
// the same are counted.
const MostRefusals = 200

// Refused records that something was refused.
func (s *Store) Refused(ctx context.Context, r Refusal) error {
	_, err := s.Pool.Exec(ctx, `insert into refusal (user_id, day, call, detail, via, subjects)
		select $1, current_date, left($2, 300), left($3, 500), $4, $6
		where $5 > (select count(*) from refusal where user_id = $1 and day = current_date and (call, detail) <> (left($2, 300), left($3, 500)))
		on conflict (user_id, day, call, detail) do update set times = refusal.times + 1, last_at = clock_timestamp(), via = excluded.via`,
		uint32(r.User), r.Call, r.Detail, r.Via, MostRefusals, append([]string{}, r.Subjects...))
	return err
}

// Refusals are those of the last days, the newest first.
func (s *Store) Refusals(ctx context.Context, since time.Time, limit int) ([]Refusal, error) {
	rows, err := s.Pool.Query(ctx, `select user_id, call, detail, times, via, first_at, last_at from refusal
		where last_at >= $1 order by last_at desc, call limit $2`, since, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (x Refusal, err error) {
		return x, r.Scan((*uint32)(&x.User), &x.Call, &x.Detail, &x.Times, &x.Via, &x.First, &x.Last)
	})
}

// Tidy deletes refusals that were last met, pending changes that ended, and what clients reserved
// for what was never made, before an instant.
func (s *Store) Tidy(ctx context.Context, before time.Time) error {
	for _, sql := range []string{"delete from refusal where last_at < $1", "delete from pending_change where ended_at < $1", "delete from external_id where row < 0 and reserved_at < $1"} {
		if _, err := s.Pool.Exec(ctx, sql, before); err != nil {
			return err
		}
	}
	return nil
}
