-- +goose Up

-- One row a revision, gapless. at is what as-of goes by: the claimed time where
-- history was loaded into an empty ledger, else when it was recorded. The hash
-- is over the predecessor's hash and the canonical bytes.
create table revision (
    revision    bigint primary key,
    at          timestamptz not null,
    recorded_at timestamptz not null,
    claimed     boolean not null,
    author      integer,
    via         text not null,
    reason      bytea not null,
    canonical   bytea not null,
    hash        bytea not null
);
create unique index revision_at on revision (at);

-- The head is a row of its own so that one lock serialises commits.
create table head (
    one      boolean primary key default true check (one),
    revision bigint not null,
    hash     bytea not null,
    at       timestamptz not null
);
insert into head values (true, 0, '\x', '1970-01-01Z');

-- One row an operation. subjects are the ids it speaks of, for histories of
-- one user, group, role or application.
create table operation (
    revision bigint not null references revision,
    position integer not null,
    verb     text not null,
    body     jsonb not null,
    subjects text[] not null,
    primary key (revision, position)
);
create index operation_subjects on operation using gin (subjects);

-- Texts that can be erased: the personal values of users and the reasons of
-- revisions. The ledger holds their salted digests alone.
create table personal (
    digest  bytea primary key,
    user_id integer not null,
    salt    bytea,
    text    jsonb
);
create index personal_user on personal (user_id);
create table reason (
    digest bytea primary key,
    salt   bytea,
    text   text
);

-- The facts: who has what. A row lives from the revision that opened it to the
-- one that closed it; closing is the only update and nothing is deleted. All of
-- it can be dropped and made again from the operations.
create table organisation_fact (
    id integer not null, opened bigint not null, closed bigint,
    name text not null, time_zone text not null,
    primary key (id, opened)
);
create table user_fact (
    id integer not null, opened bigint not null, closed bigint,
    personal bytea not null, kind text not null, status text not null, unit text not null,
    title text not null, manager integer not null, employment_type text not null,
    location text not null, start_date integer not null, end_date integer not null,
    primary key (id, opened)
);
create table group_fact (
    id integer not null, opened bigint not null, closed bigint,
    key text not null, label text not null, description text not null, unit text not null,
    primary key (id, opened)
);
create table membership_fact (
    id integer not null, opened bigint not null, closed bigint,
    group_id integer not null, member_user integer not null, member_group integer not null,
    from_at bigint not null, until_at bigint not null,
    primary key (id, opened)
);
create index membership_of_user on membership_fact (member_user);
create index membership_of_group on membership_fact (member_group);
create table application_fact (
    id integer not null, opened bigint not null, closed bigint,
    key text not null, label text not null, description text not null,
    state text not null, actions jsonb not null,
    primary key (id, opened)
);
create table resource_fact (
    id integer not null, opened bigint not null, closed bigint,
    application integer not null, path text not null, kind text not null, label text not null,
    description text not null, open boolean not null, addresses text[] not null,
    primary key (id, opened)
);
create index resource_of on resource_fact (application);
create table role_fact (
    id integer not null, opened bigint not null, closed bigint,
    application integer not null, key text not null, label text not null,
    description text not null, retired boolean not null,
    primary key (id, opened)
);
create table inclusion_fact (
    id integer not null, opened bigint not null, closed bigint,
    role integer not null, included integer not null,
    primary key (id, opened)
);
create index inclusion_of on inclusion_fact (role);
create table permission_fact (
    id integer not null, opened bigint not null, closed bigint,
    role integer not null, application integer not null, actions text[] not null, pattern text not null,
    primary key (id, opened)
);
create index permission_of on permission_fact (role);
create table assignment_fact (
    id integer not null, opened bigint not null, closed bigint,
    assignee_user integer not null, assignee_group integer not null, role integer not null,
    from_at bigint not null, until_at bigint not null, origin text not null,
    primary key (id, opened)
);
create index assignment_of_user on assignment_fact (assignee_user);
create index assignment_of_group on assignment_fact (assignee_group);
