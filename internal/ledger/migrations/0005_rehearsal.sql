-- +goose Up

-- Outside the ledger on purpose: how often applications in rehearsal let
-- somebody do what live would deny.
create table rehearsal (
    application integer not null,
    user_id     integer not null,
    action      text not null,
    path        text not null,
    times       bigint not null,
    last_at     timestamptz not null,
    primary key (application, user_id, action, path)
);
