package ledger

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/rules"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// A revision with an operation that cannot be read stops whoever replays it. What is read in
// its place is kept beside the ledger and named by a later revision; what is stored stays.

// mending is what is read in the place of one operation.
type mending struct{ digest, replacement string }

const (
	sqlMendings    = `select revision, position, digest, replacement from mending where revision = any($1)`
	sqlAllMendings = `select revision, position, digest, replacement, coalesce(made, 0) from mending order by revision, position`
	sqlMend        = `insert into mending (revision, position, digest, replacement) values ($1, $2, $3, $4)
		on conflict (revision, position) do update set digest = excluded.digest, replacement = excluded.replacement`
)

// readMendings gathers those of revisions that have some, before anything is replayed.
func readMendings(ctx context.Context, q querier, out []Revision) error {
	at := map[int64]int{}
	var numbers []int64
	for i := range out {
		if out[i].mended != nil {
			at[out[i].Revision] = i
			numbers = append(numbers, out[i].Revision)
		}
	}
	if len(numbers) == 0 {
		return nil
	}
	rows, err := q.Query(ctx, sqlMendings, numbers)
	if err != nil {
		return err
	}
	var n int64
	var position int
	var m mending
	_, err = pgx.ForEachRow(rows, []any{&n, &position, &m.digest, &m.replacement}, func() error {
		out[at[n]].mended[position] = m
		return nil
	})
	return err
}

// checkMended compares the operations of a revision, as they are, with those that were found
// when it was mended.
func (r *Revision) checkMended(digest string) string {
	for _, m := range r.mended {
		if m.digest != digest {
			return "its operations are not those that were found when it was mended"
		}
	}
	return ""
}

// digestOfBytes is the digest of its operations that a revision's bytes name.
func digestOfBytes(canonical []byte) string {
	var doc struct {
		Digest string `json:"digest"`
	}
	_ = json.Unmarshal(canonical, &doc) // what cannot be read does not fit either
	return doc.Digest
}

// checkMendings compares what is read in the place of operations with the revisions that say
// so.
func (x *verifying) checkMendings(ctx context.Context) error {
	named := map[[2]int64]*fact.Mending{}
	for _, f := range access.RecordFactsOf[*fact.Mending](x.s, fact.FactMending) {
		named[[2]int64{f.Of, int64(f.Position)}] = f
	}
	rows, err := x.tx.Query(ctx, sqlAllMendings)
	if err != nil {
		return err
	}
	var n, made int64
	var position int
	var m mending
	_, err = pgx.ForEachRow(rows, []any{&n, &position, &m.digest, &m.replacement, &made}, func() error {
		f := named[[2]int64{n, int64(position)}]
		delete(named, [2]int64{n, int64(position)})
		if x.v.First == 0 && (f == nil || f.Digest != m.digest || f.Replacement != m.replacement || f.Opened != made) {
			x.bad(n, "operation %d is read otherwise than it was mended", position)
		}
		return nil
	})
	for _, f := range named {
		if x.v.First == 0 {
			x.bad(f.Of, "operation %d was mended, and that is gone", f.Position)
		}
	}
	return err
}

// goneReasons is the first revision whose reason is gone and was not erased, or 0.
func goneReasons(s *access.Snapshot, gone map[string]int64) (first int64) {
	erased := map[string]bool{}
	for _, f := range access.RecordFactsOf[*fact.ErasedReason](s, fact.FactErasedReason) {
		erased[f.Digest] = true
	}
	for digest, n := range gone {
		if !erased[digest] && (first == 0 || n < first) {
			first = n
		}
	}
	return first
}

// ErrReadable is returned for an operation that can be read: nothing is to be mended.
var ErrReadable = errors.New("that operation can be read, and fits: there is nothing to mend")

