package jobs

import (
	"context"
	"errors"
	"fmt"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
)

// Mail is a mail that is to be sent, or was: to whom and about what, never what it says.
type Mail struct {
	ID       int64
	User     fact.UserID // whom it is to; 0 with SignUp
	SignUp   int64       // who asked to sign up, see signin.SignUp; 0: it is to a user
	Kind     string
	By       fact.UserID // who did what it tells of; 0: nobody
	Revision int64       // that it tells of; 0: none
	State    string      // waiting, sent, failed or dropped
	Tries    int         // how often it was tried
	Said     string      // what went wrong, or why it was not sent
	Made     time.Time
	Ended    *time.Time

	After time.Duration // how long it waits to be sent
}

// The states of a mail.
const (
	MailWaiting = "waiting"
	MailSent    = "sent"
	MailFailed  = "failed"
	MailDropped = "dropped" // there was nothing to send any more
)

// Deliver sends a mail. It fails with a NotSentError where trying again would not help; any
// other error is tried again.
type Deliver func(ctx context.Context, m *Mail) error

// NotSentError is why a mail is not sent, and is not tried again.
type NotSentError struct {
	Why     string
	Dropped bool // by no fault: there is nothing to send any more
}

// Error implements error.
func (e *NotSentError) Error() string { return e.Why }

const mailQueue = "mail"

// mailLasts is how long sending a mail is tried.
const mailLasts = 48 * time.Hour

type mailArgs struct {
	Mail int64 `json:"mail"`
}

// Kind implements river.JobArgs.
func (mailArgs) Kind() string { return "mail" }

// QueueMails adds mails in a transaction: they are sent once it is committed, by whichever
// service has a mail server.
func (j *Jobs) QueueMails(ctx context.Context, tx pgx.Tx, mails []Mail) error {
	by := map[time.Duration][]int64{}
	for _, m := range mails {
		// One that gathers news and waits still will tell these, too.
		err := tx.QueryRow(ctx, `insert into mail (user_id, kind, caused_by, revision, sign_up) select $1, $2, $3, $4, $5
			where $2 <> 'digest' or not exists (select from mail where user_id = $1 and kind = 'digest' and state = 'waiting' and tries = 0) returning id`,
			int64(m.User), m.Kind, int64(m.By), m.Revision, m.SignUp).Scan(&m.ID)
		if errors.Is(err, pgx.ErrNoRows) {
			continue
		}
		if err != nil {
			return err
		}
		by[m.After] = append(by[m.After], m.ID)
	}
	for after, ids := range by {
		if err := j.queueSending(ctx, tx, ids, after); err != nil {
			return err
		}
	}
	return nil
}

// LastMailed is when somebody was last sent a mail of a kind; a day ago where they never were.
func (j *Jobs) LastMailed(ctx context.Context, user fact.UserID, kind string) (at time.Time, err error) {
	err = j.pool.QueryRow(ctx, "select coalesce(max(ended_at), clock_timestamp() - interval '1 day') from mail where user_id = $1 and kind = $2 and state = 'sent'", int64(user), kind).Scan(&at)
	return at, err
}

// RemindMails adds the mails of a day, once, however many services do so.
func (j *Jobs) RemindMails(ctx context.Context, day string, mails func() []Mail) error {
	return pgx.BeginFunc(ctx, j.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "update mail_reach set reminded = $1::date where reminded is null or reminded < $1::date", day)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		return j.QueueMails(ctx, tx, mails())
	})
}

// queueSending queues that mails are sent.
func (j *Jobs) queueSending(ctx context.Context, tx pgx.Tx, ids []int64, after time.Duration) error {
	var jobs []river.InsertManyParams
	opts := &river.InsertOpts{Queue: mailQueue, MaxAttempts: 10_000}
	if after > 0 {
		opts.ScheduledAt = time.Now().Add(after)
	}
	for _, id := range ids {
		jobs = append(jobs, river.InsertManyParams{Args: mailArgs{id}, InsertOpts: opts})
	}
	if len(jobs) == 0 {
		return nil
	}
	_, err := j.queue.InsertManyFastTx(ctx, tx, jobs)
	return err
}

// QueueMail adds one mail.
func (j *Jobs) QueueMail(ctx context.Context, m Mail) error {
	return pgx.BeginFunc(ctx, j.pool, func(tx pgx.Tx) error { return j.QueueMails(ctx, tx, []Mail{m}) })
}

// FollowMails adds the mails that follow from revisions after those that were looked at, up
// to head, once, however many services do so. The first time it begins at head.
func (j *Jobs) FollowMails(ctx context.Context, head int64, follow func(ctx context.Context, after int64) ([]Mail, error)) error {
	return pgx.BeginFunc(ctx, j.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "insert into mail_reach (revision) values ($1) on conflict do nothing", head); err != nil {
			return err
		}
		var after int64
		err := tx.QueryRow(ctx, "select revision from mail_reach where revision < $1 for update skip locked", head).Scan(&after)
		if errors.Is(err, pgx.ErrNoRows) { // there is nothing new, or another service looks
			return nil
		}
		if err != nil {
			return err
		}
		mails, err := follow(ctx, after)
		if err != nil {
			return err
		}
		if err := j.QueueMails(ctx, tx, mails); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, "update mail_reach set revision = $1", head)
		return err
	})
}

