-- +goose Up

-- The employment types of users, and the times for which closed ones are opened.
create table employment_type_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);
create table opening_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);

-- The company of whoever works for another one.
alter table user_fact add column company text not null default '';

-- What became of two records of one person.
create table merged_user_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);
