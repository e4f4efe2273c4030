-- +goose Up

-- Who could know a password or a token besides its user: whoever made the link it
-- was set by, or the token; 0 for nobody. And the powers its user had when it was
-- last found good: what they come to hold later its maker must hold too.
alter table credential add column maker integer not null default 0;
alter table credential add column cleared text[] not null default '{}';
alter table token add column maker integer not null default 0;
alter table token add column cleared text[] not null default '{}';
create index session_of_user on session (user_id);
create index token_of_user on token (user_id);

-- One-time links by which people set their own password. Only digests are kept.
create table sign_in_link (
    digest     bytea primary key,
    user_id    integer not null,
    maker      integer not null,
    cleared    text[] not null,
    created_at timestamptz not null default clock_timestamp(),
    expires_at timestamptz not null
);
create index sign_in_link_user on sign_in_link (user_id);

-- Browsers from which somebody signed in before: their tries are counted apart, so
-- that whoever guesses elsewhere does not keep them out.
create table device (
    digest  bytea primary key,
    user_id integer not null,
    last_at timestamptz not null default clock_timestamp()
);
create index device_user on device (user_id, last_at);

-- Who did it, beside to whom it was done.
alter table security_event add column actor integer;
create index security_event_user on security_event (user_id, id);
create index security_event_at on security_event (at);
create index idempotency_created on idempotency (created_at);
