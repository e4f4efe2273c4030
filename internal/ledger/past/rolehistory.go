package past

import (
	"context"
	"errors"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"
	"ableroster/internal/query"

	"github.com/jackc/pgx/v5"
)

// RoleHistory is what concerned one user from the first revision to the newest: one
// era for each time between two revisions that changed any of it. Each answers
// about that user as the whole snapshot did then.
func (l *Past) RoleHistory(ctx context.Context, user fact.UserID) ([]query.Era, error) {
	var rows []factrows.Row
	times := map[int64]calendar.Instant{}
	head := l.head()
	var later []*access.Snapshot // of the revisions that have no rows yet
	err := database.Read(ctx, l.pool, func(tx pgx.Tx) error {
		reached, err := rowsThrough(ctx, tx)
		if err != nil {
			return err
		}
		if reached < head.Revision {
			var ok bool
			if later, ok = l.recents.between(reached, head.Revision, head.Erased()); !ok {
				return ErrRowsLater
			}
		}
		if rows, err = factrows.RowsEver(ctx, tx, user, reached); err != nil {
			return err
		}
		found, err := tx.Query(ctx, "select revision, at from revision where revision = any($1)", factrows.Boundaries(rows))
		if err != nil {
			return err
		}
		defer found.Close()
		for found.Next() {
			var n int64
			var at time.Time
			if err := found.Scan(&n, &at); err != nil {
				return err
			}
			times[n] = calendar.At(at)
		}
		return found.Err()
	})
	if errors.Is(err, ErrRowsLater) {
		l.Lag(true)
		if err := l.rowsReach(ctx, head.Revision); err != nil {
			return nil, err
		}
		return l.RoleHistory(ctx, user)
	}
	if err != nil {
		return nil, err
	}
	var out []query.Era
	edges := factrows.Boundaries(rows)
	for i, n := range edges {
		d := access.Loader(n)
		for _, kind := range fact.FactKinds { // each after those it refers to
			for _, r := range rows {
				if r.Fact.Kind() == kind && r.Opened <= n && (r.Closed == 0 || r.Closed > n) {
					d.Load(r.Fact, r.Opened)
				}
			}
		}
		era := query.Era{Snapshot: d.Seal(n, times[n]), Window: calendar.Window{From: times[n]}}
		if i+1 < len(edges) {
			era.Until = times[edges[i+1]]
		}
		out = append(out, era)
	}
	for i, s := range later {
		if i > 0 && !concerns(later[i-1], s, user) {
			continue
		}
		if last := len(out) - 1; last >= 0 {
			out[last].Until = s.At
		}
		out = append(out, query.Era{Snapshot: s, Window: calendar.Window{From: s.At}})
	}
	return out, nil
}
