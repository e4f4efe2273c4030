-- +goose Up

-- Which accounts speak an open standard with the service, and what they sent last.
create table connection (
    account_id   integer     not null,
    standard     text        not null, -- SCIM or AuthZEN
    first_at     timestamptz not null default clock_timestamp(),
    last_at      timestamptz not null default clock_timestamp(),
    said         text        not null default '', -- the last call
    refused_at   timestamptz,
    refused_call text        not null default '',
    refused_why  text        not null default '',
    primary key (account_id, standard)
);
