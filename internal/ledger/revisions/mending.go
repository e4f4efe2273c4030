package revisions

import (
	"context"
	"encoding/json"

	"ableroster/internal/ledger/factrows"

	"github.com/jackc/pgx/v5"
)

// Mending is what is read in the place of one operation.
type Mending struct{ Digest, Replacement string }

const sqlMendings = `select revision, position, digest, replacement from mending where revision = any($1)`

// readMendings gathers those of revisions that have some, before anything is replayed.
func readMendings(ctx context.Context, q factrows.Querier, out []Revision) error {
	at := map[int64]int{}
	var numbers []int64
	for i := range out {
		if out[i].Mended != nil {
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
	var m Mending
	_, err = pgx.ForEachRow(rows, []any{&n, &position, &m.Digest, &m.Replacement}, func() error {
		out[at[n]].Mended[position] = m
		return nil
	})
	return err
}

// checkMended compares the operations of a revision, as they are, with those that were found
// when it was mended.
func (r *Revision) checkMended(digest string) string {
	for _, m := range r.Mended {
		if m.Digest != digest {
			return "its operations are not those that were found when it was mended"
		}
	}
	return ""
}

// DigestOfBytes is the digest of its operations that a revision's bytes name.
func DigestOfBytes(canonical []byte) string {
	var doc struct {
		Digest string `json:"digest"`
	}
	_ = json.Unmarshal(canonical, &doc) // what cannot be read does not fit either
	return doc.Digest
}
