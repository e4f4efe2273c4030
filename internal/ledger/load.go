package ledger

import (
	"context"
	"encoding/json"
	"fmt"

	"ableroster/internal/access"

	"github.com/jackc/pgx/v5"
)

type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}

// each calls yield for every row a statement on a fact table reads.
func each(ctx context.Context, q querier, t *table, yield func(row), sql string, args ...any) error {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		r, err := t.scan(rows)
		if err != nil {
			return fmt.Errorf("%s: %w", t.name, err)
		}
		yield(r)
	}
	return rows.Err()
}

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
	names, err := personals(ctx, q, sqlPersonal)
	if err != nil {
		return nil, err
	}
	for i := range tables {
		t := &tables[i]
		put := func(r row) {
			if u, ok := r.fact.(*access.User); ok {
				u.Personal = names[u.Digest]
			}
			d.Put(r.fact, r.opened)
		}
		if err := each(ctx, q, t, put, t.selectAt(), revision); err != nil {
			return nil, err
		}
	}
	if err := reserve(ctx, q, d, revision); err != nil {
		return nil, err
	}
	if err := touch(ctx, q, d, revision); err != nil {
		return nil, err
	}
	return d.Seal(revision, at), nil
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
