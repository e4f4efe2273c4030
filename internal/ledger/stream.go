package ledger

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"io"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/change"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/past"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/pace"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// streamFrom is from how many operations on a change is written down while it is
// still judged: most of an import is its operations, and both take seconds.
const (
	streamFrom  = 5000
	streamLimit = 2 * time.Minute
	streamChunk = 1000
)

// errMoved says that the head is not where a change was judged.
var errMoved = errors.New("the head has moved")

// stream writes the operations of a large change into a transaction that is begun
// before the change is judged, and is rolled back should it be refused.
type stream struct {
	ctx     context.Context // ends when it is dropped or taken
	conn    *pgxpool.Conn
	stop    context.CancelFunc
	encoded chan struct{}          // closed once all is
	texts   chan []json.RawMessage // what was encoded, in portions, to be read back
	read    chan struct{}          // closed once no more of it is read
	digest  string                 // of all of it
	fault   error                  // in encoding

	readsBack chan error    // whether what was encoded reads back as what was judged; see readBack
	done      chan struct{} // closed once all is copied, or will not be
	err       error         // in copying: the change is then judged and written anew
}

func (l *Ledger) stream(revision int64, ops []change.Operation, before <-chan struct{}) *stream {
	ctx, stop := context.WithTimeout(context.Background(), streamLimit)
	return encoding(ctx, stop, len(ops)/streamChunk+1, revision, ops, func(s *stream, chunks <-chan [][]any) error {
		if before != nil { // what is written now comes first
			select {
			case <-before:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		err := s.copy(ctx, l.pool, revision, chunks)
		if err != nil && s.conn != nil {
			s.letGo() // nobody else is to wait for it
		}
		return err
	})
}

// encoding encodes operations and has their rows written meanwhile, until stop is called. It
// is so many portions ahead of the database at most.
func encoding(ctx context.Context, stop context.CancelFunc, ahead int, revision int64, ops []change.Operation, write func(s *stream, chunks <-chan [][]any) error) *stream {
	s := &stream{ctx: ctx, stop: stop, encoded: make(chan struct{}), texts: make(chan []json.RawMessage, 4), read: make(chan struct{}), done: make(chan struct{}), readsBack: make(chan error, 1)}
	chunks := make(chan [][]any, ahead)
	go func() {
		defer close(s.encoded)
		defer close(s.texts)
		defer close(chunks)
		s.fault = caught.Do(func() error { return s.encode(revision, ops, chunks) })
	}()
	go func() {
		defer close(s.done)
		s.err = caught.Do(func() error { return write(s, chunks) })
	}()
	return s
}

// readsBackAs reads back what is encoded, as it is, as what was judged: see readBack.
func (s *stream) readsBackAs(base *access.Snapshot, d *change.Draft, at calendar.Instant, ops []change.Operation, changes []access.RowChange, seals []revisions.Sealed) {
	go func() {
		err := caught.Do(func() error {
			return readBack(base, d, at, ops, func(yield func(json.RawMessage) bool) {
				for some := range s.texts {
					for _, raw := range some {
						if s.ctx.Err() != nil || !yield(raw) { // it was refused meanwhile
							return
						}
					}
				}
			}, changes, seals)
		})
		close(s.read)
		<-s.encoded
		s.readsBack <- cmp.Or(s.fault, err)
	}()
}

// encode encodes operations, and hands their rows over in portions.
func (s *stream) encode(revision int64, ops []change.Operation, chunks chan<- [][]any) error {
	var rows [][]any
	var texts []json.RawMessage
	digest := revisions.NewDigester()
	defer func() { s.digest = digest.Sum() }()
	for i, op := range ops {
		if i%64 == 63 {
			if pace.GiveWay(); s.ctx.Err() != nil {
				return s.ctx.Err()
			}
		}
		raw, err := revisions.Stored(op)
		if err != nil {
			return err
		}
		digest.Add(raw)
		texts = append(texts, raw)
		rows = append(rows, operationRow(revision, i, op, raw))
		if len(rows) == streamChunk || i == len(ops)-1 {
			select {
			case chunks <- rows:
			case <-s.done: // nobody writes them any more
			}
			select {
			case s.texts <- texts:
			case <-s.read:
			}
			rows, texts = nil, nil
		}
	}
	return nil
}

func (s *stream) copy(ctx context.Context, pool *pgxpool.Pool, revision int64, chunks <-chan [][]any) (err error) {
	if s.conn, err = pool.Acquire(ctx); err != nil {
		return err
	}
	// What histories are found by is put in order once all is written: see analyze.
	if _, err := s.conn.Exec(ctx, "begin; "+database.LongIdle); err != nil {
		return err
	}
	// Other programs wait from here on, not at a row they find there already.
	var w writer
	if err := s.conn.QueryRow(ctx, past.SQLLockHead).Scan(&w.revision, &w.hash, &w.at, &w.now); err != nil {
		return err
	}
	if w.revision != revision-1 {
		return errMoved
	}
	var rows [][]any
	_, err = s.conn.CopyFrom(ctx, pgx.Identifier{"operation"}, factrows.ColumnsOf["operation"], pgx.CopyFromFunc(func() ([]any, error) {
		for len(rows) == 0 {
			more, ok := <-chunks
			if !ok {
				return nil, s.fault
			}
			rows = more
		}
		row := rows[0]
		rows = rows[1:]
		return row, ctx.Err()
	}))
	if err == io.EOF {
		err = nil
	}
	return err
}

// operationRow is an operation as a row of its table.
func operationRow(revision int64, position int, op change.Operation, raw json.RawMessage) []any {
	return []any{revision, position, op.Verb(), string(raw), change.SubjectsOf(op)}
}

// ready waits for the copy and says whether all of it is there.
func (s *stream) ready() bool {
	<-s.done
	return s.err == nil
}

// take hands the connection of a stream that is ready over, with the transaction in
// it.
func (s *stream) take() *pgxpool.Conn {
	conn := s.conn
	s.conn = nil
	s.stop()
	return conn
}

// drop gives the stream up: nothing of it stays. It does nothing once the
// connection was taken.
func (s *stream) drop() {
	if s == nil {
		return
	}
	s.stop() // breaks off a copy that is under way
	<-s.done
	if s.conn != nil {
		s.letGo()
	}
}

// letGo rolls the transaction back and gives the connection back.
func (s *stream) letGo() {
	ctx, cancel := context.WithTimeout(context.Background(), commitLimit)
	defer cancel()
	_ = rollback(ctx, s.conn)
	s.conn.Release()
	s.conn = nil
}
