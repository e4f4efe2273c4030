package ledger

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/change"
	"ableroster/internal/fact"

	"github.com/hashicorp/golang-lru/v2/simplelru"
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
	Operations []change.Operation
	More       bool // there are operations after these
	Hash       string

	format, epoch           int
	staged                  int64           // under which number its operations were written before, 0 for its own
	ids                     access.IDs      // that its operations took; of the first format none are recorded
	mended                  map[int]mending // what is read in the place of some of its operations
	reason, canonical, hash []byte
	raw                     []json.RawMessage
	personal                map[string]fact.Personal
}

// Filter chooses revisions. The zero Filter chooses all.
type HistoryFilter struct {
	Before  int64    // only revisions before this one; 0 for the newest
	AtMost  int64    // only up to this revision; 0 for all
	Subject []string // only those that speak of one of these ids
	Number  int64    // only this one

	// Of each revision, only so many operations, after the first so many: those that
	// speak of the subjects, if there are any. 0 is all.
	Operations, After int
}

// sqlRevisionsOf are the revisions that speak of some subjects ($4), and those that
// opened or closed what users ($6) were given or what was given of roles ($7): whatever
// operation it was that did.
const sqlRevisionsOf = `select coalesce(r.revision, o.revision) from operation o left join revision r on r.staged = -o.revision
	where o.subjects && $4 and (o.revision > 0 or r.revision is not null)
	union select opened from assignment_fact where assignee_user = any($6) and assignee_user <> 0
	union select closed from assignment_fact where assignee_user = any($6) and assignee_user <> 0 and closed is not null
	union select opened from membership_fact where member_user = any($6) and member_user <> 0
	union select closed from membership_fact where member_user = any($6) and member_user <> 0 and closed is not null
	union select opened from assignment_fact where role = any($7)
	union select closed from assignment_fact where role = any($7) and closed is not null`

func (f *HistoryFilter) users() []int32 { return f.numbers("user") }
func (f *HistoryFilter) roles() []int32 { return f.numbers("role") }

// numbers are those of the subjects of a kind.
func (f *HistoryFilter) numbers(kind string) []int32 {
	out := []int32{}
	for _, id := range f.Subject {
		if n, ok := fact.ParseID(kind, id); ok {
			out = append(out, int32(n))
		}
	}
	return out
}

// History are revisions, newest first.
func (l *Ledger) History(ctx context.Context, f HistoryFilter, limit int) ([]Revision, error) {
	var out []Revision
	unfiled, err := l.unfiledOf(ctx, &f)
	if err != nil {
		return nil, err
	}
	err = l.reading(ctx, func(tx pgx.Tx) (err error) {
		if f.Subject == nil {
			f.Subject = []string{}
		}
		rows, err := tx.Query(ctx, `select revision from revision r
			where ($1 = 0 or revision < $1) and ($2 = 0 or revision <= $2) and ($3 = 0 or revision = $3)
			and (cardinality($4::text[]) = 0 or revision in (`+sqlRevisionsOf+` union select unnest($8::bigint[])))
			order by revision desc limit $5`, f.Before, f.AtMost, f.Number, f.Subject, limit, f.users(), f.roles(), unfiled)
		if err != nil {
			return err
		}
		numbers, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			return err
		}
		out, err = readListed(ctx, tx, numbers, f)
		slices.Reverse(out)
		return err
	})
	return out, err
}

// unfiledOf are the revisions that touched the users of a filter and whose rows are not all
// written. Of roles it waits for the rows.
func (l *Ledger) unfiledOf(ctx context.Context, f *HistoryFilter) ([]int64, error) {
	out := []int64{}
	if len(f.Subject) == 0 || !l.lagging.Load() {
		return out, nil
	}
	head := l.Head()
	reached, err := rowsThrough(ctx, l.pool)
	if err != nil {
		return nil, Unavailable(err)
	}
	later, ok := l.recents.between(reached, head.Revision, head.Erased())
	if !ok || len(f.roles()) > 0 {
		return out, l.rowsReach(ctx, head.Revision)
	}
	for _, id := range f.users() {
		for _, s := range later {
			if u := s.UserTable.At(int(id)); u != nil && u.Touched == s.Revision {
				out = append(out, s.Revision)
			}
		}
	}
	return out, nil
}

// readRevisions reads the revisions after one, oldest first: with their operations, but for
// those of a large change that is known here already (0 for none).
func readRevisions(ctx context.Context, q querier, after int64, limit int, known int64) ([]Revision, error) {
	return collectWith(ctx, q, sqlRevisionsAfter, []any{after, limit}, known, sqlOperations, func(places []int64) []any { return []any{places} })
}

