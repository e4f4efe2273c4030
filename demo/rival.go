package demo

// Rival answers a check as somebody would who had only the tables: one
// recursive query over the rows that are open. $1 user, $2 application, $3
// action, $4 path, $5 the instant in microseconds. It knows the demo's one rule,
// and is asked at noon, when the demo's one schedule (the nights) never holds.
const Rival = `
with recursive
me as (select * from user_fact where id = $1 and closed is null and status = 'active'),
up(id) as (
	select group_id from membership_fact where member_user = $1 and closed is null and from_at <= $5 and (until_at = 0 or until_at > $5)
	union select g.id from group_fact g, me where g.closed is null and g.filter <> '' and (me.unit || '/') like 'engineering/dredging/%' and me.employment_type = 'contractor'
	union select m.group_id from membership_fact m join up on m.member_group = up.id and m.member_group <> 0
		where m.closed is null and m.from_at <= $5 and (m.until_at = 0 or m.until_at > $5)
),
given as (
	select role, scopes from (
		select * from assignment_fact where assignee_user = $1
		union all select * from assignment_fact where assignee_group = any(array(select id from up))
		union all select * from assignment_fact where assignee_group = 1
		union all select * from assignment_fact where assignee_group = 2 and exists (select from me where kind = 'person')) x
	where closed is null and from_at <= $5 and (until_at = 0 or until_at > $5) and schedule is null
),
covering(pattern, expression) as (
	select p, case when p = '/' then '^' else '^' || replace(regexp_replace(p, '([.+?^${}()|\[\]\\])', '\\\1', 'g'), '*', '[^/]*') || '(/|$)' end
	from (select pattern p from permission_fact where closed is null union select pattern from fence_fact where closed is null
		union select s->>'pattern' from given, jsonb_array_elements(scopes) s) x
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
