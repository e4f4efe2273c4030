package past

import (
	"context"
	"slices"
	"strconv"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/revisions"

	"github.com/jackc/pgx/v5"
)

// History are revisions, newest first.
func (l *Past) History(ctx context.Context, f revisions.HistoryFilter, limit int) ([]revisions.Revision, error) {
	var out []revisions.Revision
	unfiled, err := l.unfiledOf(ctx, &f)
	if err != nil {
		return nil, err
	}
	err = database.Read(ctx, l.pool, func(tx pgx.Tx) (err error) {
		if f.Subject == nil {
			f.Subject = []string{}
		}
		where, args := f.Where(unfiled)
		rows, err := tx.Query(ctx, "select revision from revision r"+where+" order by revision desc limit "+strconv.Itoa(limit), args...)
		if err != nil {
			return err
		}
		numbers, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			return err
		}
		out, err = revisions.Listed(ctx, tx, numbers, f)
		slices.Reverse(out)
		return err
	})
	return out, err
}

// unfiledOf are the revisions that touched the users of a filter and whose rows are not all
// written. Of roles it waits for the rows.
func (l *Past) unfiledOf(ctx context.Context, f *revisions.HistoryFilter) ([]int64, error) {
	out := []int64{}
	if len(f.Subject) == 0 || !l.Lagging() {
		return out, nil
	}
	head := l.head()
	reached, err := rowsThrough(ctx, l.pool)
	if err != nil {
		return nil, database.Unavailable(err)
	}
	later, ok := l.recents.between(reached, head.Revision, head.Erased())
	if !ok || len(f.Roles()) > 0 {
		return out, l.rowsReach(ctx, head.Revision)
	}
	for _, id := range f.Users() {
		for _, s := range later {
			if u := s.UserTable.At(int(id)); u != nil && u.Touched == s.Revision {
				out = append(out, s.Revision)
			}
		}
	}
	return out, nil
}

// Reasons are the reasons of revisions by number.
func (l *Past) Reasons(ctx context.Context, numbers []int64) (map[int64]revisions.Revision, error) {
	out := map[int64]revisions.Revision{}
	if len(numbers) == 0 {
		return out, nil
	}
	rows, err := l.pool.Query(ctx, `select r.revision, r.at, coalesce(r.author, 0), coalesce(t.text, 'erased')
		from revision r join reason t on t.digest = r.reason where r.revision = any($1)`, numbers)
	if err != nil {
		return nil, database.Unavailable(err)
	}
	for rows.Next() {
		var r revisions.Revision
		var at time.Time
		if err := rows.Scan(&r.Revision, &at, (*uint32)(&r.Author), &r.Reason); err != nil {
			return nil, err
		}
		r.At = calendar.At(at)
		out[r.Revision] = r
	}
	return out, database.Unavailable(rows.Err())
}
