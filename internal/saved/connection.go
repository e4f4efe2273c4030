package saved

import (
	"context"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Connection is an account that speaks an open standard with the service.
type Connection struct {
	Account     fact.UserID
	Standard    string
	First, Last time.Time
	Said        string     // the last call
	RefusedAt   *time.Time // the last that was refused
	RefusedCall string
	RefusedWhy  string
}

// Connected keeps that an account called; why is why it was refused, or blank.
func (s *Store) Connected(ctx context.Context, account fact.UserID, standard, call, why string) error {
	_, err := s.Pool.Exec(ctx, `insert into connection as c (account_id, standard, said, refused_at, refused_call, refused_why)
		values ($1, $2, $3, case when $4 <> '' then clock_timestamp() end, case when $4 <> '' then $3 else '' end, $4)
		on conflict (account_id, standard) do update set last_at = excluded.last_at, said = excluded.said,
			refused_at = coalesce(excluded.refused_at, c.refused_at),
			refused_call = case when $4 <> '' then excluded.refused_call else c.refused_call end,
			refused_why = case when $4 <> '' then excluded.refused_why else c.refused_why end`, uint32(account), standard, call, why)
	return err
}

// Connections are all of them, by account.
func (s *Store) Connections(ctx context.Context) ([]Connection, error) {
	rows, err := s.Pool.Query(ctx, "select account_id, standard, first_at, last_at, said, refused_at, refused_call, refused_why from connection order by account_id, standard")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (c Connection, err error) {
		return c, r.Scan((*uint32)(&c.Account), &c.Standard, &c.First, &c.Last, &c.Said, &c.RefusedAt, &c.RefusedCall, &c.RefusedWhy)
	})
}
