package ledger

import (
	"context"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"
)

// personals reads personal values by digest. An erased one reads as blank.
func personals(ctx context.Context, q querier, sql string, args ...any) (map[[32]byte]fact.Personal, error) {
	out := map[[32]byte]fact.Personal{}
	err := eachPersonal(ctx, q, func(digest sum, _ fact.UserID, p fact.Personal) { out[digest] = p }, sql, args...)
	return out, err
}

// eachPersonal calls yield for all personal values a statement that begins as
// sqlPersonal reads.
func eachPersonal(ctx context.Context, q querier, yield func(sum, fact.UserID, fact.Personal), sql string, args ...any) error {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	var digest sum
	var id fact.UserID
	var p fact.Personal
	var erased bool
	into := []any{&digest, (*uint32)(&id), &erased, &p.UserName, &p.DisplayName, &p.Email, (*string)(&p.More)}
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		if erased {
			p = fact.Erased(id)
		}
		yield(digest, id, p)
	}
	return rows.Err()
}

// compile makes the whole snapshot at a revision from the fact rows. What there
// is little of comes first; of the rest two streams are read at once, to keep
// both PostgreSQL and this program busy. They need not see one state of the
// database: rows of later revisions are told by their numbers.
func (l *Ledger) compile(ctx context.Context, revision int64, at calendar.Instant) (*access.Snapshot, error) {
	d := access.Loader(revision)
	err := l.reading(ctx, func(tx pgx.Tx) error {
		if err := reserve(ctx, tx, d, revision); err != nil {
			return err
		}
		for i := range tables {
			t := &tables[i]
			if slices.Contains(numerous, t.kind) {
				continue
			}
			if err := passing(ctx, tx, t, func(r row) { d.Load(r.fact, r.opened) }, t.selectAt(), revision); err != nil {
				return err
			}
		}
		return touch(ctx, tx, d, revision)
	})
	if err != nil {
		return nil, err
	}
	puts := make(chan func(), 16)
	read, ctx := errgroup.WithContext(ctx)
	read.Go(func() error {
		return l.reading(ctx, func(tx pgx.Tx) error { return readGiven(ctx, tx, fact.FactAssignment, d, revision, puts) })
	})
	read.Go(func() error {
		return l.reading(ctx, func(tx pgx.Tx) error {
			err := readUsers(ctx, tx, revision, nil, func(all []row) { puts <- func() { putAll(d, all) } })
			if err != nil {
				return err
			}
			return readGiven(ctx, tx, fact.FactMembership, d, revision, puts)
		})
	})
	go func() {
		defer close(puts)
		err = caught.Do(read.Wait) // which panics as one of them did
	}()
	for put := range puts { // a draft belongs to one goroutine
		put()
	}
	if err != nil {
		return nil, err
	}
	return d.Seal(revision, at), nil
}

// numerous are the kinds there are millions of.
var numerous = []fact.FactKind{fact.FactUser, fact.FactMembership, fact.FactAssignment}

func putAll(d *access.Builder, all []row) {
	for _, r := range all {
		if r.fact != nil {
			d.Load(r.fact, r.opened)
		}
	}
}

// readGiven reads the assignments or the memberships: the plain ones in bulk,
// then those with limits.
func readGiven(ctx context.Context, tx pgx.Tx, kind fact.FactKind, d *access.Builder, revision int64, puts chan<- func()) error {
	if err := bulks[kind].read(ctx, tx, d, revision, puts); err != nil {
		return err
	}
	t := tableOf(kind)
	var rest []row
	if err := each(ctx, tx, t, func(r row) { rest = append(rest, r) }, t.selectAt()+" and not (plain and rule = 0)", revision); err != nil {
		return err
	}
	puts <- func() { putAll(d, rest) }
	return nil
}

// readUsers reads users and then their personal values, and gives them by id:
// a table of a million digests would take more memory than the users do. Only
// may name the users wanted; nil is all.
func readUsers(ctx context.Context, q querier, revision int64, only []int32, yield func([]row)) error {
	t := tableOf(fact.FactUser)
	which, whose, args := t.selectAt(), sqlPersonal, []any{}
	if only != nil {
		which, whose, args = which+" and id = any($2)", whose+" where user_id = any($1)", []any{only}
	}
	var users []row // by id
	err := passing(ctx, q, t, func(r row) {
		if n := int(r.id) + 1; n > len(users) {
			users = slices.Grow(users, n-len(users))[:n]
		}
		users[r.id] = r
	}, which, append([]any{revision}, args...)...)
	if err != nil {
		return err
	}
	err = eachPersonal(ctx, q, func(digest sum, id fact.UserID, p fact.Personal) {
		if int(id) >= len(users) || users[id].fact == nil {
			return
		}
		if u := users[id].fact.(*fact.User); u.Digest == digest { // else of an earlier or later time
			u.Personal = p
		}
	}, whose, args...)
	if err != nil {
		return err
	}
	for some := range slices.Chunk(users, portion) {
		yield(some)
	}
	return nil
}

// reserve keeps the numbers of rows that have ended from being given again.
func reserve(ctx context.Context, q querier, d *access.Builder, revision int64) error {
	for i := range tables {
		var n uint32
		rows, err := q.Query(ctx, "select coalesce(max(id), 0) from "+tables[i].name+" where opened <= $1", revision)
		if err != nil {
			return err
		}
		if n, err = pgx.CollectExactlyOneRow(rows, pgx.RowTo[uint32]); err != nil {
			return err
		}
		d.Reserve(tables[i].kind, n)
	}
	return nil
}

// touch restores when what was given to users and groups was last taken back.
func touch(ctx context.Context, q querier, d *access.Builder, revision int64) error {
	rows, err := q.Query(ctx, `select assignee_user, assignee_group, max(closed) from assignment_fact
		where closed <= $1 group by 1, 2
		union all select member_user, member_group, max(closed) from membership_fact
		where closed <= $1 group by 1, 2
		union all select id, 0, max(closed) from opening_fact where closed <= $1 group by 1`, revision)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var m fact.Member
		var closed int64
		if err := rows.Scan((*uint32)(&m.User), (*uint32)(&m.Group), &closed); err != nil {
			return err
		}
		d.Touch(m, closed)
	}
	return rows.Err()
}
