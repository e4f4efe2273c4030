-- +goose Up

-- Whether what whoever changes unit was given by hand is put before their manager.
alter table organisation_fact add column review_moves boolean not null default false;
