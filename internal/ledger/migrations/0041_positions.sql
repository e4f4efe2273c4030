-- +goose Up

-- The positions that users have for a time, and their leaves of absence.
create table positions_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);
create table absences_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);

-- A membership that a position gives.
alter table membership_fact add column position boolean not null default false;

-- Programs from before this know neither: somebody on leave would count for them. They find
-- no function to commit with.
alter function advance_chain(bigint, bytea, bigint, bytea, timestamptz, boolean) rename to append_head;
