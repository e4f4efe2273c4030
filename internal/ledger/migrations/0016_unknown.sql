-- +goose Up

-- Paths that applications ask about and that are not registered are counted
-- beside what rehearsals let through.
alter table rehearsal add column kind text not null default 'rehearsed';
alter table rehearsal drop constraint rehearsal_pkey;
alter table rehearsal add primary key (application, kind, user_id, action, path);
