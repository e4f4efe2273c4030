-- +goose Up

-- Roles that may be shared within one resource, with how many users at most, and who shared
-- an assignment.
alter table role_fact add column max_shares integer not null default 0;
alter table assignment_fact add column shared_by integer not null default 0;

-- Programs from before this know neither: a share would not end with its resource for them.
-- They find no function to commit with.
alter function append_head(bigint, bytea, bigint, bytea, timestamptz, boolean) rename to extend_ledger;
