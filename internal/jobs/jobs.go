package jobs

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

// schema is where the queue has its tables.
const schema = "jobs"

// The queues: what is small does not wait behind what is large.
const (
	largeQueue = "uploads"
	smallQueue = "small_uploads"
	smallSize  = 256 << 10 // bytes
)

// takeOver is after what time the queue gives a job to another service that is not finished;
// Resume is sooner, where the first is gone.
const takeOver = 10 * time.Minute

// Work makes the change that an upload is for, or previews it, and says what is to be
// answered. An error is none of the file's: it is tried again.
type Work func(ctx context.Context, u *Upload, content []byte, run *Run) (Answer, error)

// Jobs are those of one database. It may be used by several goroutines, and by several
// programs at once.
type Jobs struct {
	pool    *pgxpool.Pool
	log     *slog.Logger
	queue   *river.Client[pgx.Tx]
	work    Work
	deliver Deliver // nil: no mail is sent here

	mu      sync.Mutex
	runs    map[int64]*Run          // of those that are worked here
	waiting map[int64]chan struct{} // closed when one that is worked here has ended
	stopped chan struct{}           // closed when no more is worked here
}

// Migrate brings the tables of the queue to this program's version.
func Migrate(ctx context.Context, pool *pgxpool.Pool, log *slog.Logger) error {
	m, err := rivermigrate.New(riverpgxv5.New(pool), &rivermigrate.Config{Schema: schema, Logger: quiet(log)})
	if err != nil {
		return err
	}
	// Two programs that start at once: one waits for the other.
	conn, err := pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, "select pg_advisory_lock(hashtextextended('migrating jobs', 0))"); err != nil {
		return err
	}
	_, err = m.Migrate(ctx, rivermigrate.DirectionUp, nil)
	_, unlocked := conn.Exec(ctx, "select pg_advisory_unlock(hashtextextended('migrating jobs', 0))")
	return errors.Join(err, unlocked)
}

// quiet is a log that hears of what somebody has to do something about.
func quiet(log *slog.Logger) *slog.Logger {
	return slog.New(atLeastWarn{log.Handler()})
}

type atLeastWarn struct{ slog.Handler }

func (h atLeastWarn) Enabled(ctx context.Context, l slog.Level) bool {
	return l >= slog.LevelWarn && h.Handler.Enabled(ctx, l)
}
func (h atLeastWarn) WithAttrs(a []slog.Attr) slog.Handler {
	return atLeastWarn{h.Handler.WithAttrs(a)}
}
func (h atLeastWarn) WithGroup(name string) slog.Handler {
	return atLeastWarn{h.Handler.WithGroup(name)}
}

// Open opens the jobs of a database. None is worked before Start.
func Open(pool *pgxpool.Pool, log *slog.Logger) (*Jobs, error) {
	j := &Jobs{pool: pool, log: log, runs: map[int64]*Run{}, waiting: map[int64]chan struct{}{}, stopped: make(chan struct{})}
	workers := river.NewWorkers()
	if err := river.AddWorkerSafely(workers, &worker{jobs: j}); err != nil {
		return nil, err
	}
	if err := river.AddWorkerSafely(workers, &mailWorker{jobs: j}); err != nil {
		return nil, err
	}
	var err error
	j.queue, err = river.NewClient(riverpgxv5.New(pool), &river.Config{
		Schema: schema, Logger: quiet(log), Workers: workers,
		Queues:                      map[string]river.QueueConfig{largeQueue: {MaxWorkers: 2}, smallQueue: {MaxWorkers: 4}},
		FetchCooldown:               5 * time.Millisecond,
		RescueStuckJobsAfter:        takeOver,
		JobTimeout:                  -1,
		CompletedJobRetentionPeriod: time.Hour,
		CancelledJobRetentionPeriod: time.Hour,
		DiscardedJobRetentionPeriod: 24 * time.Hour,
		ReindexerSchedule:           river.NeverSchedule(),
		RetryPolicy:                 soon{},
		MaxAttempts:                 attempts,
	})
	return j, err
}

// Start works jobs from now on. It is called once.
func (j *Jobs) Start(ctx context.Context, work Work) error {
	j.work = work
	return j.queue.Start(context.WithoutCancel(ctx))
}

// Stop takes no more jobs, and waits for those that are worked here: what is not done by an
// instant is left to other services, or to the next start. Whoever waits for one waits no
// longer. It ends with its context.
func (j *Jobs) Stop(ctx context.Context, soft time.Time) {
	defer close(j.stopped)
	patient, cancel := context.WithDeadline(ctx, soft)
	defer cancel()
	if j.queue.Stop(patient) == nil {
		return
	}
	if err := j.queue.StopAndCancel(ctx); err != nil {
		j.log.Warn("imports were cut off", "error", err)
	}
}

// Phases are how many are worked here, by what they are at.
func (j *Jobs) Phases() map[string]int {
	j.mu.Lock()
	defer j.mu.Unlock()
	out := map[string]int{}
	for _, r := range j.runs {
		out[r.told().Stage]++
	}
	return out
}
