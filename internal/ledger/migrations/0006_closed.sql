-- +goose Up

-- What was taken back is looked for at every start.
create index assignment_closed on assignment_fact (closed) where closed is not null;
create index membership_closed on membership_fact (closed) where closed is not null;
