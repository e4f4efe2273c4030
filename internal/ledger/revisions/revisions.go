package revisions

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/factrows"

	"github.com/jackc/pgx/v5"
)

// Revision is a committed change as the ledger keeps it.
type Revision struct {
	Revision   int64
	At         calendar.Instant // what as-of goes by
	Recorded   calendar.Instant
	Claimed    bool // At was claimed by history loaded into an empty ledger
	Author     fact.UserID
	Via        string
	Reason     string
	Reference  string // where the work was asked for
	Operations []change.Operation
	More       bool // there are operations after these
	Hash       string

	Format, epoch                      int
	Staged                             int64           // under which number its operations were written before, 0 for its own
	TakenIDs                           access.IDs      // that its operations took; of the first format none are recorded
	Mended                             map[int]Mending // what is read in the place of some of its operations
	ReasonDigest, Canonical, HashBytes []byte
	raw                                []json.RawMessage
	personal                           map[string]fact.Personal
}

// Read reads the revisions after one, oldest first: with their operations, but for
// those of a large change that is known here already (0 for none).
func Read(ctx context.Context, q factrows.Querier, after int64, limit int, known int64) ([]Revision, error) {
	return collectWith(ctx, q, sqlRevisionsAfter, []any{after, limit}, known, sqlOperations, func(places []int64) []any { return []any{places} })
}

const sqlOperations = `select revision, position, body from operation
	where revision = any($1) order by revision, position`

// Place is under which number the operations of a revision were written.
func (r *Revision) Place() int64 {
	if r.Staged != 0 {
		return -r.Staged
	}
	return r.Revision
}

// collectWith reads revisions by one query, and their operations by another, which goes by
// their places: but for those of the large change that is known.
func collectWith(ctx context.Context, q factrows.Querier, sql string, args []any, known int64, operations string, of func(places []int64) []any) ([]Revision, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	var out []Revision
	index := map[int64]int{}
	for rows.Next() {
		var r Revision
		var at, recorded time.Time
		var mended bool
		if err := rows.Scan(&r.Revision, &at, &recorded, &r.Claimed, (*uint32)(&r.Author), &r.Via, &r.Reference, &r.ReasonDigest, &r.Canonical, &r.HashBytes, &r.Format, &r.epoch, &r.TakenIDs, &r.Staged, &mended); err != nil {
			if errors.As(err, new(pgx.ScanArgError)) {
				return nil, &Unfit{r.Revision, fmt.Errorf("its columns cannot be read: %w", err)}
			}
			return nil, err
		}
		r.At, r.Recorded, r.Hash = calendar.At(at), calendar.At(recorded), hex.EncodeToString(r.HashBytes)
		r.personal = map[string]fact.Personal{}
		if mended {
			r.Mended = map[int]Mending{}
		}
		index[r.Place()] = len(out)
		out = append(out, r)
	}
	if err := rows.Err(); err != nil || len(out) == 0 {
		return out, err
	}
	places := make([]int64, 0, len(out))
	reasons := make([][]byte, 0, len(out))
	for _, r := range out {
		if r.Staged == 0 || r.Staged != known {
			places = append(places, r.Place())
		}
		reasons = append(reasons, r.ReasonDigest)
	}
	if err := readReasons(ctx, q, out, reasons); err != nil {
		return nil, err
	}
	if err := readMendings(ctx, q, out); err != nil {
		return nil, err
	}
	return out, readOperations(ctx, q, out, index, operations, of(places))
}

func readReasons(ctx context.Context, q factrows.Querier, out []Revision, digests [][]byte) error {
	rows, err := q.Query(ctx, `select digest, coalesce(text, 'erased') from reason where digest = any($1)`, digests)
	if err != nil {
		return err
	}
	texts := map[string]string{}
	for rows.Next() {
		var d []byte
		var text string
		if err := rows.Scan(&d, &text); err != nil {
			return err
		}
		texts[string(d)] = text
	}
	for i := range out {
		out[i].Reason = texts[string(out[i].ReasonDigest)]
	}
	return rows.Err()
}

