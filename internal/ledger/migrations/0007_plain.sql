-- +goose Up

-- Most assignments and memberships of users have no limit of any kind. A start
-- reads millions of them, and of these only the columns that tell something.
alter table assignment_fact add plain boolean not null generated always as (
    assignee_group = 0 and from_at = 0 and until_at = 0 and scopes = '[]' and schedule is null) stored;
alter table membership_fact add plain boolean not null generated always as (
    member_group = 0 and from_at = 0 and until_at = 0) stored;
