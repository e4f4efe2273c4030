package ledger

// The statements of the ledger. Those on fact tables are built once from the
// table's columns.
const (
	// sqlAdvance moves the head from revision $1 to $3, says when, and tells whoever follows. $6
	// says that the fact rows are written with it, null that they follow in any case. Where the
	// head, or the rows, are elsewhere it fails (AR001, AR002).
	sqlAdvance = sqlMoveHead + `select coalesce((select clock_timestamp() from h, pg_notify('able_roster_ledger', h.revision::text)), head_elsewhere($1, $2))`

	// sqlAdvanceUntold is sqlAdvance where no other program follows: to tell nobody costs as much
	// as to tell somebody.
	sqlAdvanceUntold = sqlMoveHead + `select coalesce((select clock_timestamp() from h), head_elsewhere($1, $2))`

	sqlMoveHead = `with h as (update ledger_head set revision = $3, hash = $4, at = $5, rows_through = case when $6 then $3 else rows_through end
		where revision = $1 and hash = $2 and ($6::boolean is null or $6 = (rows_through = $1)) returning revision) `

	sqlHeadRevision = `select revision from ledger_head`
	sqlHeadAt       = `select revision, epoch, ledger::text, rows_through from ledger_head`

	sqlReachedAt = `select at, hash from revision where revision = $1`
	sqlHashOf    = `select hash from revision where revision = $1`
	sqlNextEpoch = `update ledger_head set epoch = greatest(epoch + 1, $2) where epoch = $1`

	// sqlHead is what a follower asks: how far the ledger goes, the time, whether the
	// database takes no changes, how new its tables are, how far the rows reach, and which
	// large change is about to be published, and how many programs follow.
	sqlHead = `select revision, hash, epoch, clock_timestamp(), pg_is_in_recovery() or current_setting('transaction_read_only')::boolean,
		(select max(version_id) from goose_db_version), rows_through, coalesce((select max(id) from staging where ready), 0),
		(select count(*) from pg_locks where locktype = 'advisory' and granted and classid = $1 and objid = $2
			and database = (select oid from pg_database where datname = current_database())) from ledger_head`

	// sqlTellFollows says that one more program follows.
	sqlTellFollows = `select pg_notify('able_roster_ledger', 'follows')`

	// What is kept beside the ledger may name whoever is erased, in words: it goes with
	// them, and a part that is to be made goes back.
	erasedNames = `with erased as (
			select distinct '\m' || regexp_replace(lower(n), '([^[:alnum:] ])', '\\\1', 'g') || '\M' as n
			from personal, lateral (values (text->>'user_name'), (text->>'display_name'), (text->>'email')) v(n)
			where user_id = any($1) and length(n) > 2) `
	sqlForgetRefusals = erasedNames + `delete from refusal r where user_id = any($1)
		or subjects && (select array_agg('user-' || u) from unnest($1::integer[]) u)
		or subjects is null and exists (select from erased where lower(r.detail) ~ n or lower(substring(r.call from '/users/([^/]+)')) = n)`
	sqlForgetPending = erasedNames + `update pending_change p set lines = null, said = '{}', reason = '', answer = '', name = '',
		state = case when ended_at is null then 'withdrawn' else state end, ended_at = coalesce(ended_at, clock_timestamp())
		where subjects && (select array_agg('user-' || u) from unnest($1::integer[]) u)
		or subjects is null and exists (select from erased where lower(p.said::text || ' ' || p.reason || ' ' || p.answer || ' ' || p.name) ~ n)`

	// A view that searches for them finds nobody any more; one that is called after them
	// goes too, where the name is more than a word that means something else.
	sqlForgetSaved = erasedNames + `delete from saved s where owner = any($1) and not shared
		or exists (select from erased where n ~ '[ .@]' and lower(translate(s.key, '-', ' ') || ' ' || translate(s.key, '-', '.') || ' ' || s.label) ~ n
			or lower(s.body->'search'->>'q') ~ ('^' || n || '$') or lower(s.body->'search'->>'filter') ~ ('"' || n || '"'))`

	// What became of files that were sent may name anybody.
	sqlForgetUploads = `update upload set answer = null, options = '{}' where ended_at is not null and cardinality($1::integer[]) > 0`

	// What clients call them is theirs, and what clients were refused may name anybody.
	sqlForgetValues      = `delete from client_value where user_id = any($1)`
	sqlForgetExternal    = `delete from external_id where kind = 'user' and row = any($1)`
	sqlForgetProviders   = `delete from provider_link where user_id = any($1)`
	sqlForgetConnections = `update connection set said = '', refused_call = '', refused_why = '' where cardinality($1::integer[]) > 0`

	// What somebody signs in by ends with the commit that suspends them or has them
	// depart: none of it revives when they come back.
	sqlEndSessions = `delete from session where user_id = any($1)`
	sqlEndTokens   = `delete from token where user_id = any($1)`
	sqlEndLinks    = `delete from sign_in_link where user_id = any($1)`
	sqlTellEpoch   = `select pg_notify('able_roster_ledger', 'epoch')` // others look at once
	sqlTellKeys    = `select pg_notify('able_roster_keys', 'several')`

	// The digests stay, and with them the chain.
	sqlErase = `update personal set text = null, salt = null where user_id = any($1) and text is not null`

	sqlEraseReasons = `update reason set text = null, salt = null where digest = any($1) and text is not null`
	sqlMade         = `update mending set made = $3 where revision = $1 and position = $2`
)
