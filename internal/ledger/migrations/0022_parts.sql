-- +goose Up

-- Outside the ledger on purpose: parts of changes that somebody may not make and
-- passes on to who may. What was changed by it stands in the ledger; what is to be
-- changed is dropped when the part ends, its words two weeks later.
create table part (
    part       bigint      generated always as identity primary key,
    author     integer     not null,
    receiver   integer     not null, -- 0: whoever may make it
    reason     text        not null,
    lines      jsonb,
    said       text[]      not null,
    state      text        not null default 'waiting',
    answer     text        not null default '',
    ended_by   integer     not null default 0,
    revision   bigint      not null default 0,
    created_at timestamptz not null default clock_timestamp(),
    ended_at   timestamptz,
    check ((state = 'waiting') = (ended_at is null)),
    check ((state = 'waiting') = (lines is not null))
);
create index part_waiting on part (part) where state = 'waiting';
create index part_author on part (author, part);
