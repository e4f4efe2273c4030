-- +goose Up

-- What a client that keeps users and groups by SCIM calls them (externalId). Outside the ledger:
-- it gives nobody anything.
create table external_id (
    client_id   integer not null, -- the user whose token the client has
    kind        text    not null, -- user or group
    row         integer not null,
    external_id text    not null default '', -- blank: none was given
    gone        boolean not null default false, -- the client deleted it
    primary key (client_id, kind, row)
);
create unique index external_id_once on external_id (client_id, kind, external_id) where external_id <> '';
