-- +goose Up

-- What is said of machine accounts: what each is for, and who answers for it.
create table machine_account_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);
