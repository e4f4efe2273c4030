-- +goose Up

-- Outside the ledger on purpose: what was tried and refused. The same of one user
-- on one day is one row.
create table refusal (
    user_id  integer     not null,
    day      date        not null,
    call     text        not null,
    detail   text        not null,
    times    integer     not null default 1,
    via      text        not null,
    first_at timestamptz not null default clock_timestamp(),
    last_at  timestamptz not null default clock_timestamp(),
    primary key (user_id, day, call, detail)
);
create index refusal_last on refusal (last_at);
