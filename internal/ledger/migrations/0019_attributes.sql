-- +goose Up

-- Attributes of users that the organisation declares itself, and their values
-- that are facts; those that are personal lie with the other personal values.
create table attribute_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);
alter table user_fact add column custom text not null default '';