const mailColumns = "id, user_id, kind, caused_by, revision, state, tries, said, made_at, ended_at, sign_up"

func mailOf(r pgx.CollectableRow) (m Mail, err error) {
	return m, r.Scan(&m.ID, (*uint32)(&m.User), &m.Kind, (*uint32)(&m.By), &m.Revision, &m.State, &m.Tries, &m.Said, &m.Made, &m.Ended, &m.SignUp)
}

// Mails are the last ones, the newest first, of one user or of all (0), and of a kind or of
// any (blank).
func (j *Jobs) Mails(ctx context.Context, user fact.UserID, kind string, limit int) ([]Mail, error) {
	rows, err := j.pool.Query(ctx, "select "+mailColumns+" from mail where ($1 = 0 or user_id = $1) and ($2 = '' or kind = $2) order by id desc limit $3", int64(user), kind, limit)
	if err != nil {
		return nil, database(err)
	}
	return pgx.CollectRows(rows, mailOf)
}

// LastMails is the last mail of a kind to each who was sent one, or is to be.
func (j *Jobs) LastMails(ctx context.Context, kind string) (map[fact.UserID]Mail, error) {
	rows, err := j.pool.Query(ctx, "select distinct on (user_id) "+mailColumns+" from mail where kind = $1 order by user_id, id desc", kind)
	if err != nil {
		return nil, database(err)
	}
	all, err := pgx.CollectRows(rows, mailOf)
	out := make(map[fact.UserID]Mail, len(all))
	for _, m := range all {
		out[m.User] = m
	}
	return out, err
}

// StartMail sends mails from now on. It is called once, before Start.
func (j *Jobs) StartMail(deliver Deliver) error {
	j.deliver = deliver
	return j.queue.Queues().Add(mailQueue, river.QueueConfig{MaxWorkers: 4})
}

// ResumeMails queues again the mails that a service took that is gone: nobody holds the lock on
// one, and it is not queued. One that is taken at this moment is queued twice, and sent once.
func (j *Jobs) ResumeMails(ctx context.Context) error {
	return pgx.BeginFunc(ctx, j.pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `select id from (select id from mail where state = 'waiting' and id not in
			(select (args->>'mail')::bigint from jobs.river_job where kind = 'mail' and state in ('available', 'pending', 'retryable', 'scheduled')) for update skip locked) m
			where pg_try_advisory_xact_lock(hashtextextended('mail', id))`)
		if err != nil {
			return err
		}
		left, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			return err
		}
		return j.queueSending(ctx, tx, left, 0)
	})
}

type mailWorker struct {
	river.WorkerDefaults[mailArgs]
	jobs *Jobs
}

// NextRetry waits longer each time, up to five minutes.
func (w *mailWorker) NextRetry(job *river.Job[mailArgs]) time.Time {
	return time.Now().Add(min(time.Second<<min(job.Attempt, 10), 5*time.Minute))
}

// Work implements river.Worker.
func (w *mailWorker) Work(ctx context.Context, job *river.Job[mailArgs]) error {
	return w.jobs.alone(ctx, "mail", job.Args.Mail, func(ctx context.Context) error { return w.jobs.send(ctx, job.Args.Mail) })
}

// send sends a mail that waits. That it is tried is kept before: one that was tried and has no
// end may have arrived, and has the same message id when it is tried again.
func (j *Jobs) send(ctx context.Context, id int64) error {
	var m Mail
	var before string
	err := j.pool.QueryRow(ctx, `update mail set tries = tries + 1, said = '' from (select said as before from mail where id = $1) b
		where id = $1 and state = 'waiting' returning user_id, kind, caused_by, revision, sign_up, tries, made_at, before`, id).
		Scan((*uint32)(&m.User), &m.Kind, (*uint32)(&m.By), &m.Revision, &m.SignUp, &m.Tries, &m.Made, &before)
	m.ID = id
	if errors.Is(err, pgx.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	if m.Tries > 1 && before == "" {
		j.log.Warn("a mail is tried again that may have been sent: a service ended meanwhile", "mail", m.ID, "tries", m.Tries)
	}
	err = j.deliver(ctx, &m)
	ended, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second) // it is sent, though the service may be stopping
	defer cancel()
	state, said := MailSent, ""
	var not *NotSentError
	switch {
	case errors.As(err, &not) && not.Dropped:
		state, said = MailDropped, not.Why
	case errors.As(err, &not), err != nil && time.Since(m.Made) > mailLasts:
		state, said = MailFailed, err.Error()
		j.log.Warn("a mail was not sent, and is not tried again", "mail", m.ID, "kind", m.Kind, "error", err)
	case err != nil:
		if _, failed := j.pool.Exec(ended, "update mail set said = $2 where id = $1", id, err.Error()); failed != nil {
			return failed
		}
		return fmt.Errorf("mail %d: %w", id, err)
	}
	_, err = j.pool.Exec(ended, "update mail set state = $2, said = $3, ended_at = clock_timestamp() where id = $1", id, state, said)
	return err
}
