package ledger

import (
	"context"
	"errors"
	"slices"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/query"

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

// RoleHistory is what concerned one user from the first revision to the newest: one
// era for each time between two revisions that changed any of it. Each answers
// about that user as the whole snapshot did then.
func (l *Ledger) RoleHistory(ctx context.Context, user fact.UserID) ([]query.Era, error) {
	var rows []row
	times := map[int64]calendar.Instant{}
	head := l.Head()
	var later []*access.Snapshot // of the revisions that have no rows yet
	err := l.reading(ctx, func(tx pgx.Tx) error {
		reached, err := rowsThrough(ctx, tx)
		if err != nil {
			return err
		}
		if reached < head.Revision {
			var ok bool
			if later, ok = l.recents.between(reached, head.Revision, head.Erased()); !ok {
				return ErrRowsLater
			}
		}
		if rows, err = rowsEver(ctx, tx, user, reached); err != nil {
			return err
		}
		found, err := tx.Query(ctx, "select revision, at from revision where revision = any($1)", boundaries(rows))
		if err != nil {
			return err
		}
		defer found.Close()
		for found.Next() {
			var n int64
			var at time.Time
			if err := found.Scan(&n, &at); err != nil {
				return err
			}
			times[n] = calendar.At(at)
		}
		return found.Err()
	})
	if errors.Is(err, ErrRowsLater) {
		l.rowsLag()
		if err := l.rowsReach(ctx, head.Revision); err != nil {
			return nil, err
		}
		return l.RoleHistory(ctx, user)
	}
	if err != nil {
		return nil, err
	}
	var out []query.Era
	edges := boundaries(rows)
	for i, n := range edges {
		d := access.Loader(n)
		for _, kind := range fact.FactKinds { // each after those it refers to
			for _, r := range rows {
				if r.fact.Kind() == kind && r.opened <= n && (r.closed == 0 || r.closed > n) {
					d.Load(r.fact, r.opened)
				}
			}
		}
		era := query.Era{Snapshot: d.Seal(n, times[n]), Window: calendar.Window{From: times[n]}}
		if i+1 < len(edges) {
			era.Until = times[edges[i+1]]
		}
		out = append(out, era)
	}
	for i, s := range later {
		if i > 0 && !concerns(later[i-1], s, user) {
			continue
		}
		if last := len(out) - 1; last >= 0 {
			out[last].Until = s.At
		}
		out = append(out, query.Era{Snapshot: s, Window: calendar.Window{From: s.At}})
	}
	return out, nil
}

// boundaries are the revisions at which any of the rows opened or closed.
func boundaries(rows []row) []int64 {
	var out []int64
	for _, r := range rows {
		out = append(out, r.opened)
		if r.closed != 0 {
			out = append(out, r.closed)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// rowsEver are the rows that ever concerned a user, up to a revision.
func rowsEver(ctx context.Context, tx pgx.Tx, user fact.UserID, upTo int64) ([]row, error) {
	groups, err := numbers(ctx, tx, sqlGroupsEver, uint32(user))
	if err != nil {
		return nil, err
	}
	roles, err := numbers(ctx, tx, sqlRolesEver, uint32(user), groups)
	if err != nil {
		return nil, err
	}
	apps, err := numbers(ctx, tx, sqlApplicationsEver, roles)
	if err != nil {
		return nil, err
	}
	names, err := personals(ctx, tx, sqlPersonal+" where user_id = $1", uint32(user))
	if err != nil {
		return nil, err
	}
	var out []row
	for _, part := range concerning(user, groups, roles, apps, 1) {
		t := tableOf(part.kind)
		sql := t.selectAll()
		if part.where != "" {
			sql += " where " + part.where
		}
		put := func(r row) {
			if u, ok := r.fact.(*fact.User); ok {
				u.Personal = names[u.Digest]
			}
			if r.closed > upTo {
				r.closed = 0
			}
			if r.opened <= upTo {
				out = append(out, r)
			}
		}
		if err := each(ctx, tx, t, put, sql, part.args...); err != nil {
			return nil, err
		}
	}
	return out, nil
}
