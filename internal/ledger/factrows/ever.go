package factrows

import (
	"context"
	"slices"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Which ids ever concerned one user, over all revisions.
const (
	sqlGroupsEver = `with recursive up(id) as (
		select group_id from membership_fact where member_user = $1
		union select id from group_fact where filter <> ''
		union select m.group_id from membership_fact m join up on m.member_group = up.id and m.member_group <> 0)
		select id from up union select 1 union select 2`
	sqlRolesEver = `with recursive down(id) as (
		select role from assignment_fact where assignee_user = $1 or assignee_group = any($2)
		union select i.included from inclusion_fact i join down on i.role = down.id)
		select id from down`
	sqlApplicationsEver = `select application from permission_fact where role = any($1)
		union select application from role_fact where id = any($1) and application <> 0`
)

// Boundaries are the revisions at which any of the rows opened or closed.
func Boundaries(rows []Row) []int64 {
	var out []int64
	for _, r := range rows {
		out = append(out, r.Opened)
		if r.Closed != 0 {
			out = append(out, r.Closed)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// RowsEver are the rows that ever concerned a user, up to a revision.
func RowsEver(ctx context.Context, tx pgx.Tx, user fact.UserID, upTo int64) ([]Row, error) {
	groups, err := Numbers(ctx, tx, sqlGroupsEver, uint32(user))
	if err != nil {
		return nil, err
	}
	roles, err := Numbers(ctx, tx, sqlRolesEver, uint32(user), groups)
	if err != nil {
		return nil, err
	}
	apps, err := Numbers(ctx, tx, sqlApplicationsEver, roles)
	if err != nil {
		return nil, err
	}
	names, err := Personals(ctx, tx, SQLPersonal+" where user_id = $1", uint32(user))
	if err != nil {
		return nil, err
	}
	var out []Row
	for _, part := range concerning(user, groups, roles, apps, 1) {
		t := TableOf(part.kind)
		sql := t.selectAll()
		if part.where != "" {
			sql += " where " + part.where
		}
		put := func(r Row) {
			if u, ok := r.Fact.(*fact.User); ok {
				u.Personal = names[u.Digest]
			}
			if r.Closed > upTo {
				r.Closed = 0
			}
			if r.Opened <= upTo {
				out = append(out, r)
			}
		}
		if err := each(ctx, tx, t, put, sql, part.args...); err != nil {
			return nil, err
		}
	}
	return out, nil
}
