-- +goose Up

-- Users who may not be erased, and until when.
create table legal_hold_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);
