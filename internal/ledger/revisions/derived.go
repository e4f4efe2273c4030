package revisions

import (
	"bytes"
	"context"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/factrows"
)

// What stands beside the bytes of revisions is verified too: the columns that are derived
// from them, by which history is found, and the texts kept apart.

// DerivedColumns are the columns beside the body of an operation.
type DerivedColumns struct {
	position int
	verb     string
	subjects []string
}

// Derived reads them by the places of some revisions, in order of position.
func Derived(ctx context.Context, q factrows.Querier, places []int64) (map[int64][]DerivedColumns, error) {
	rows, err := q.Query(ctx, "select revision, position, verb, subjects from operation where revision = any($1) order by revision, position", places)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[int64][]DerivedColumns{}
	for rows.Next() {
		var n int64
		var d DerivedColumns
		if err := rows.Scan(&n, &d.position, &d.verb, &d.subjects); err != nil {
			return nil, err
		}
		out[n] = append(out[n], d)
	}
	return out, rows.Err()
}

// CheckDerived compares them with the operations. Those of the first format have the names
// of now in their subjects, but for two kinds that named fewer then.
func (r *Revision) CheckDerived(columns []DerivedColumns) string {
	for i, d := range columns {
		var body struct {
			Op string `json:"op"`
		}
		raw := r.raw[i]
		if m, ok := r.Mended[i]; ok {
			raw = json.RawMessage(m.Replacement)
		}
		if err := json.Unmarshal(raw, &body); err != nil {
			return fmt.Sprintf("operation %d is no JSON", i)
		}
		want := change.SubjectsOf(r.Operations[i])
		have := slices.Sorted(slices.Values(d.subjects))
		fewer := r.Format == 1 && slices.Contains([]string{"open_round", "settle_pending_removal"}, r.Operations[i].Verb())
		switch {
		case d.position != i:
			return fmt.Sprintf("operation %d stands at position %d", i, d.position)
		case d.verb != body.Op:
			return fmt.Sprintf("operation %d is found as %s, and is %s", i, d.verb, body.Op)
		case !fewer && !slices.Equal(have, want):
			return fmt.Sprintf("operation %d is found by other subjects than those it speaks of", i)
		}
	}
	return ""
}

// ApartTexts are the texts kept apart that a portion of revisions names, as far as
// verifying needs them.
type ApartTexts struct {
	broken  map[string]string // what is wrong with those that do not fit their digest
	reasons map[string]bool   // the digests there are

	BlankReasons map[string]bool        // those whose reasons are gone
	values       map[string]fact.UserID // whose personal values each digest stands for
	staged       map[string]int64       // with which large change they were written
	blank        map[string]bool        // those whose values are gone
}

// Apart reads those that some revisions name, and recomputes the digests of those that
// are there.
func Apart(ctx context.Context, q factrows.Querier, revs []Revision) (*ApartTexts, error) {
	var reasons, values [][]byte
	for i := range revs {
		reasons = append(reasons, revs[i].ReasonDigest)
		for _, text := range revs[i].digests() {
			digest, _ := hex.DecodeString(text) // what is no digest finds nothing
			values = append(values, digest)
		}
	}
	rows, err := q.Query(ctx, `select false, digest, 0, salt, convert_to(text, 'UTF8'), 0 from reason where digest = any($1)
		union all select true, digest, user_id, salt, convert_to(text::text, 'UTF8'), coalesce(staged, 0) from personal where digest = any($2)`, reasons, values)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := &ApartTexts{broken: map[string]string{}, reasons: map[string]bool{}, BlankReasons: map[string]bool{}, values: map[string]fact.UserID{}, staged: map[string]int64{}, blank: map[string]bool{}}
	for rows.Next() {
		var personal bool
		var digest, salt, text []byte
		var user fact.UserID
		var staged int64
		if err := rows.Scan(&personal, &digest, (*uint32)(&user), &salt, &text, &staged); err != nil {
			return nil, err
		}
		key, what := hex.EncodeToString(digest), "the reason"
		if personal {
			what, out.values[key], out.staged[key] = "the personal values", user, staged
			var p fact.Personal
			if err := json.Unmarshal(text, &p); err == nil {
				kept, _ := CanonicalJSON(text)
				if text, _ = canonicalPersonal(p); !bytes.Equal(kept, text) { // it holds more than what was sealed
					out.broken[key] = "the personal values kept apart hold something else too"
				}
			}
		}
		switch {
		case text == nil && personal:
			out.blank[key] = true
			continue
		case text == nil:
			out.reasons[key], out.BlankReasons[key] = true, true
			continue
		case !personal:
			out.reasons[key] = true
		}
		if !bytes.Equal(digestOf(salt, text), digest) {
			out.broken[key] = what + " kept apart do not fit their digest"
		}
	}
	return out, rows.Err()
}

// Gone are the users whose personal values are gone, by the first revision that names them.
type Gone map[fact.UserID]int64

// Add takes in what a revision names that is gone.
func (g Gone) Add(r *Revision, t *ApartTexts) {
	for _, digest := range r.digests() {
		if user := t.values[digest]; t.blank[digest] && g[user] == 0 {
			g[user] = r.Revision
		}
	}
}

// First is the first revision whose personal values are gone though their user was not
// erased, or 0.
func (g Gone) First(s *access.Snapshot) (first int64) {
	for user, n := range g {
		if u := s.User(user); (u == nil || !u.Erased) && (first == 0 || n < first) {
			first = n
		}
	}
	return first
}

// CheckApart says whether the texts that a revision names are there, and are those that the
// digests were made of.
func (r *Revision) CheckApart(t *ApartTexts) string {
	reason := hex.EncodeToString(r.ReasonDigest)
	if !t.reasons[reason] {
		return "the reason kept apart is gone"
	}
	if what := t.broken[reason]; what != "" {
		return what
	}
	for _, digest := range r.digests() {
		if what := t.broken[digest]; what != "" {
			return what
		}
		if _, there := t.values[digest]; !there {
			return "the personal values kept apart are gone"
		}
		if t.staged[digest] != r.Staged {
			return "the personal values kept apart are said to be of another change"
		}
	}
	return ""
}

// CheckWhose says whether the personal values that a replayed revision brings in are kept
// as those of the user it brings them in for: by that they are found when they are erased.
func CheckWhose(d *change.Draft, t *ApartTexts) string {
	for _, x := range d.Sealed {
		if t.values[*x.Digest] != x.User {
			return fmt.Sprintf("the personal values of %s are kept as those of %s", x.User, t.values[*x.Digest])
		}
	}
	return ""
}

// digests are those that stand in its operations for personal values.
func (r *Revision) digests() (out []string) {
	for i, op := range r.Operations {
		if _, sealed := op.(change.PersonalOperation); sealed {
			raw := string(r.raw[i])
			if m, ok := r.Mended[i]; ok {
				raw = m.Replacement
			}
			if d := digestIn(raw); d != "" {
				out = append(out, d)
			}
		}
	}
	return out
}
