-- +goose Up

-- Groups that choose members by a filter over users' facts.
alter table group_fact add filter text not null default '';
create index group_with_filter on group_fact (id) where filter <> '';
