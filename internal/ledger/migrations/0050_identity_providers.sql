-- +goose Up

-- Whom somebody at an identity provider is here. maker is who wrote the address by which they were
-- matched, and could therefore be them; cleared is what their user could do when that was looked at.
create table provider_link (
    id       bigint generated always as identity primary key,
    issuer   text        not null,
    subject  text        not null,
    user_id  integer     not null,
    maker    integer     not null default 0,
    cleared  text[]      not null default '{}',
    made_at  timestamptz not null default clock_timestamp(),
    used_at  timestamptz not null default clock_timestamp(),
    unique (issuer, subject),
    unique (issuer, user_id)
);
create index provider_link_user on provider_link (user_id);

-- Who was sent to an identity provider and has not come back yet: for some minutes. link is who
-- they are there, once that is proved and their second factor is still to come.
create table provider_flow (
    digest   bytea       primary key,
    browser  bytea       not null,
    provider text        not null,
    user_id  integer     not null,
    body     jsonb       not null,
    link     bigint      references provider_link on delete cascade,
    session  text        not null default '',
    ends_at  timestamptz not null
);
create index provider_flow_ends on provider_flow (ends_at);

-- A session by way of a provider ends with its link, and when the provider says so (its sid);
-- factor says that the provider proved a second factor.
alter table session add column link bigint references provider_link on delete cascade;
alter table session add column provider_session text not null default '';
alter table session add column factor boolean not null default false;
create index session_link on session (link) where link is not null;
