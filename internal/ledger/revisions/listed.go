package revisions

import (
	"context"
	"math"
	"strconv"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/factrows"
)

// HistoryFilter chooses revisions. The zero one chooses all.
type HistoryFilter struct {
	Before  int64    // only revisions before this one; 0 for the newest
	AtMost  int64    // only up to this revision; 0 for all
	Subject []string // only those that speak of one of these ids
	Number  int64    // only this one

	Reference string           // only those that refer to this
	Author    fact.UserID      // only those made by this user
	Via       string           // only those made this way
	Kinds     []string         // only those with an operation of one of these kinds
	From      calendar.Instant // only those made at this instant or later; 0 for all
	Until     calendar.Instant // only those made before this instant; 0 for all

	// Of each revision, only so many operations, after the first so many: those that
	// speak of the subjects, if there are any. 0 is all.
	Operations, After int
}

// sqlRevisionsOf are the revisions that speak of some subjects (the first $?), and those that
// opened or closed what users (the next four) were given or what was given of roles (the last
// two): whatever operation it was that did.
const sqlRevisionsOf = `select coalesce(r.revision, o.revision) from operation o left join revision r on r.staged = -o.revision
	where o.subjects && $? and (o.revision > 0 or r.revision is not null)
	union select opened from assignment_fact where assignee_user = any($?) and assignee_user <> 0
	union select closed from assignment_fact where assignee_user = any($?) and assignee_user <> 0 and closed is not null
	union select opened from membership_fact where member_user = any($?) and member_user <> 0
	union select closed from membership_fact where member_user = any($?) and member_user <> 0 and closed is not null
	union select opened from assignment_fact where role = any($?)
	union select closed from assignment_fact where role = any($?) and closed is not null`

// Users are the numbers of the users among the subjects.
func (f *HistoryFilter) Users() []int32 { return f.numbers("user") }

// Roles are those of the roles.
func (f *HistoryFilter) Roles() []int32 { return f.numbers("role") }

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

// Where are the conditions of a filter: those alone that are set, so that PostgreSQL takes the
// index that fits them.
func (f *HistoryFilter) Where(unfiled []int64) (sql string, args []any) {
	add := func(condition string, values ...any) {
		for _, v := range values {
			args = append(args, v)
			condition = strings.Replace(condition, "$?", "$"+strconv.Itoa(len(args)), 1)
		}
		if sql += " and "; len(sql) == len(" and ") {
			sql = " where "
		}
		sql += condition
	}
	if f.Before != 0 {
		add("revision < $?", f.Before)
	}
	if f.AtMost != 0 {
		add("revision <= $?", f.AtMost)
	}
	if f.Number != 0 {
		add("revision = $?", f.Number)
	}
	if len(f.Subject) > 0 {
		add("revision in ("+sqlRevisionsOf+" union select unnest($?::bigint[]))", f.Subject, f.Users(), f.Users(), f.Users(), f.Users(), f.Roles(), f.Roles(), unfiled)
	}
	if f.Reference != "" {
		add("reference = $? and reference <> ''", f.Reference)
	}
	if f.Author != 0 {
		add("author = $?", uint32(f.Author))
	}
	if f.Via != "" {
		add("via = $?", f.Via)
	}
	if f.From != 0 {
		add("at >= $?", f.From.Time())
	}
	if f.Until != 0 {
		add("at < $?", f.Until.Time())
	}
	if len(f.Kinds) > 0 {
		add("exists (select from operation o where o.revision = coalesce(-r.staged, r.revision) and o.verb = any($?))", f.Kinds)
	}
	return sql, args
}

// sqlRevisionsListed leaves out what only verifying reads.
const sqlRevisionsListed = `select revision, at, recorded_at, claimed, coalesce(author, 0), via, reference, reason, ''::bytea, hash, format, epoch, ids, coalesce(staged, 0), exists (select from mending m where m.revision = revision.revision)
	from revision where revision = any($1) order by revision`

// Listed reads revisions with as many of their operations as are asked for.
func Listed(ctx context.Context, q factrows.Querier, numbers []int64, f HistoryFilter) ([]Revision, error) {
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
