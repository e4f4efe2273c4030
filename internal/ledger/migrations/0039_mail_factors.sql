-- +goose Up

-- Mails that are to be sent or were, beside the ledger. What a mail says is drawn when it is
-- sent, from the facts as they are then: neither an address nor a secret is kept here.
create table mail (
    id         bigint generated always as identity primary key,
    user_id    integer not null,           -- whom it is to
    kind       text not null,
    caused_by  integer not null default 0, -- who did what it tells of; 0: nobody
    revision   bigint not null default 0,  -- that it tells of; 0: none
    state      text not null default 'waiting' check (state in ('waiting', 'sent', 'failed', 'dropped')),
    tries      integer not null default 0,
    said       text not null default '',   -- what went wrong, or why it was not sent
    made_at    timestamptz not null default clock_timestamp(),
    ended_at   timestamptz,
    check ((state = 'waiting') = (ended_at is null))
);
create index mail_ended on mail (ended_at);
create index mail_user on mail (user_id, id);

-- Up to which revision the mails are there that follow from the ledger.
create table mail_reach (
    one      boolean primary key default true check (one),
    revision bigint not null,
    reminded date -- the last day on which people were told what of theirs ends soon
);

-- Second factors: a secret for one-time codes (RFC 6238), and codes for when it is lost.
create table second_factor (
    user_id      integer primary key,
    secret       bytea not null,
    made_at      timestamptz not null default clock_timestamp(),
    confirmed_at timestamptz,            -- null: it was never shown to work
    last_step    bigint not null default 0, -- the time step of the last code that was taken
    help_by      integer not null default 0, -- the first of two administrators who remove it
    help_at      timestamptz
);
create table recovery_code (
    digest  bytea primary key,
    user_id integer not null,
    used_at timestamptz
);
create index recovery_code_user on recovery_code (user_id);

-- Sessions as their users see them.
alter table session add column id bigint generated always as identity;
alter table session add column device text not null default '';
alter table session add column address text not null default '';
