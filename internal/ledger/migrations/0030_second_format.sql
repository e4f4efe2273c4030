-- +goose Up

-- The second format. A revision's own bytes are few: a digest stands for its operations,
-- and the numbers it took for what it made are recorded in it. Revisions of the first
-- format stay as they are, bytes and hashes.
alter table revision add column format smallint not null default 1;
alter table revision add column epoch integer not null default 1;
alter table revision add column ids jsonb;
alter table revision alter column format drop default;
alter table revision alter column epoch drop default;

-- What operations and facts are called from now on. The bodies of operations stay as they
-- were written: internal/format1 translates them when they are read. The facts are made
-- from the operations, and are renamed here.
alter table conflict_fact rename to sod_rule_fact;
alter table offer_fact rename to requestable_fact;
alter table verdict_fact rename to review_decision_fact;
alter table proposal_fact rename to pending_removal_fact;
alter table role_fact rename column longest to max_days;
update requestable_fact set body = body - 'longest' || jsonb_build_object('max_days', body->'longest') where body ? 'longest';
update permission_fact set actions = array_replace(actions, 'decide', 'evaluate') where application = 1 and 'decide' = any(actions);
update expectation_fact set body = body || '{"action": "evaluate"}' where body->>'application' = '1' and body->>'action' = 'decide';
update operation set subjects = (
        select array_agg(regexp_replace(regexp_replace(regexp_replace(s, '^conflict-', 'sod-rule-'), '^proposal-', 'pending-removal-'), '^offer-', 'requestable-'))
        from unnest(subjects) s)
    where exists (select from unnest(subjects) s where s ~ '^(conflict|proposal|offer)-');

-- Changes that wait for somebody who may make them.
alter table part rename to pending_change;
alter table pending_change rename column part to id;

-- The digests of what was asked under a key are over the old names.
delete from idempotency;

-- Programs of the first format look at the head before anything else. They are told to
-- stop, by a sentence, instead of writing what nobody could read.
alter table head rename to ledger_head;
alter table ledger_head add column epoch integer not null default 1;
drop function advance_head;
-- +goose StatementBegin
create function advance_ledger(base bigint, next_revision bigint, next_hash bytea, next_at timestamptz) returns timestamptz
language plpgsql as $$
begin
    update ledger_head set revision = next_revision, hash = next_hash, at = next_at where revision = base;
    if not found then
        raise exception 'the head is not at revision %', base using errcode = 'AR001';
    end if;
    perform pg_notify('able_roster_ledger', next_revision::text);
    return clock_timestamp();
end
$$;
-- +goose StatementEnd
-- +goose StatementBegin
create function stop_older_program() returns setof ledger_head
language plpgsql as $$
begin
    raise exception 'this ledger has the second format: stop this program, and start one that is as new as the ledger';
end
$$;
-- +goose StatementEnd
create view head as select revision, hash, at from stop_older_program();
