package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// State is how far an upload is.
type State string

// The states.
const (
	Receiving State = "receiving"
	Waiting   State = "waiting"
	Working   State = "working"
	Done      State = "done"
	Refused   State = "refused"
	Cancelled State = "cancelled"
)

// Ended says whether nothing more becomes of it.
func (s State) Ended() bool { return s == Done || s == Refused || s == Cancelled }

// Upload is a file that was sent to change something by.
type Upload struct {
	ID       int64
	Owner    fact.UserID
	Via      string          // through what it was sent: console, api …
	Name     string          // by which its owner asks for it
	Kind     string          // what it holds: users, groups …
	Options  json.RawMessage // how it is to be read
	Bytes    int64
	Epoch    int   // of the ledger when it was sent
	Revision int64 // its owner had seen
	State    State
	Progress Progress
	Answer   *Answer // once it has ended; nil where it was erased since
	Sent     time.Time
	Ended    *time.Time
}

// Progress is how far one is that is worked.
type Progress struct {
	Stage       string
	Done, Of    int // operations; of all 0 where that is not known yet
	SecondsLeft int // about; 0 where that is not known
}

// Answer is what whoever sent it is told: either what it did, or why it was refused.
type Answer struct {
	Result   json.RawMessage `json:"result,omitempty"`
	Problem  json.RawMessage `json:"problem,omitempty"`
	About    []string        `json:"about,omitempty"`    // the ids of whom a refusal speaks
	Revision int64           `json:"revision,omitempty"` // it was made in, or seen at
}

// What is refused.
var (
	ErrUnknown  = errors.New("no upload of that name")
	ErrUnderWay = errors.New("an upload of that name is under way")
	ErrTooMany  = errors.New("as many uploads as one may have are under way")
)

// DatabaseError is what went wrong with the database, and with nothing else: what was asked
// may be asked again.
type DatabaseError struct{ Err error }

func (e *DatabaseError) Error() string { return e.Err.Error() }

// Unwrap is what the database said.
func (e *DatabaseError) Unwrap() error { return e.Err }

// database marks an error as one of the database, but for our own and the end of a context.
func database(err error) error {
	var marked *DatabaseError
	switch {
	case err == nil, errors.As(err, &marked), errors.Is(err, ErrUnknown), errors.Is(err, ErrUnderWay), errors.Is(err, ErrTooMany), errors.Is(err, ErrCancelled),
		errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return err
	}
	return &DatabaseError{err}
}

// mostUnderWay bounds how many uploads of one owner are under way.
const mostUnderWay = 5

const uploadColumns = "id, owner, via, name, kind, options, bytes, epoch, revision, state, stage, done, of_all, seconds, answer, sent_at, ended_at"

func readUpload(r pgx.CollectableRow) (u *Upload, err error) {
	u = &Upload{}
	return u, r.Scan(&u.ID, (*uint32)(&u.Owner), &u.Via, &u.Name, &u.Kind, &u.Options, &u.Bytes, &u.Epoch, &u.Revision, (*string)(&u.State),
		&u.Progress.Stage, &u.Progress.Done, &u.Progress.Of, &u.Progress.SecondsLeft, &u.Answer, &u.Sent, &u.Ended)
}

func (j *Jobs) uploads(ctx context.Context, where string, args ...any) ([]*Upload, error) {
	rows, err := j.pool.Query(ctx, "select "+uploadColumns+" from upload where "+where+" order by id desc", args...)
	if err != nil {
		return nil, database(err)
	}
	all, err := pgx.CollectRows(rows, readUpload)
	for _, u := range all {
		j.fresher(u)
	}
	return all, database(err)
}

// fresher puts in how far one is that is worked here.
func (j *Jobs) fresher(u *Upload) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if r := j.runs[u.ID]; r != nil && !u.State.Ended() {
		u.Progress = r.told()
	}
}

// Of are the uploads of an owner that are under way, or ended in the last day, the latest
// first.
func (j *Jobs) Of(ctx context.Context, owner fact.UserID) ([]*Upload, error) {
	return j.uploads(ctx, "owner = $1", uint32(owner))
}

// RefusedOf are the uploads of some owners that were refused in the last day, but for previews: the
// latest first.
func (j *Jobs) RefusedOf(ctx context.Context, owners []fact.UserID) ([]*Upload, error) {
	ids := make([]int32, len(owners))
	for i, id := range owners {
		ids[i] = int32(id)
	}
	return j.uploads(ctx, "owner = any($1) and state = 'refused' and not coalesce((options->>'dry_run')::boolean, false)", ids)
}

// Named is one of an owner's. It fails with ErrUnknown.
func (j *Jobs) Named(ctx context.Context, owner fact.UserID, name string) (*Upload, error) {
	return one(j.uploads(ctx, "owner = $1 and name = $2", uint32(owner), name))
}

func (j *Jobs) upload(ctx context.Context, id int64) (*Upload, error) {
	return one(j.uploads(ctx, "id = $1", id))
}

func one(all []*Upload, err error) (*Upload, error) {
	if err == nil && len(all) == 0 {
		err = ErrUnknown
	}
	if err != nil {
		return nil, err
	}
	return all[0], nil
}

// How long an upload is kept that has ended, one that broke off as it came in, and a mail.
const (
	keptFor  = 24 * time.Hour
	mailKept = 90 * 24 * time.Hour
	brokenIn = time.Hour
)

// Tidy deletes uploads that ended a day ago, what broke off, and mails of long ago.
func (j *Jobs) Tidy(ctx context.Context) error {
	_, err := j.pool.Exec(ctx, "delete from upload where ended_at < clock_timestamp() - $1::interval or state = 'receiving' and sent_at < clock_timestamp() - $2::interval", keptFor, brokenIn)
	if err == nil {
		_, err = j.pool.Exec(ctx, "delete from mail where ended_at < clock_timestamp() - $1::interval", mailKept)
	}
	return err
}
