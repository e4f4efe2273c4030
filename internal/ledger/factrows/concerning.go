package factrows

import (
	"context"
	"strconv"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Which ids of each kind concern one user at revision $1: what the slice is
// loaded by. Each statement is given the ids found so far.
const (
	sqlGroupsOfUser = `with recursive up(id) as (
		select group_id from membership_fact where member_user = $2 and opened <= $1 and (closed is null or closed > $1)
		union select unnest($3::integer[])
		union
		select m.group_id from membership_fact m join up on m.member_group = up.id and m.member_group <> 0
		where m.opened <= $1 and (m.closed is null or m.closed > $1))
		select id from up union select 1 union select 2`
	sqlRolesOfPrincipals = `with recursive down(id) as (
		select role from assignment_fact where (assignee_user = $2 or assignee_group = any($3))
			and opened <= $1 and (closed is null or closed > $1)
		union
		select i.included from inclusion_fact i join down on i.role = down.id
		where i.opened <= $1 and (i.closed is null or i.closed > $1))
		select id from down`
)

// LoadSlice reads what concerned one user at a revision into a builder.
func LoadSlice(ctx context.Context, tx pgx.Tx, d *access.Builder, n int64, user fact.UserID) error {
	chosen, err := chosenBy(ctx, tx, n, user)
	if err != nil {
		return err
	}
	groups, err := Numbers(ctx, tx, sqlGroupsOfUser, n, uint32(user), chosen)
	if err != nil {
		return err
	}
	roles, err := Numbers(ctx, tx, sqlRolesOfPrincipals, n, uint32(user), groups)
	if err != nil {
		return err
	}
	apps, err := Numbers(ctx, tx, `select application from permission_fact where role = any($2)
		and opened <= $1 and (closed is null or closed > $1)
		union select application from role_fact where id = any($2) and application <> 0`, n, roles)
	if err != nil {
		return err
	}
	names, err := Personals(ctx, tx, SQLPersonal+" where user_id = $1", uint32(user))
	if err != nil {
		return err
	}
	for _, part := range concerning(user, groups, roles, apps, 2) {
		t := TableOf(part.kind)
		sql := t.SelectAt()
		if part.where != "" {
			sql += " and " + part.where
		}
		put := func(r Row) {
			if u, ok := r.Fact.(*fact.User); ok {
				u.Personal = names[u.Digest]
			}
			d.Load(r.Fact, r.Opened)
		}
		if err := each(ctx, tx, t, put, sql, append([]any{n}, part.args...)...); err != nil {
			return err
		}
	}
	return nil
}

// chosenBy are the groups whose filter chooses a user at a revision.
func chosenBy(ctx context.Context, q Querier, n int64, user fact.UserID) ([]int32, error) {
	var u *fact.User
	users, groups := TableOf(fact.FactUser), TableOf(fact.FactGroup)
	err := each(ctx, q, users, func(r Row) { u = r.Fact.(*fact.User) }, users.SelectAt()+" and id = $2", n, uint32(user))
	out := []int32{}
	if err != nil || u == nil {
		return out, err
	}
	err = each(ctx, q, groups, func(r Row) {
		if fact.ChosenBy(r.Fact.(*fact.Group).Filter, u) {
			out = append(out, int32(r.id))
		}
	}, groups.SelectAt()+" and filter <> ''", n)
	return out, err
}

// concern chooses the rows of one kind that concern a user.
type concern struct {
	kind  fact.FactKind
	where string
	args  []any
}

// concerning are the rows of every kind that concern a user, given the groups,
// roles and applications that do; parameters are numbered from first on.
func concerning(user fact.UserID, groups, roles, apps []int32, first int) []concern {
	at := func(where string) string {
		return strings.NewReplacer("$a", "$"+strconv.Itoa(first), "$b", "$"+strconv.Itoa(first+1)).Replace(where)
	}
	return []concern{
		{fact.FactOrganisation, "", nil},
		{fact.FactUser, at("id = $a"), []any{uint32(user)}},
		{fact.FactGroup, at("id = any($a)"), []any{groups}},
		{fact.FactMembership, at("(member_user = $a or member_group <> 0 and member_group = any($b))"), []any{uint32(user), groups}},
		{fact.FactApplication, at("id = any($a)"), []any{apps}},
		{fact.FactResource, at("application = any($a)"), []any{apps}},
		{fact.FactFence, at("application = any($a)"), []any{apps}},
		{fact.FactRole, at("id = any($a)"), []any{roles}},
		{fact.FactInclusion, at("role = any($a)"), []any{roles}},
		{fact.FactPermission, at("role = any($a)"), []any{roles}},
		{fact.FactDefault, "", nil},
		{fact.FactSoDRule, "", nil},
		{fact.FactAttribute, "", nil},
		{fact.FactPositions, at("id = $a"), []any{uint32(user)}},
		{fact.FactAbsences, at("id = $a"), []any{uint32(user)}},
		{fact.FactEmploymentType, "", nil},
		{fact.FactOpening, at("id = $a"), []any{uint32(user)}},
		{fact.FactAssignment, at("(assignee_user = $a or assignee_group = any($b))"), []any{uint32(user), groups}},
	}
}

// Numbers are the numbers that a statement reads, in one column.
func Numbers(ctx context.Context, q Querier, sql string, args ...any) ([]int32, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int32])
}
