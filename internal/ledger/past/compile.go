package past

import (
	"context"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"

	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"
)

// Compile makes the whole snapshot at a revision from the fact rows. What there
// is little of comes first; of the rest two streams are read at once, to keep
// both PostgreSQL and this program busy. They need not see one state of the
// database: rows of later revisions are told by their numbers.
func (l *Past) Compile(ctx context.Context, revision int64, at calendar.Instant) (*access.Snapshot, error) {
	d := access.Loader(revision)
	err := database.Read(ctx, l.pool, func(tx pgx.Tx) error {
		if err := factrows.Reserve(ctx, tx, d, revision); err != nil {
			return err
		}
		for i := range factrows.All {
			t := &factrows.All[i]
			if slices.Contains(numerous, t.Kind) {
				continue
			}
			if err := factrows.Passing(ctx, tx, t, func(r factrows.Row) { d.Load(r.Fact, r.Opened) }, t.SelectAt(), revision); err != nil {
				return err
			}
		}
		return factrows.Touch(ctx, tx, d, revision)
	})
	if err != nil {
		return nil, err
	}
	puts := make(chan func(), 16)
	read, ctx := errgroup.WithContext(ctx)
	read.Go(func() error {
		return database.Read(ctx, l.pool, func(tx pgx.Tx) error { return factrows.Given(ctx, tx, fact.FactAssignment, d, revision, puts) })
	})
	read.Go(func() error {
		return database.Read(ctx, l.pool, func(tx pgx.Tx) error {
			err := factrows.Users(ctx, tx, revision, nil, func(all []factrows.Row) { puts <- func() { factrows.PutAll(d, all) } })
			if err != nil {
				return err
			}
			return factrows.Given(ctx, tx, fact.FactMembership, d, revision, puts)
		})
	})
	go func() {
		defer close(puts)
		err = caught.Do(read.Wait) // which panics as one of them did
	}()
	for put := range puts { // a draft belongs to one goroutine
		put()
	}
	if err != nil {
		return nil, err
	}
	return d.Seal(revision, at), nil
}

// numerous are the kinds there are millions of.
var numerous = []fact.FactKind{fact.FactUser, fact.FactMembership, fact.FactAssignment}
