-- +goose Up

-- When whoever uses a session or a token last proved who they are. A token that was not made by
-- signing in has proved nothing.
alter table session add column confirmed_at timestamptz not null default clock_timestamp();
alter table token add column confirmed_at timestamptz;
