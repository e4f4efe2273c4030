package ledger

import (
	"context"
	"sync"
	"time"

	"ableroster/internal/caught"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/verify"

	"github.com/jackc/pgx/v5"
)

// VerifyRun is a verification of the whole ledger, under way or ended: it takes as long as
// the ledger is long.
type VerifyRun struct {
	Running bool
	Done    int64 // revisions that were verified
	Of      int64 // revisions there are
	Began   time.Time
	Ended   time.Time
	Result  verify.Verification
	Err     error // that kept it from coming to a result
}

// verifyRuns are those of a program: one at a time.
type verifyRuns struct {
	mu   sync.Mutex
	last *VerifyRun
}

// StartVerifying begins to verify the ledger, unless that is under way already, and says
// how far it is.
func (l *Ledger) StartVerifying() VerifyRun {
	x := &l.verifying
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.last != nil && x.last.Running {
		return *x.last
	}
	x.last = &VerifyRun{Running: true, Of: l.Head().Revision, Began: l.Now()}
	ctx, cancel := context.WithCancel(l.run)
	l.done.Add(1)
	go func() {
		defer l.done.Done()
		defer cancel()
		var v verify.Verification
		err := caught.Do(func() (err error) {
			v, err = l.Verify(ctx, func(done, of int64) {
				x.mu.Lock()
				defer x.mu.Unlock()
				x.last.Done, x.last.Of = done, of
			})
			return err
		})
		x.mu.Lock()
		defer x.mu.Unlock()
		x.last.Running, x.last.Ended, x.last.Result, x.last.Err, x.last.Done = false, l.Now(), v, err, v.Revisions
	}()
	return *x.last
}

// LastVerified is the verification that was begun last; ok is false when none was since
// the program started.
func (l *Ledger) LastVerified() (run VerifyRun, ok bool) {
	x := &l.verifying
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.last == nil {
		return run, false
	}
	return *x.last, true
}

// Verify reads the stored bytes of every revision, recomputes the chain, and
// replays the operations against the rows. It stops at the first revision that
// does not fit. It reads the ledger in portions, and so needs no more memory than a
// snapshot and one of them. told hears, now and then, of how many revisions are verified;
// nil hears nothing.
func (l *Ledger) Verify(ctx context.Context, told func(done, of int64)) (verify.Verification, error) {
	var v verify.Verification
	err := database.Read(ctx, l.pool, func(tx pgx.Tx) (err error) {
		v, err = verify.All(ctx, tx, told)
		return err
	})
	return v, err
}
