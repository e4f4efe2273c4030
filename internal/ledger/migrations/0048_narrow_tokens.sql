-- +goose Up

-- What a token is good for alone: reading, decisions or people; blank: all that its account may do.
alter table token add column only_for text not null default '';
