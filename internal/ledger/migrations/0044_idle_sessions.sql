-- +goose Up

-- When a session was last used, to the minute: one that is not used for long ends.
alter table session add column used_at timestamptz not null default clock_timestamp();
