-- +goose Up

-- Files that were sent to change something by, and what became of them. The jobs themselves
-- are in a schema of their own.
create schema if not exists jobs;

create table upload (
    id         bigint generated always as identity primary key,
    owner      bigint      not null,
    via        text        not null,
    name       text        not null,
    kind       text        not null,
    options    jsonb       not null,
    bytes      bigint      not null default 0,
    epoch      integer     not null,
    revision   bigint      not null,
    state      text        not null default 'receiving'
        check (state in ('receiving', 'waiting', 'working', 'done', 'refused', 'cancelled')),
    cancelled  boolean     not null default false,
    stage      text        not null default '',
    done       integer     not null default 0,
    of_all     integer     not null default 0,
    seconds    integer     not null default 0,
    answer     jsonb,
    sent_at    timestamptz not null default clock_timestamp(),
    ended_at   timestamptz,
    unique (owner, name)
);

create table upload_portion (
    upload bigint  not null references upload on delete cascade,
    number integer not null,
    bytes  bytea   not null,
    primary key (upload, number)
);
alter table upload_portion alter column bytes set storage external;
