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
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/past"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/operation/rules"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// A revision with an operation that cannot be read stops whoever replays it. What is read in
// its place is kept beside the ledger and named by a later revision; what is stored stays.

const (
	sqlMend = `insert into mending (revision, position, digest, replacement) values ($1, $2, $3, $4)
		on conflict (revision, position) do update set digest = excluded.digest, replacement = excluded.replacement`
)

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
		return nil, past.ErrNoRevision
	}
	if err != nil {
		return nil, database.Unavailable(err)
	}
	r := revisions.Revision{Revision: revision, Staged: staged, Format: format}
	rows, err := pool.Query(ctx, "select verb, body from operation where revision = $1 order by position", r.Place())
	if err != nil {
		return nil, database.Unavailable(err)
	}
	type found struct{ Verb, Body string }
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[found])
	if err != nil {
		return nil, database.Unavailable(err)
	}
	if position < 0 || position >= len(all) {
		return nil, fmt.Errorf("revision %d has %d operations, counted from 0", revision, len(all))
	}
	if format > 1 && all[position].Verb != instead.Verb() {
		return nil, fmt.Errorf("operation %d of revision %d is found as %s, and the replacement is %s", position, revision, all[position].Verb, instead.Verb())
	}
	ops := revisions.NewDigester()
	var spoiled []int
	for i, x := range all {
		op, err := revisions.CanonicalJSON([]byte(x.Body))
		if err != nil {
			op = []byte(x.Body)
		}
		ops.Add(op)
		if !readable(&r, x.Body) {
			spoiled = append(spoiled, i)
		}
	}
	digest := ops.Sum()
	switch {
	case slices.Contains(spoiled, position):
	case len(spoiled) > 0:
		return nil, fmt.Errorf("operation %d of revision %d can be read; what cannot is %v", position, revision, spoiled)
	case format == 1 || digest == revisions.DigestOfBytes(canonical): // else some were altered, and which of them is not told
		return nil, ErrReadable
	}
	if _, err := pool.Exec(ctx, sqlMend, revision, position, digest, replacement); err != nil {
		return nil, database.Unavailable(err)
	}
	return &rules.MendOperation{Revision: revision, Position: position, Digest: digest, Replacement: replacement}, nil
}

func readable(r *revisions.Revision, body string) bool {
	now, err := r.Present(json.RawMessage(body))
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
	return revision, database.Unavailable(err)
}

// ReasonDigests are the digests of the reasons of some revisions; of one that is not there,
// none.
func (l *Ledger) ReasonDigests(ctx context.Context, revisions []int64) (map[int64]string, error) {
	rows, err := l.pool.Query(ctx, "select revision, encode(reason, 'hex') from revision where revision = any($1)", revisions)
	if err != nil {
		return nil, database.Unavailable(err)
	}
	out := map[int64]string{}
	var n int64
	var digest string
	_, err = pgx.ForEachRow(rows, []any{&n, &digest}, func() error {
		out[n] = digest
		return nil
	})
	return out, database.Unavailable(err)
}
