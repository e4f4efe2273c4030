package jobs

import (
	"context"
	"errors"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"
)

// attempts is how often an upload is tried where the fault is none of the file's.
const attempts = 10

// looks is how often a service tells how far it is, and looks whether it is to stop.
const looks = 250 * time.Millisecond

type uploadArgs struct {
	Upload int64 `json:"upload"`
}

func (uploadArgs) Kind() string { return "upload" }

// soon tries again after two seconds.
type soon struct{}

func (soon) NextRetry(*rivertype.JobRow) time.Time { return time.Now().Add(2 * time.Second) }

type worker struct {
	river.WorkerDefaults[uploadArgs]
	jobs *Jobs
}

// Work implements river.Worker.
func (w *worker) Work(ctx context.Context, job *river.Job[uploadArgs]) error {
	return w.jobs.alone(ctx, "upload", job.Args.Upload, func(ctx context.Context) error {
		u, err := w.jobs.upload(ctx, job.Args.Upload)
		switch {
		case errors.Is(err, ErrUnknown): // it was deleted
			return nil
		case err != nil:
			return err
		case u.State.Ended():
			return nil
		}
		return w.jobs.run(ctx, u, job.Attempt >= job.MaxAttempts)
	})
}

// alone does something with one of a kind. Whoever does holds a lock of the database on it: a
// job that is given to another service while the first still works waits there.
func (j *Jobs) alone(ctx context.Context, kind string, id int64, do func(context.Context) error) error {
	conn, err := j.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	var mine bool
	if err := conn.QueryRow(ctx, "select pg_try_advisory_lock(hashtextextended($1, $2))", kind, id).Scan(&mine); err != nil {
		return err
	}
	if !mine {
		return river.JobSnooze(5 * time.Second)
	}
	defer func() {
		end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
		defer cancel()
		if _, err := conn.Exec(end, "select pg_advisory_unlock(hashtextextended($1, $2))", kind, id); err != nil {
			_ = conn.Conn().Close(end) // which ends the lock
		}
	}()
	return do(ctx)
}

// run works an upload, and keeps what came of it; last says that it is not tried again.
func (j *Jobs) run(ctx context.Context, u *Upload, last bool) error {
	r := &Run{last: last}
	j.mu.Lock()
	j.runs[u.ID] = r
	j.mu.Unlock()
	defer func() {
		j.mu.Lock()
		defer j.mu.Unlock()
		delete(j.runs, u.ID)
		if done := j.waiting[u.ID]; done != nil {
			close(done)
			delete(j.waiting, u.ID)
		}
	}()
	if tag, err := j.pool.Exec(ctx, "update upload set state = 'working' where id = $1 and ended_at is null and not cancelled", u.ID); err != nil {
		return err
	} else if tag.RowsAffected() == 0 {
		return j.settle(ctx, u, Cancelled, nil)
	}
	content, err := j.content(ctx, u)
	if err != nil {
		return err
	}
	telling, stop := context.WithCancel(ctx)
	told := make(chan struct{})
	go func() { defer close(told); j.tell(telling, u.ID, r) }()
	answer, err := j.work(ctx, u, content, r)
	stop()
	<-told
	switch {
	case err != nil:
		return err
	case answer.Problem == nil:
		return j.settle(ctx, u, Done, &answer)
	case r.wasCancelled():
		return j.settle(ctx, u, Cancelled, &answer)
	}
	return j.settle(ctx, u, Refused, &answer)
}

// settle keeps what came of an upload, and lets go of the file.
func (j *Jobs) settle(ctx context.Context, u *Upload, state State, answer *Answer) error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second) // it is decided, though the service may be stopping
	defer cancel()
	return pgx.BeginFunc(ctx, j.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "update upload set state = $2, answer = $3, ended_at = clock_timestamp() where id = $1 and ended_at is null", u.ID, string(state), answer)
		if err == nil && tag.RowsAffected() > 0 {
			_, err = tx.Exec(ctx, "delete from upload_portion where upload = $1", u.ID)
		}
		return err
	})
}

// tell tells other services how far a run is, and hears from them that it is to stop.
func (j *Jobs) tell(ctx context.Context, id int64, r *Run) {
	tick := time.NewTicker(looks)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		p := r.told()
		var cancelled bool
		err := j.pool.QueryRow(ctx, "update upload set stage = $2, done = $3, of_all = $4, seconds = $5 where id = $1 returning cancelled", id, p.Stage, p.Done, p.Of, p.SecondsLeft).Scan(&cancelled)
		if err == nil && cancelled {
			r.cancel()
		}
	}
}

// Wait waits for an upload to end, as long as its context lasts and no longer than a time,
// and returns it as it is then. It waits no longer once no more is worked here.
func (j *Jobs) Wait(ctx context.Context, id int64, most time.Duration) (*Upload, error) {
	limit := time.NewTimer(most)
	defer limit.Stop()
	for pause := 2 * time.Millisecond; ; pause = min(2*pause, looks) {
		here := j.here(id)
		u, err := j.upload(ctx, id)
		if err != nil || u.State.Ended() {
			return u, err
		}
		again := time.NewTimer(pause)
		select {
		case <-here: // nil, and silent, where another service works it
		case <-again.C:
		case <-limit.C:
			return u, nil
		case <-j.stopped:
			return u, nil
		case <-ctx.Done():
			return u, ctx.Err()
		}
		again.Stop()
	}
}

// here is closed once an upload that is worked here has ended.
func (j *Jobs) here(id int64) <-chan struct{} {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.runs[id] == nil {
		return nil
	}
	if j.waiting[id] == nil {
		j.waiting[id] = make(chan struct{})
	}
	return j.waiting[id]
}

// Cancel has an upload of an owner's cancelled, unless it is being published already, and
// waits up to a time for what became of it. It fails with ErrUnknown, also for one that
// has ended.
func (j *Jobs) Cancel(ctx context.Context, owner fact.UserID, name string, most time.Duration) (*Upload, error) {
	var id int64
	var state string
	err := j.pool.QueryRow(ctx, "update upload set cancelled = true where owner = $1 and name = $2 and ended_at is null returning id, state", uint32(owner), name).Scan(&id, &state)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, ErrUnknown
	}
	if err != nil {
		return nil, database(err)
	}
	j.mu.Lock()
	r := j.runs[id]
	j.mu.Unlock()
	if r != nil {
		r.cancel()
	} else if state != string(Working) {
		_, err := j.pool.Exec(ctx, `with gone as (update upload set state = 'cancelled', ended_at = clock_timestamp() where id = $1 and state in ('receiving', 'waiting') returning id)
			delete from upload_portion p using gone where p.upload = gone.id`, id)
		if err != nil {
			return nil, database(err)
		}
	}
	return j.Wait(ctx, id, most)
}
