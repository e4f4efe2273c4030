-- +goose Up

-- Whose personal values were erased on request.
alter table user_fact add column erased boolean not null default false;
