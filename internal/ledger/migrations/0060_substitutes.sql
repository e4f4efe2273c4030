-- +goose Up

-- Those who decide in users' places for a time.
create table substitutes_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);
