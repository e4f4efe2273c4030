-- +goose Up

-- Who may sign up by themselves, by the domain of their address.
create table sign_up_rule_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);

-- Who asked to, and has not shown yet that the address is theirs: nobody is a user by that. It is
-- deleted once its time is over. The digest is that of the link that was mailed.
create table sign_up (
    id         bigint generated always as identity primary key,
    address    text        not null,
    digest     bytea unique,
    expires_at timestamptz not null
);
create unique index sign_up_address on sign_up (lower(address));
create index sign_up_expires on sign_up (expires_at);

-- A mail to somebody who signs up is to no user.
alter table mail add column sign_up bigint not null default 0;
