-- +goose Up

-- Outside the ledger on purpose: views of lists that somebody saved, and how the
-- columns of their files are to be read.
create table saved (
    owner      integer     not null,
    kind       text        not null,
    key        text        not null,
    label      text        not null,
    shared     boolean     not null,
    body       jsonb       not null,
    changed_at timestamptz not null default clock_timestamp(),
    primary key (owner, kind, key)
);
create unique index saved_shared on saved (kind, key) where shared;
