package stream

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
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/pace"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// StreamFrom is from how many operations on a change is written down while it is
// still judged: most of an import is its operations, and both take seconds.
const (
	StreamFrom  = 5000
	streamLimit = 2 * time.Minute
	streamChunk = 1000

	rollbackLimit = 30 * time.Second
)

// ErrMoved says that the head is not where a change was judged.
var ErrMoved = errors.New("the head has moved")

// Stream writes the operations of a large change into a transaction that is begun
// before the change is judged, and is rolled back should it be refused.
type Stream struct {
	Ctx     context.Context // ends when it is dropped or taken
	conn    *pgxpool.Conn
	Stop    context.CancelFunc
	Encoded chan struct{}          // closed once all is
	texts   chan []json.RawMessage // what was encoded, in portions, to be read back
	read    chan struct{}          // closed once no more of it is read
	Digest  string                 // of all of it
	Fault   error                  // in encoding

	ReadsBack chan error    // whether what was encoded reads back as what was judged; see readBack
	Done      chan struct{} // closed once all is copied, or will not be
	Err       error         // in copying: the change is then judged and written anew
}

// Begin begins to write the operations of a revision to come; once before is closed, where it is
// given.
func Begin(pool *pgxpool.Pool, revision int64, ops []change.Operation, before <-chan struct{}) *Stream {
	ctx, stop := context.WithTimeout(context.Background(), streamLimit)
	return Encoding(ctx, stop, len(ops)/streamChunk+1, revision, ops, func(s *Stream, chunks <-chan [][]any) error {
		if before != nil { // what is written now comes first
			select {
			case <-before:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		err := s.copy(ctx, pool, revision, chunks)
		if err != nil && s.conn != nil {
			s.letGo() // nobody else is to wait for it
		}
		return err
	})
}

// Encoding encodes operations and has their rows written meanwhile, until stop is called. It
// is so many portions ahead of the database at most.
func Encoding(ctx context.Context, stop context.CancelFunc, ahead int, revision int64, ops []change.Operation, write func(s *Stream, chunks <-chan [][]any) error) *Stream {
	s := &Stream{Ctx: ctx, Stop: stop, Encoded: make(chan struct{}), texts: make(chan []json.RawMessage, 4), read: make(chan struct{}), Done: make(chan struct{}), ReadsBack: make(chan error, 1)}
	chunks := make(chan [][]any, ahead)
	go func() {
		defer close(s.Encoded)
		defer close(s.texts)
		defer close(chunks)
		s.Fault = caught.Do(func() error { return s.encode(revision, ops, chunks) })
	}()
	go func() {
		defer close(s.Done)
		s.Err = caught.Do(func() error { return write(s, chunks) })
	}()
	return s
}

// ReadsBackAs reads back what is encoded, as it is, as what was judged: see readBack.
func (s *Stream) ReadsBackAs(base *access.Snapshot, d *change.Draft, at calendar.Instant, ops []change.Operation, changes []access.RowChange, seals []revisions.Sealed) {
	go func() {
		err := caught.Do(func() error {
			return ReadBack(base, d, at, ops, func(yield func(json.RawMessage) bool) {
				for some := range s.texts {
					for _, raw := range some {
						if s.Ctx.Err() != nil || !yield(raw) { // it was refused meanwhile
							return
						}
					}
				}
			}, changes, seals)
		})
		close(s.read)
		<-s.Encoded
		s.ReadsBack <- cmp.Or(s.Fault, err)
	}()
}

// encode encodes operations, and hands their rows over in portions.
func (s *Stream) encode(revision int64, ops []change.Operation, chunks chan<- [][]any) error {
	var rows [][]any
	var texts []json.RawMessage
	digest := revisions.NewDigester()
	defer func() { s.Digest = digest.Sum() }()
	for i, op := range ops {
		if i%64 == 63 {
			if pace.GiveWay(); s.Ctx.Err() != nil {
				return s.Ctx.Err()
			}
		}
		raw, err := revisions.Stored(op)
		if err != nil {
			return err
		}
		digest.Add(raw)
		texts = append(texts, raw)
		rows = append(rows, OperationRow(revision, i, op, raw))
		if len(rows) == streamChunk || i == len(ops)-1 {
			select {
			case chunks <- rows:
			case <-s.Done: // nobody writes them any more
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

func (s *Stream) copy(ctx context.Context, pool *pgxpool.Pool, revision int64, chunks <-chan [][]any) (err error) {
	if s.conn, err = pool.Acquire(ctx); err != nil {
		return err
	}
	// What histories are found by is put in order once all is written: see analyze.
	if _, err := s.conn.Exec(ctx, "begin; "+database.LongIdle); err != nil {
		return err
	}
	// Other programs wait from here on, not at a row they find there already.
	var head int64
	if err := s.conn.QueryRow(ctx, database.SQLLockHead).Scan(&head, nil, nil, nil); err != nil {
		return err
	}
	if head != revision-1 {
		return ErrMoved
	}
	var rows [][]any
	_, err = s.conn.CopyFrom(ctx, pgx.Identifier{"operation"}, factrows.ColumnsOf["operation"], pgx.CopyFromFunc(func() ([]any, error) {
		for len(rows) == 0 {
			more, ok := <-chunks
			if !ok {
				return nil, s.Fault
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

// OperationRow is an operation as a row of its table.
func OperationRow(revision int64, position int, op change.Operation, raw json.RawMessage) []any {
	return []any{revision, position, op.Verb(), string(raw), change.SubjectsOf(op)}
}

// Ready waits for the copy and says whether all of it is there.
func (s *Stream) Ready() bool {
	<-s.Done
	return s.Err == nil
}

// Take hands the connection of a stream that is ready over, with the transaction in
// it.
func (s *Stream) Take() *pgxpool.Conn {
	conn := s.conn
	s.conn = nil
	s.Stop()
	return conn
}

// Drop gives the stream up: nothing of it stays. It does nothing once the
// connection was taken.
func (s *Stream) Drop() {
	if s == nil {
		return
	}
	s.Stop() // breaks off a copy that is under way
	<-s.Done
	if s.conn != nil {
		s.letGo()
	}
}

// letGo rolls the transaction back and gives the connection back.
func (s *Stream) letGo() {
	ctx, cancel := context.WithTimeout(context.Background(), rollbackLimit)
	defer cancel()
	_ = database.Rollback(ctx, s.conn)
	s.conn.Release()
	s.conn = nil
}
