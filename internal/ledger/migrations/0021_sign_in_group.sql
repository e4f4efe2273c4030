-- +goose Up

-- The group that alone may sign in, or 0.
alter table organisation_fact add column sign_in integer not null default 0;
