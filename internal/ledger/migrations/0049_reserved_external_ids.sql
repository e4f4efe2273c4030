-- +goose Up

-- An externalId is reserved, under a row below 0, while what it is of is being made.
alter table external_id add column reserved_at timestamptz;
