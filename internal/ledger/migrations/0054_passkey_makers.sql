-- +goose Up

-- Who could be a user by a passkey or a second factor besides the user: whoever could know what
-- they signed in by when they added it. It is void as a password is. Of what is there already it
-- is whoever could know the password now.
alter table passkey add column maker integer not null default 0;
alter table passkey add column cleared text[] not null default '{}';
alter table second_factor add column maker integer not null default 0;
alter table session add column passkey bigint;
update passkey p set maker = c.maker, cleared = c.cleared from credential c where c.user_id = p.user_id and c.maker not in (0, c.user_id);
update second_factor f set maker = c.maker from credential c where c.user_id = f.user_id and c.maker not in (0, c.user_id);
