package ledger

import (
	"context"
	"encoding/json"
	"slices"

	"ableroster/internal/access"

	"github.com/jackc/pgx/v5"
)

// personals reads personal values by digest. An erased one reads as blank.
func personals(ctx context.Context, q querier, sql string, args ...any) (map[[32]byte]access.Personal, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[[32]byte]access.Personal{}
	for rows.Next() {
		var digest, salt, text []byte
		var user uint32
		if err := rows.Scan(&digest, &user, &salt, &text); err != nil {
			return nil, err
		}
		out[[32]byte(digest)] = unsealed(access.UserID(user), text)
	}
	return out, rows.Err()
}

// unsealed are the personal values of a text, or what stands for them once
// they are erased.
func unsealed(id access.UserID, text []byte) access.Personal {
	var p access.Personal
	if text == nil || json.Unmarshal(text, &p) != nil {
		return access.Personal{UserName: "erased-" + id.String(), DisplayName: "a departed user"}
	}
	return p
}

// loadAt compiles the whole snapshot at a revision from the fact rows.
func loadAt(ctx context.Context, q querier, revision int64, at access.Instant) (*access.Snapshot, error) {
	d := access.Loader(revision)
	if err := reserve(ctx, q, d, revision); err != nil {
		return nil, err
	}
	for i := range tables {
		t := &tables[i]
		if t.kind == access.FactUser {
			if err := loadUsers(ctx, q, d, revision, nil); err != nil {
				return nil, err
			}
			continue
		}
		put := func(r row) { d.Put(r.fact, r.opened) }
		if err := passing(ctx, q, t, put, t.selectAt(), revision); err != nil {
			return nil, err
		}
	}
	if err := touch(ctx, q, d, revision); err != nil {
		return nil, err
	}
	return d.Seal(revision, at), nil
}

// loadUsers reads all users, then their personal values, and puts each in once
// both are there: by user and not by digest, since a table of a million digests
// would take more memory than the users do. Only may name the users wanted; nil
// is all.
func loadUsers(ctx context.Context, q querier, d *access.Draft, revision int64, only []int32) error {
	t := tableOf(access.FactUser)
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
	rows, err := q.Query(ctx, whose, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	var digest sum
	var id uint32
	var text []byte
	for rows.Next() {
		if err := rows.Scan(&digest, &id, nil, &text); err != nil {
			return err
		}
		if int(id) >= len(users) || users[id].fact == nil {
			continue
		}
		if u := users[id].fact.(*access.User); u.Digest == digest { // else of an earlier or later time
			u.Personal = unsealed(u.ID, text)
		}
	}
	if err := rows.Err(); err != nil {
		return err
	}
	for _, r := range users {
		if r.fact != nil {
			d.Put(r.fact, r.opened)
		}
	}
	return nil
}

// reserve keeps the numbers of rows that have ended from being given again.
func reserve(ctx context.Context, q querier, d *access.Draft, revision int64) error {
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
func touch(ctx context.Context, q querier, d *access.Draft, revision int64) error {
	rows, err := q.Query(ctx, `select assignee_user, assignee_group, max(closed) from assignment_fact
		where closed <= $1 group by 1, 2
		union all select member_user, member_group, max(closed) from membership_fact
		where closed <= $1 group by 1, 2`, revision)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var m access.Member
		var closed int64
		if err := rows.Scan((*uint32)(&m.User), (*uint32)(&m.Group), &closed); err != nil {
			return err
		}
		d.Touch(m, closed)
	}
	return rows.Err()
}
