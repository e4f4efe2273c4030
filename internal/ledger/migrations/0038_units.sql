-- +goose Up

-- The units of the organisation. Until now they were what users had for one.
create table unit_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);

-- Programs from before this know no units: a revision that has one would not fit for them.
-- They find no function to commit with.
alter function advance_head(bigint, bytea, bigint, bytea, timestamptz, boolean) rename to advance_chain;
