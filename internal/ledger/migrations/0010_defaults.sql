-- +goose Up

-- Default rules, and what they give: a row given by a rule names it.
create table default_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);
alter table assignment_fact add column rule integer not null default 0;
alter table membership_fact add column rule integer not null default 0;
