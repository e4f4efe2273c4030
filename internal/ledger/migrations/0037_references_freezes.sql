-- +goose Up

-- Where the work was asked for: a revision is found by it.
alter table revision add column reference text not null default '';
create index revision_of_reference on revision (reference) where reference <> '';
alter table organisation_fact add column reference_pattern text not null default '';
alter table organisation_fact add column reference_address text not null default '';

create table freeze_fact (
    id     integer not null,
    opened bigint  not null,
    closed bigint,
    body   jsonb   not null,
    primary key (id, opened)
);

-- Programs from before this know no references: a revision that has one would not fit for
-- them. They find no function to commit with.
alter function advance_ledger(bigint, bytea, bigint, bytea, timestamptz, boolean) rename to advance_head;

-- A change that is prepared may be its author's own: kept under a name, or to be made at a
-- date. One that was not made at its date lies before its author again.
alter table pending_change add column name text not null default '';
alter table pending_change add column reference text not null default '';
alter table pending_change add column acknowledge text[] not null default '{}';
alter table pending_change add column based_on bigint not null default 0;
alter table pending_change add column due timestamptz;
alter table pending_change add column mark bytea; -- of the effect that its author saw
alter table pending_change add column taken_until timestamptz; -- by the service that makes it
alter table pending_change drop constraint part_check;
alter table pending_change drop constraint part_check1;
alter table pending_change add check ((state in ('waiting', 'saved', 'dated', 'returned')) = (ended_at is null));
alter table pending_change add check ((state in ('waiting', 'saved', 'dated', 'returned')) = (lines is not null));
alter table pending_change add check ((state = 'dated') <= (due is not null));
create index pending_change_due on pending_change (due) where state = 'dated';