// PrepareMending puts something in the place of an operation that cannot be read, so that the
// ledger can be opened: Mend then makes the revision that says so. No ledger need be open.
// The operation is returned that Mend makes. A second call with another replacement puts that
// there.
func PrepareMending(ctx context.Context, pool *pgxpool.Pool, revision int64, position int, replacement string) (*rules.MendOperation, error) {
	instead, err := change.DecodeStored([]byte(replacement))
	if err != nil {
		return nil, fmt.Errorf("the replacement cannot be read either: %w", err)
	}
	var staged int64
	var format int
	var canonical []byte
	err = pool.QueryRow(ctx, "select coalesce(staged, 0), format, canonical from revision where revision = $1", revision).Scan(&staged, &format, &canonical)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, ErrNoRevision
	}
	if err != nil {
		return nil, Unavailable(err)
	}
	r := Revision{Revision: revision, staged: staged, format: format}
	rows, err := pool.Query(ctx, "select verb, body from operation where revision = $1 order by position", r.place())
	if err != nil {
		return nil, Unavailable(err)
	}
	type found struct{ Verb, Body string }
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[found])
	if err != nil {
		return nil, Unavailable(err)
	}
	if position < 0 || position >= len(all) {
		return nil, fmt.Errorf("revision %d has %d operations, counted from 0", revision, len(all))
	}
	if format > 1 && all[position].Verb != instead.Verb() {
		return nil, fmt.Errorf("operation %d of revision %d is found as %s, and the replacement is %s", position, revision, all[position].Verb, instead.Verb())
	}
	ops := newDigester()
	var spoiled []int
	for i, x := range all {
		op, err := canonicalJSON([]byte(x.Body))
		if err != nil {
			op = []byte(x.Body)
		}
		ops.add(op)
		if !readable(&r, x.Body) {
			spoiled = append(spoiled, i)
		}
	}
	digest := ops.sum()
	switch {
	case slices.Contains(spoiled, position):
	case len(spoiled) > 0:
		return nil, fmt.Errorf("operation %d of revision %d can be read; what cannot is %v", position, revision, spoiled)
	case format == 1 || digest == digestOfBytes(canonical): // else some were altered, and which of them is not told
		return nil, ErrReadable
	}
	if _, err := pool.Exec(ctx, sqlMend, revision, position, digest, replacement); err != nil {
		return nil, Unavailable(err)
	}
	return &rules.MendOperation{Revision: revision, Position: position, Digest: digest, Replacement: replacement}, nil
}

func readable(r *Revision, body string) bool {
	now, err := r.present(json.RawMessage(body))
	if err != nil {
		return false
	}
	_, err = change.DecodeStored(now)
	return err == nil
}

// Mend makes the revision that says what was mended, by the host.
func (l *Ledger) Mend(ctx context.Context, op *rules.MendOperation, reason string) (Committed, error) {
	if strings.TrimSpace(reason) == "" {
		return Committed{}, errors.New("say why: a reason is missing")
	}
	return l.Commit(ctx, &Change{Via: "this host", Reason: reason, Operations: []change.Operation{op}}, noFaults)
}

// ErasedReasons are the digests of reasons that were erased.
func (l *Ledger) ErasedReasons() (out []string) {
	for _, f := range access.RecordFactsOf[*fact.ErasedReason](l.Head(), fact.FactErasedReason) {
		out = append(out, f.Digest)
	}
	return out
}

// RevisionOfReason is the revision whose reason a digest stands for, 0 for none.
func (l *Ledger) RevisionOfReason(ctx context.Context, digest string) (revision int64, err error) {
	err = l.pool.QueryRow(ctx, "select coalesce(max(revision), 0) from revision where encode(reason, 'hex') = $1", digest).Scan(&revision)
	return revision, Unavailable(err)
}

// ReasonDigests are the digests of the reasons of some revisions; of one that is not there,
// none.
func (l *Ledger) ReasonDigests(ctx context.Context, revisions []int64) (map[int64]string, error) {
	rows, err := l.pool.Query(ctx, "select revision, encode(reason, 'hex') from revision where revision = any($1)", revisions)
	if err != nil {
		return nil, Unavailable(err)
	}
	out := map[int64]string{}
	var n int64
	var digest string
	_, err = pgx.ForEachRow(rows, []any{&n, &digest}, func() error {
		out[n] = digest
		return nil
	})
	return out, Unavailable(err)
}