// sqlRevisionsListed leaves out what only verifying reads.
const sqlRevisionsListed = `select revision, at, recorded_at, claimed, coalesce(author, 0), via, reason, ''::bytea, hash, format, epoch, ids, coalesce(staged, 0), exists (select from mending m where m.revision = revision.revision)
	from revision where revision = any($1) order by revision`

// readListed reads revisions with as many of their operations as are asked for.
func readListed(ctx context.Context, q querier, numbers []int64, f HistoryFilter) ([]Revision, error) {
	most := f.Operations
	if most == 0 {
		most = math.MaxInt32 - 1
	}
	// Of a revision in which none speaks of the subjects all do: they gave or took what the
	// subjects hold without naming them.
	const some = `select o.revision, o.position, o.body from unnest($1::bigint[]) n
		cross join lateral (select * from operation o where o.revision = n and (cardinality($2::text[]) = 0 or o.subjects && $2
			or not exists (select from operation x where x.revision = n and x.subjects && $2))
			order by o.position offset $3 limit $4) o order by o.revision, o.position`
	out, err := collectWith(ctx, q, sqlRevisionsListed, []any{numbers}, 0, some, func(places []int64) []any { return []any{places, f.Subject, f.After, most + 1} })
	for i := range out {
		r := &out[i]
		if r.More = len(r.Operations) > most; r.More {
			r.Operations, r.raw = r.Operations[:most], r.raw[:most]
		}
	}
	return out, err
}

const sqlOperations = `select revision, position, body from operation
	where revision = any($1) order by revision, position`

// place is under which number the operations of a revision were written.
func (r *Revision) place() int64 {
	if r.staged != 0 {
		return -r.staged
	}
	return r.Revision
}

// collectWith reads revisions by one query, and their operations by another, which goes by
// their places: but for those of the large change that is known.
func collectWith(ctx context.Context, q querier, sql string, args []any, known int64, operations string, of func(places []int64) []any) ([]Revision, error) {
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
		if err := rows.Scan(&r.Revision, &at, &recorded, &r.Claimed, (*uint32)(&r.Author), &r.Via, &r.reason, &r.canonical, &r.hash, &r.format, &r.epoch, &r.ids, &r.staged, &mended); err != nil {
			if errors.As(err, new(pgx.ScanArgError)) {
				return nil, &unfit{r.Revision, fmt.Errorf("its columns cannot be read: %w", err)}
			}
			return nil, err
		}
		r.At, r.Recorded, r.Hash = calendar.At(at), calendar.At(recorded), hex.EncodeToString(r.hash)
		r.personal = map[string]fact.Personal{}
		if mended {
			r.mended = map[int]mending{}
		}
		index[r.place()] = len(out)
		out = append(out, r)
	}
	if err := rows.Err(); err != nil || len(out) == 0 {
		return out, err
	}
	places := make([]int64, 0, len(out))
	reasons := make([][]byte, 0, len(out))
	for _, r := range out {
		if r.staged == 0 || r.staged != known {
			places = append(places, r.place())
		}
		reasons = append(reasons, r.reason)
	}
	if err := readReasons(ctx, q, out, reasons); err != nil {
		return nil, err
	}
	if err := readMendings(ctx, q, out); err != nil {
		return nil, err
	}
	return out, readOperations(ctx, q, out, index, operations, of(places))
}

func readReasons(ctx context.Context, q querier, out []Revision, digests [][]byte) error {
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
		out[i].Reason = texts[string(out[i].reason)]
	}
	return rows.Err()
}

