package jobs

import (
	"errors"
	"sync"
	"time"
)

// ErrCancelled says that an upload was cancelled by its owner.
var ErrCancelled = errors.New("it was cancelled")

// Run is one upload that is worked here. It may be used by several goroutines.
type Run struct {
	last bool

	mu        sync.Mutex
	progress  Progress
	began     time.Time // with what it is at
	final     bool      // it can be cancelled no more
	cancelled bool
}

// Last says that it is tried for the last time.
func (r *Run) Last() bool { return r.last }

// Stage says what the work is at, and how far; final that it can be cancelled no more from
// now on. It fails with ErrCancelled, where it was.
func (r *Run) Stage(what string, done, of int, final bool) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if what != r.progress.Stage {
		r.began = time.Now()
	}
	r.progress = Progress{Stage: what, Done: done, Of: of}
	if 0 < done && done < of {
		left := time.Since(r.began) * time.Duration(of-done) / time.Duration(done)
		r.progress.SecondsLeft = int(left/time.Second) + 1
	}
	if r.cancelled {
		return ErrCancelled
	}
	r.final = r.final || final
	return nil
}

func (r *Run) told() Progress {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.progress
}

func (r *Run) cancel() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.cancelled = r.cancelled || !r.final
}

func (r *Run) wasCancelled() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.cancelled
}
