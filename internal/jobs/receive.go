package jobs

import (
	"context"
	"errors"
	"io"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgtype"
	"github.com/riverqueue/river"
)

// portion is how many bytes of a file are kept at a time.
const portion = 256 << 10

// Receive keeps what a body holds, in portions, as it comes in, and queues it; it fills in
// the upload's number and size. It fails with ErrUnderWay, with ErrTooMany, with ErrCancelled
// or as the body does, and nothing is kept then.
func (j *Jobs) Receive(ctx context.Context, u *Upload, body io.Reader) error {
	if err := j.begin(ctx, u); err != nil {
		return database(err)
	}
	err := j.portions(ctx, u, body)
	if err == nil {
		err = database(j.enqueue(ctx, u))
	}
	if err != nil {
		ended, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		// Where this fails too, Tidy deletes it.
		_, _ = j.pool.Exec(ended, "delete from upload where id = $1 and state in ('receiving', 'cancelled')", u.ID)
	}
	return err
}

// begin notes an upload that comes in; a name that was used and has ended is free.
func (j *Jobs) begin(ctx context.Context, u *Upload) error {
	return pgx.BeginFunc(ctx, j.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "delete from upload where owner = $1 and name = $2 and ended_at is not null", uint32(u.Owner), u.Name); err != nil {
			return err
		}
		err := tx.QueryRow(ctx, `insert into upload (owner, via, name, kind, options, epoch, revision) select $1, $2, $3, $4, $5, $6, $7
			where $8 > (select count(*) from upload where owner = $1 and ended_at is null) returning id, sent_at`,
			uint32(u.Owner), u.Via, u.Name, u.Kind, []byte(u.Options), u.Epoch, u.Revision, mostUnderWay).Scan(&u.ID, &u.Sent)
		var sql *pgconn.PgError
		switch {
		case errors.Is(err, pgx.ErrNoRows):
			return ErrTooMany
		case errors.As(err, &sql) && sql.Code == "23505":
			return ErrUnderWay
		}
		return err
	})
}

func (j *Jobs) portions(ctx context.Context, u *Upload, body io.Reader) error {
	buffer := make([]byte, portion)
	for number := 0; ; number++ {
		n, err := io.ReadFull(body, buffer)
		if n > 0 {
			if _, err := j.pool.Exec(ctx, "insert into upload_portion (upload, number, bytes) values ($1, $2, $3)", u.ID, number, buffer[:n]); err != nil {
				return database(err)
			}
			u.Bytes += int64(n)
		}
		switch err {
		case nil:
		case io.EOF, io.ErrUnexpectedEOF:
			return nil
		default:
			return err
		}
	}
}

// enqueue has an upload worked: both are there, or neither.
func (j *Jobs) enqueue(ctx context.Context, u *Upload) error {
	return pgx.BeginFunc(ctx, j.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "update upload set state = 'waiting', bytes = $2 where id = $1 and state = 'receiving'", u.ID, u.Bytes)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrCancelled
		}
		if err != nil {
			return err
		}
		return j.put(ctx, tx, u)
	})
}

// put puts an upload into the queue for its size.
func (j *Jobs) put(ctx context.Context, tx pgx.Tx, u *Upload) error {
	queue := smallQueue
	if u.Bytes > smallSize {
		queue = largeQueue
	}
	_, err := j.queue.InsertTx(ctx, tx, uploadArgs{u.ID}, &river.InsertOpts{Queue: queue})
	return err
}

// Resume queues again what a service took that is gone: nobody holds the lock on it, and it is
// not queued. One that is taken at this moment is queued twice, and worked once.
func (j *Jobs) Resume(ctx context.Context) error {
	return pgx.BeginFunc(ctx, j.pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `update upload set state = 'waiting' where id in (select id from upload where state in ('waiting', 'working')
			and not exists (select from jobs.river_job j where j.kind = 'upload' and j.args->>'upload' = upload.id::text and j.state in ('available', 'pending', 'retryable', 'scheduled'))
			for update skip locked) and pg_try_advisory_xact_lock(hashtextextended('upload', id)) returning `+uploadColumns)
		if err != nil {
			return err
		}
		left, err := pgx.CollectRows(rows, readUpload)
		for _, u := range left {
			err = errors.Join(err, j.put(ctx, tx, u))
		}
		return err
	})
}

// content is the whole file.
func (j *Jobs) content(ctx context.Context, u *Upload) ([]byte, error) {
	rows, err := j.pool.Query(ctx, "select bytes from upload_portion where upload = $1 order by number", u.ID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := make([]byte, 0, u.Bytes)
	for rows.Next() {
		var bytes pgtype.DriverBytes // which is good until the next row
		if err := rows.Scan(&bytes); err != nil {
			return nil, err
		}
		out = append(out, bytes...)
	}
	return out, rows.Err()
}
