-- +goose Up

-- Roles nobody may combine.
create table conflict_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);