func readOperations(ctx context.Context, q querier, out []Revision, index map[int64]int, sql string, args []any) error {
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
		if m, ok := r.mended[position]; ok {
			body = m.replacement
			now = json.RawMessage(body)
		} else {
			now, err = r.present(json.RawMessage(body))
		}
		if err != nil {
			return &unreadable{r.Revision, len(r.raw), err}
		}
		op, err := change.DecodeStored(now)
		if err != nil {
			return &unreadable{r.Revision, len(r.raw), err}
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
	known, err := personals(ctx, q, sqlPersonal+" where digest = any($1)", digests)
	if err != nil {
		return err
	}
	for _, x := range all {
		raw, _ := hex.DecodeString(x.digest)
		if len(raw) != len(sum{}) {
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

// replay applies a revision to the snapshot before it.
func replay(s *access.Snapshot, r *Revision) (*change.Draft, error) {
	d := change.NewDraft(s)
	if d.Revision != r.Revision {
		return nil, fmt.Errorf("follows revision %d", s.Revision)
	}
	return r.applyTo(d)
}

// applyTo applies a revision to a draft that was begun for it.
func (r *Revision) applyTo(d *change.Draft) (*change.Draft, error) {
	r.readies(d)
	for i, op := range r.Operations {
		r.Operations[i] = d.Apply(i, op, r.At)
	}
	return finishReplay(d)
}

// readies sets in a draft what its operations are applied by.
func (r *Revision) readies(d *change.Draft) {
	d.Author, d.Replays = r.Author, true
	if r.format > 1 {
		d.TakeIDs(r.ids)
	}
}

// finishReplay finishes a draft whose operations were applied before.
func finishReplay(d *change.Draft) (*change.Draft, error) {
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

// RevisionAt is the last revision at or before an instant.
func (l *Ledger) RevisionAt(ctx context.Context, at calendar.Instant) (int64, calendar.Instant, error) {
	if h := l.Head(); h.Revision > 0 && at >= h.At {
		return h.Revision, h.At, nil
	}
	var n int64
	var t time.Time
	err := l.pool.QueryRow(ctx, sqlRevisionAt, at.Time()).Scan(&n, &t)
	if errors.Is(err, pgx.ErrNoRows) {
		return 0, 0, ErrBeforeFirst
	}
	return n, calendar.At(t), Unavailable(err)
}

// At is the whole snapshot at an instant. Many who ask for the same wait for
// one load; at most two load at once, and the two last used are kept. Whoever waits
// stops with their context; a load that was begun goes on for those who wait still.
func (l *Ledger) At(ctx context.Context, at calendar.Instant) (*access.Snapshot, error) {
	n, t, err := l.RevisionAt(ctx, at)
	if err != nil {
		return nil, err
	}
	if h := l.Head(); h.Revision == n {
		return h, nil
	}
	if s := l.atHand(n); s != nil {
		return s, nil
	}
	flight := l.flights.DoChan(fmt.Sprint(n), func() (out any, err error) {
		err = caught.Do(func() (err error) {
			out, err = l.loadWhole(n, t)
			return err
		})
		return out, err
	})
	select {
	case r := <-flight:
		if r.Err != nil {
			return nil, r.Err
		}
		return r.Val.(*access.Snapshot), nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// atHand is the whole snapshot of a past revision, nil where it would have to be made.
func (l *Ledger) atHand(n int64) *access.Snapshot {
	erased := l.Head().Erased()
	if s := l.recents.at(n, erased); s != nil {
		return s
	}
	return l.cache.get(n, erased)
}

// wholeLimit is how long loading a whole past snapshot may take, the waiting for a place
// included.
const wholeLimit = 2 * time.Minute

func (l *Ledger) loadWhole(n int64, t calendar.Instant) (*access.Snapshot, error) {
	ctx, cancel := context.WithTimeout(l.run, wholeLimit)
	defer cancel()
	select {
	case l.whole <- struct{}{}:
		defer func() { <-l.whole }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	erased := l.Head().Erased()
	s, err := l.snapshotAt(ctx, n, t)
	if err == nil {
		l.cache.put(s, erased)
	}
	return s, err
}

// historyCache keeps the historical snapshots used last, until somebody is erased: what was
// read before has their names.
type historyCache struct {
	mu     sync.Mutex
	kept   *simplelru.LRU[int64, *access.Snapshot] // by revision
	erased int                                     // how many users had been erased when they were read
}

// mostKept is how many there are: each may be as large as the head.
const mostKept = 2

// fresh forgets what was read when fewer had been erased.
func (c *historyCache) fresh(erased int) {
	if c.kept == nil || c.erased != erased {
		c.kept, _ = simplelru.NewLRU[int64, *access.Snapshot](mostKept, nil)
		c.erased = erased
	}
}

func (c *historyCache) get(n int64, erased int) *access.Snapshot {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.fresh(erased)
	s, _ := c.kept.Get(n)
	return s
}

// put keeps a snapshot that was begun to be read when so many had been erased.
func (c *historyCache) put(s *access.Snapshot, erased int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.erased > erased { // somebody was erased meanwhile
		return
	}
	c.fresh(erased)
	c.kept.Add(s.Revision, s)
}

// Reasons are the reasons of revisions by number.
func (l *Ledger) Reasons(ctx context.Context, numbers []int64) (map[int64]Revision, error) {
	out := map[int64]Revision{}
	if len(numbers) == 0 {
		return out, nil
	}
	rows, err := l.pool.Query(ctx, `select r.revision, r.at, coalesce(r.author, 0), coalesce(t.text, 'erased')
		from revision r join reason t on t.digest = r.reason where r.revision = any($1)`, numbers)
	if err != nil {
		return nil, Unavailable(err)
	}
	for rows.Next() {
		var r Revision
		var at time.Time
		if err := rows.Scan(&r.Revision, &at, (*uint32)(&r.Author), &r.Reason); err != nil {
			return nil, err
		}
		r.At = calendar.At(at)
		out[r.Revision] = r
	}
	return out, Unavailable(rows.Err())
}
