-- +goose Up

-- Outside the ledger on purpose: on which day an account was last used.
create table account_use (
    user_id integer primary key,
    last_at timestamptz not null
);