func readOperations(ctx context.Context, q factrows.Querier, out []Revision, index map[int64]int, sql string, args []any) error {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	type personal struct {
		op     change.PersonalOperation
		of     *Revision
		digest string
	}
	var all []personal
	var digests [][]byte
	for rows.Next() {
		var n int64
		var position int
		var body string
		if err := rows.Scan(&n, &position, &body); err != nil {
			return err
		}
		r := &out[index[n]]
		kept := body
		var now json.RawMessage
		var err error
		if m, ok := r.Mended[position]; ok {
			body = m.Replacement
			now = json.RawMessage(body)
		} else {
			now, err = r.Present(json.RawMessage(body))
		}
		if err != nil {
			return &Unreadable{r.Revision, len(r.raw), err}
		}
		op, err := change.DecodeStored(now)
		if err != nil {
			return &Unreadable{r.Revision, len(r.raw), err}
		}
		r.raw = append(r.raw, json.RawMessage(kept))
		r.Operations = append(r.Operations, op)
		p, sealed := op.(change.PersonalOperation)
		digest := ""
		if sealed {
			digest = digestIn(body)
		}
		if digest != "" {
			raw, _ := hex.DecodeString(digest) // what is no digest finds nothing
			all, digests = append(all, personal{p, r, digest}), append(digests, raw)
		}
	}
	if err := rows.Err(); err != nil || len(all) == 0 {
		return err
	}
	// By key: a join would read the values of everybody, however few are named.
	known, err := factrows.Personals(ctx, q, factrows.SQLPersonal+" where digest = any($1)", digests)
	if err != nil {
		return err
	}
	for _, x := range all {
		raw, _ := hex.DecodeString(x.digest)
		if len(raw) != len(factrows.Digest{}) {
			continue
		}
		if p, ok := known[[32]byte(raw)]; ok {
			x.of.personal[x.digest] = p
			x.op.Unseal(func(d string) fact.Personal { return x.of.personal[d] })
		}
	}
	return nil
}

// digestIn is the digest that stands in a stored operation for personal values.
func digestIn(body string) string {
	var x struct{ Personal string }
	_ = json.Unmarshal([]byte(body), &x) // decoded before
	return x.Personal
}

// Replay applies a revision to the snapshot before it.
func Replay(s *access.Snapshot, r *Revision) (*change.Draft, error) {
	d := change.NewDraft(s)
	if d.Revision != r.Revision {
		return nil, fmt.Errorf("follows revision %d", s.Revision)
	}
	return r.applyTo(d)
}

// applyTo applies a revision to a draft that was begun for it.
func (r *Revision) applyTo(d *change.Draft) (*change.Draft, error) {
	r.Readies(d)
	for i, op := range r.Operations {
		r.Operations[i] = d.Apply(i, op, r.At)
	}
	return FinishReplay(d)
}

// Readies sets in a draft what its operations are applied by.
func (r *Revision) Readies(d *change.Draft) {
	d.Author, d.Replays = r.Author, true
	if r.Format > 1 {
		d.TakeIDs(r.TakenIDs)
	}
}

// FinishReplay finishes a draft whose operations were applied before.
func FinishReplay(d *change.Draft) (*change.Draft, error) {
	d.Finish()
	if len(d.Faults) > 0 {
		return nil, fmt.Errorf("does not fit what was before: %w", &d.Faults[0])
	}
	for _, x := range d.Sealed {
		digest, err := hex.DecodeString(*x.Digest)
		if err != nil || len(digest) != 32 {
			return nil, errors.New("has a personal value without a digest")
		}
		copy(d.User(x.User).Digest[:], digest)
	}
	return d, nil
}

const sqlRevisionsAfter = `select revision, at, recorded_at, claimed, coalesce(author, 0), via, reference, reason, canonical, hash, format, epoch, ids, coalesce(staged, 0), exists (select from mending m where m.revision = revision.revision)
		from revision where revision > $1 order by revision limit $2`

// How much is verified at once: so many revisions, or fewer with so many operations.
const (
	portionRevisions  = 500
	portionOperations = 20_000
)

const sqlPortion = `select (select count(*) from operation o where o.revision = coalesce(-r.staged, r.revision)) from revision r where revision > $1 order by revision limit $2`

// PortionAfter is how many revisions after one are verified at once, at least one.
func PortionAfter(ctx context.Context, q factrows.Querier, after int64) (int, error) {
	rows, err := q.Query(ctx, sqlPortion, after, portionRevisions)
	if err != nil {
		return 0, err
	}
	counts, err := pgx.CollectRows(rows, pgx.RowTo[int])
	sum := 0
	for i, n := range counts {
		if sum += n; i > 0 && sum > portionOperations {
			return i, err
		}
	}
	return max(1, len(counts)), err
}
