-- +goose Up

create table erased_reason_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);

create table mending_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);

-- What is read in the place of operations that cannot be read. It is there before the
-- revision that says so (made): without it the ledger could not be read to make that.
create table mending (
    revision    bigint  not null,
    position    integer not null,
    digest      text    not null,
    replacement text    not null,
    made        bigint,
    primary key (revision, position)
);
