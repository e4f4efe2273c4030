-- +goose Up

-- By this a head that was kept elsewhere is known to be of this ledger, and of no other.
alter table ledger_head add column ledger uuid not null default gen_random_uuid();
