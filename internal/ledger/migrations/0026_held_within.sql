-- +goose Up

-- The unit within which alone a role may be held, or somebody be in a group.
alter table role_fact add column held_within text not null default '';
alter table group_fact add column held_within text not null default '';
