-- +goose Up

-- How a role may be held, whether an application welcomes direct assignments,
-- expectations, and findings that were set aside.
alter table role_fact add column risk text not null default '';
alter table role_fact add column longest integer not null default 0;
alter table application_fact add column direct text not null default '';
create table expectation_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);
create table setaside_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);
