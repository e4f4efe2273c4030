-- +goose Up

-- Whom a client that keeps people by SCIM had depart or suspended, so that one which dismisses
-- everybody is stopped. Rows of yesterday are deleted.
create table client_departure (
    client_id integer     not null,
    user_id   integer     not null,
    at        timestamptz not null default clock_timestamp(),
    primary key (client_id, user_id)
);
