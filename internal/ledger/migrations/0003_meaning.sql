-- +goose Up

-- What a decision further depends on: fences; scopes and schedules of
-- assignments; permissions on one's own; retired resources; trial groups.
alter table assignment_fact add scopes jsonb not null default '[]', add schedule jsonb;
alter table permission_fact add own boolean not null default false;
alter table resource_fact add retired boolean not null default false;
alter table application_fact add trial integer not null default 0;
create table fence_fact (
    id integer not null, opened bigint not null, closed bigint,
    application integer not null, pattern text not null, actions text[] not null, why text not null,
    primary key (id, opened)
);
create index fence_of on fence_fact (application);
