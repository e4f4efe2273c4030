-- +goose Up

-- Decisions of reviews say in whose place they were made. A program from before this would not: it
-- stops where the tables are newer.
comment on table review_decision_fact is 'Decisions on items of reviews, with in whose place they were made';
