-- +goose Up

-- For which changes a second person is needed.
alter table organisation_fact add column second jsonb not null default '{}';
create index assignment_of_role on assignment_fact (role);
