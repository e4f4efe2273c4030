-- +goose Up

-- A change that had nothing to do is answered so again under its key, though what
-- it asks for may have been taken back meanwhile by somebody else.
alter table idempotency add column unchanged boolean not null default false;
