-- +goose Up

-- A large change is written beside the ledger, in portions, while others go on; it becomes a
-- revision at once. Its operations stay where they were written: under the negative number
-- of its staging. What was never published is deleted by the next large change.
create table staging (
    id         bigint generated always as identity primary key,
    began      timestamptz not null default clock_timestamp(),
    author     integer not null,
    ids        jsonb,
    operations integer not null,
    digest     text not null default '',
    ready      boolean not null default false
);
alter table revision add column staged bigint;
create unique index revision_staged on revision (staged) where staged is not null;
alter table personal add column staged bigint;
create index personal_staged on personal (staged) where staged is not null;

-- What is published is no staging any more; one that was given up meanwhile is not published.
-- +goose StatementBegin
create function end_staging(which bigint) returns void
language plpgsql as $$
begin
    delete from staging where id = which;
    if not found then
        raise exception 'the large change % was given up', which using errcode = 'AR003';
    end if;
end
$$;
-- +goose StatementEnd

-- The fact rows of a large revision follow it in portions: they are whole up to
-- rows_through. rows_of is the later revision of which some may be there already.
alter table ledger_head add column rows_through bigint not null default 0;
update ledger_head set rows_through = revision;
alter table ledger_head add column rows_of bigint;

-- A revision is written with its rows where those before it are there, and else without: the
-- caller says which (with_rows), or that its rows follow in any case (null).
drop function advance_ledger(bigint, bytea, bigint, bytea, timestamptz);
-- +goose StatementBegin
create function advance_ledger(base bigint, base_hash bytea, next_revision bigint, next_hash bytea, next_at timestamptz, with_rows boolean) returns timestamptz
language plpgsql as $$
declare
    reached bigint;
begin
    update ledger_head set revision = next_revision, hash = next_hash, at = next_at,
        rows_through = case when with_rows then next_revision else rows_through end
        where revision = base and hash = base_hash and (with_rows is null or with_rows = (rows_through = base));
    if not found then
        select rows_through into reached from ledger_head where revision = base and hash = base_hash;
        if found then
            raise exception 'the rows reach revision %, and the head is at %', reached, base using errcode = 'AR002';
        end if;
        raise exception 'the head is not at revision % as it is known here', base using errcode = 'AR001';
    end if;
    perform pg_notify('able_roster_ledger', next_revision::text);
    return clock_timestamp();
end
$$;
-- +goose StatementEnd
