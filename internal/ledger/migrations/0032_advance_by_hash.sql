-- +goose Up

-- A revision follows the very one it was judged on, and not another of the same number: a
-- program that goes on beside a database that was put back writes nothing. Programs from
-- before this migration find no function to commit with.
drop function advance_ledger(bigint, bigint, bytea, timestamptz);
-- +goose StatementBegin
create function advance_ledger(base bigint, base_hash bytea, next_revision bigint, next_hash bytea, next_at timestamptz) returns timestamptz
language plpgsql as $$
begin
    update ledger_head set revision = next_revision, hash = next_hash, at = next_at where revision = base and hash = base_hash;
    if not found then
        raise exception 'the head is not at revision % as it is known here', base using errcode = 'AR001';
    end if;
    perform pg_notify('able_roster_ledger', next_revision::text);
    return clock_timestamp();
end
$$;
-- +goose StatementEnd
