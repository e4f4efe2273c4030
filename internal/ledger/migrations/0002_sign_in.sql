-- +goose Up

-- Outside the ledger on purpose: what proves who a caller is. Only digests and
-- password hashes are kept.
create table credential (
    user_id    integer primary key,
    hash       text not null,
    changed_at timestamptz not null default clock_timestamp()
);
create table session (
    digest     bytea primary key,
    user_id    integer not null,
    created_at timestamptz not null default clock_timestamp(),
    expires_at timestamptz not null
);
create table token (
    id         bigint generated always as identity primary key,
    digest     bytea not null unique,
    user_id    integer not null,
    label      text not null,
    created_at timestamptz not null default clock_timestamp(),
    expires_at timestamptz
);
create table setup_link (
    digest     bytea primary key,
    expires_at timestamptz not null
);
create table security_event (
    id      bigint generated always as identity primary key,
    at      timestamptz not null default clock_timestamp(),
    event   text not null,
    user_id integer,
    address text not null
);

-- Answers to unsafe calls, so that asking twice is safe.
create table idempotency (
    caller     integer not null,
    key        text not null,
    request    bytea not null,
    revision   bigint not null,
    created_at timestamptz not null default clock_timestamp(),
    primary key (caller, key)
);
