-- +goose Up

-- Operations are written as they are hashed, and read whole: nothing looks into
-- them but the program. Taking them apart cost an import as much as writing them.
alter table operation alter column body type text using body::text;

-- +goose StatementBegin
do $$
begin
    alter table revision alter column canonical set compression lz4;
exception when feature_not_supported then -- a PostgreSQL built without it
    null;
end $$;
-- +goose StatementEnd
