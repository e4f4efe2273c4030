-- +goose Up

-- When whoever uses a session or a token last proved who they are. A token that was not made by
-- signing in has proved nothing.
alter table session add column confirmed_at timestamptz;
update session set confirmed_at = created_at;
alter table session alter column confirmed_at set default clock_timestamp(), alter column confirmed_at set not null;
alter table token add column confirmed_at timestamptz;
