-- +goose Up

-- The ids of whom a passed-on part, or what was refused, speaks of: by these, and not by
-- their names, they go with whoever is erased. Those kept before have none, and are
-- matched by words.
alter table part add column subjects text[];
alter table refusal add column subjects text[];
