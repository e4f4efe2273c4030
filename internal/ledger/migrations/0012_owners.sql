-- +goose Up

-- Who answers for a group, an application, a role.
alter table group_fact add column owner integer not null default 0;
alter table application_fact add column owner integer not null default 0;
alter table role_fact add column owner integer not null default 0;
