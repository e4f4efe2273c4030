package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"time"

	"ableroster/wire"
)

// verifying measures what a service needs to verify a long ledger: its time, and its memory.
func verifying(revisions int64) func(ctx context.Context, database string) ([]line, error) {
	return func(ctx context.Context, database string) ([]line, error) {
		k, all, stop, err := several(ctx, database, 1_000, 1)
		if err != nil {
			return nil, err
		}
		defer stop()
		const writers = 16
		var wait sync.WaitGroup
		var failed atomic.Value
		for w := range writers {
			wait.Go(func() {
				c := &changer{k: k, users: 1_000, rng: rand.New(rand.NewPCG(9, uint64(w)))}
				for k.ledger.Head().Revision < revisions && failed.Load() == nil {
					if err := c.own(w, writers); err != nil {
						failed.Store(err)
					}
				}
			})
		}
		wait.Wait()
		if err, _ := failed.Load().(error); err != nil {
			return nil, err
		}
		head := k.ledger.Head().Revision
		k.ledger.Close()
		a := all[0]
		before, err := memoryOf(a, "VmRSS")
		if err != nil {
			return nil, err
		}
		began := time.Now()
		var run wire.VerificationRun
		if err := a.call("POST", "/ledger/verification", nil, &run); err != nil {
			return nil, err
		}
		for run.Result == nil {
			time.Sleep(200 * time.Millisecond)
			if err := a.call("GET", "/ledger/verification", nil, &run); err != nil {
				return nil, err
			}
		}
		took := time.Since(began)
		if run.Result.Fault != "" {
			return nil, fmt.Errorf("the ledger does not verify: %s", run.Result.Fault)
		}
		most, err := memoryOf(a, "VmHWM")
		return []line{
			{fmt.Sprintf("verifying %d revisions", head), short(took), "", "", fmt.Sprintf("%.0f a second", float64(head)/took.Seconds())},
			{"memory of the service that verifies, at most", fmt.Sprintf("%d MB", most), fmt.Sprintf("%d MB before", before), fmt.Sprintf("%.1f", float64(most)/float64(before)), "bounded"},
		}, err
	}
}
