package ledger_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"ableroster/internal/access"
	"ableroster/testkit"

	"github.com/jackc/pgx/v5"
)

// sqlRival answers a check as somebody would who had only the tables: one
// recursive query over the rows that are open. $1 user, $2 application, $3
// action, $4 path, $5 the instant in microseconds. It knows the demo's one rule,
// and is asked at noon, when the demo's one schedule (the nights) never holds.
const sqlRival = `
with recursive
covering(pattern, expression) as (
	select p, case when p = '/' then '^' else '^' || replace(regexp_replace(p, '([.+?^${}()|\[\]\\])', '\\\1', 'g'), '*', '[^/]*') || '(/|$)' end
	from (select pattern p from permission_fact where closed is null union select pattern from fence_fact where closed is null
		union select s->>'pattern' from assignment_fact, jsonb_array_elements(scopes) s where closed is null) x
),
me as (select * from user_fact where id = $1 and closed is null and status = 'active'),
up(id) as (
	select group_id from membership_fact where member_user = $1 and closed is null and from_at <= $5 and (until_at = 0 or until_at > $5)
	union select g.id from group_fact g, me where g.closed is null and g.filter <> '' and (me.unit || '/') like 'engineering/dredging/%' and me.employment_type = 'contractor'
	union select m.group_id from membership_fact m join up on m.member_group = up.id
		where m.closed is null and m.from_at <= $5 and (m.until_at = 0 or m.until_at > $5)
),
given as (
	select role, scopes from assignment_fact
	where closed is null and from_at <= $5 and (until_at = 0 or until_at > $5) and schedule is null
		and (assignee_user = $1 or assignee_group in (select id from up) or assignee_group = 1
			or assignee_group = 2 and exists (select from me where kind = 'person'))
),
held(role, scopes) as (
	select g.role, g.scopes from given g join role_fact r on r.id = g.role and r.closed is null and not r.retired
	union select i.included, h.scopes from inclusion_fact i join held h on i.role = h.role and i.closed is null
		join role_fact r on r.id = i.included and r.closed is null and not r.retired
)
select exists (select from me)
and exists (
	select from resource_fact where application = $2 and closed is null and not retired
		and (path = $4 or open and (path = '/' or $4 like path || '/%')))
and exists (
	select from held h join permission_fact p on p.role = h.role and p.closed is null
	join covering c on c.pattern = p.pattern
	where p.application = $2 and not p.own and (p.actions @> array[$3] or p.actions @> array['*']) and $4 ~ c.expression
	and (h.scopes = '[]' or exists (
		select from jsonb_array_elements(h.scopes) s join covering sc on sc.pattern = s->>'pattern'
		where (s->>'application')::integer = $2 and $4 ~ sc.expression))
	and not exists (
		select from fence_fact f join covering fc on fc.pattern = f.pattern
		where f.closed is null and f.application = $2 and (f.actions @> array[$3] or f.actions @> array['*'])
			and $4 ~ fc.expression and not p.pattern ~ fc.expression))`

// The engine and a recursive query over the same rows give equal answers.
func TestTheEngineAgreesWithASQLRival(t *testing.T) {
	l, pool := testkit.Ledger(t, testkit.DemoDatabase(t)+"&jit=off") // compiling the query takes longer than running it
	s := l.Head()
	now := time.Now().UTC()
	at := access.At(time.Date(now.Year(), now.Month(), now.Day(), 12, 0, 0, 0, time.UTC))
	rng := rand.New(rand.NewPCG(41, 42))
	var users []access.UserID
	for u := range s.Users() {
		users = append(users, u.ID)
	}
	type target struct {
		app          access.ApplicationID
		key          string
		action, path string
	}
	var targets []target
	for a := range s.Applications() {
		for _, r := range s.Resources(a.ID) {
			for _, x := range a.Actions {
				if a.ID == access.AbleRoster {
					continue
				}
				targets = append(targets, target{a.ID, a.Key, x.Key, r.Path})
				if rng.IntN(3) == 0 {
					targets = append(targets, target{a.ID, a.Key, x.Key, access.Join(r.Path, []string{"2026-11", "dredging-2026-a"}[rng.IntN(2)])})
				}
			}
		}
	}
	const questions, together = 10_000, 500
	allowed := 0
	for range questions / together {
		var b pgx.Batch
		var want []bool
		var asked []access.Question
		for range together {
			u, x := users[rng.IntN(len(users))], targets[rng.IntN(len(targets))]
			q := access.Question{User: u.String(), Application: x.key, Action: x.action, Path: x.path, At: at}
			d, err := s.Check(q)
			if err != nil {
				t.Fatal(err)
			}
			want, asked = append(want, d.Allowed), append(asked, q)
			b.Queue(sqlRival, uint32(u), uint32(x.app), x.action, x.path, int64(at))
		}
		answers := pool.SendBatch(ctx, &b)
		for i := range want {
			var got bool
			if err := answers.QueryRow().Scan(&got); err != nil {
				t.Fatal(err)
			}
			if got != want[i] && s.Effective(mustUser(t, s, asked[i].User), at) {
				t.Fatalf("%+v: the engine says %v, the query %v", asked[i], want[i], got)
			}
			if got {
				allowed++
			}
		}
		if err := answers.Close(); err != nil {
			t.Fatal(err)
		}
	}
	if allowed < questions/50 {
		t.Errorf("only %d of %d were allowed: the rest is too easy", allowed, questions)
	}
}

func mustUser(t *testing.T, s *access.Snapshot, ref string) access.UserID {
	t.Helper()
	id, ok := s.FindUser(ref)
	if !ok {
		t.Fatal(ref)
	}
	return id
}
