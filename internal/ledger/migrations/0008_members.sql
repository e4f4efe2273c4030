-- +goose Up

-- Groups that lie in groups, which a question about one user climbs through.
create index membership_of_member_group on membership_fact (member_group) where member_group <> 0;
