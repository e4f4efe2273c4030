-- +goose Up

-- The passkeys of users (WebAuthn), each for the host under which it was made.
create table passkey (
    id            bigint generated always as identity primary key,
    user_id       integer     not null,
    credential_id bytea       not null unique,
    host          text        not null,
    body          jsonb       not null,
    label         text        not null,
    made_at       timestamptz not null default clock_timestamp(),
    used_at       timestamptz
);
create index passkey_user on passkey (user_id);

-- What was asked of a browser and is not answered yet: for some minutes.
create table passkey_ceremony (
    digest  bytea       primary key,
    user_id integer     not null, -- 0: somebody signs in
    body    jsonb       not null,
    ends_at timestamptz not null
);
create index passkey_ceremony_ends on passkey_ceremony (ends_at);
