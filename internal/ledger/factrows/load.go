package factrows

import (
	"context"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Personals reads personal values by digest. An erased one reads as blank.
func Personals(ctx context.Context, q Querier, sql string, args ...any) (map[[32]byte]fact.Personal, error) {
	out := map[[32]byte]fact.Personal{}
	err := EachPersonal(ctx, q, func(digest Digest, _ fact.UserID, p fact.Personal) { out[digest] = p }, sql, args...)
	return out, err
}

// EachPersonal calls yield for all personal values a statement that begins as
// sqlPersonal reads.
func EachPersonal(ctx context.Context, q Querier, yield func(Digest, fact.UserID, fact.Personal), sql string, args ...any) error {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	var digest Digest
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

// PutAll puts facts that were read into a builder.
func PutAll(d *access.Builder, all []Row) {
	for _, r := range all {
		if r.Fact != nil {
			d.Load(r.Fact, r.Opened)
		}
	}
}

// Given reads the assignments or the memberships: the plain ones in bulk,
// then those with limits.
func Given(ctx context.Context, tx pgx.Tx, kind fact.FactKind, d *access.Builder, revision int64, puts chan<- func()) error {
	if err := bulks[kind].read(ctx, tx, d, revision, puts); err != nil {
		return err
	}
	t := TableOf(kind)
	var rest []Row
	if err := each(ctx, tx, t, func(r Row) { rest = append(rest, r) }, t.SelectAt()+" and not (plain and rule = 0)", revision); err != nil {
		return err
	}
	puts <- func() { PutAll(d, rest) }
	return nil
}

// Users reads users and then their personal values, and gives them by id:
// a table of a million digests would take more memory than the users do. Only
// may name the users wanted; nil is all.
func Users(ctx context.Context, q Querier, revision int64, only []int32, yield func([]Row)) error {
	t := TableOf(fact.FactUser)
	which, whose, args := t.SelectAt(), SQLPersonal, []any{}
	if only != nil {
		which, whose, args = which+" and id = any($2)", whose+" where user_id = any($1)", []any{only}
	}
	var users []Row // by id
	err := Passing(ctx, q, t, func(r Row) {
		if n := int(r.id) + 1; n > len(users) {
			users = slices.Grow(users, n-len(users))[:n]
		}
		users[r.id] = r
	}, which, append([]any{revision}, args...)...)
	if err != nil {
		return err
	}
	err = EachPersonal(ctx, q, func(digest Digest, id fact.UserID, p fact.Personal) {
		if int(id) >= len(users) || users[id].Fact == nil {
			return
		}
		if u := users[id].Fact.(*fact.User); u.Digest == digest { // else of an earlier or later time
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

// Reserve keeps the numbers of rows that have ended from being given again.
func Reserve(ctx context.Context, q Querier, d *access.Builder, revision int64) error {
	for i := range All {
		var n uint32
		rows, err := q.Query(ctx, "select coalesce(max(id), 0) from "+All[i].Name+" where opened <= $1", revision)
		if err != nil {
			return err
		}
		if n, err = pgx.CollectExactlyOneRow(rows, pgx.RowTo[uint32]); err != nil {
			return err
		}
		d.Reserve(All[i].Kind, n)
	}
	return nil
}

// Touch restores when what was given to users and groups was last taken back.
func Touch(ctx context.Context, q Querier, d *access.Builder, revision int64) error {
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
