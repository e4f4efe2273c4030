-- +goose Up

-- What a client last sent of attributes that may be changed here: what stands here otherwise was
-- changed here. Personal values are none of them.
create table client_value (
    client_id integer not null,
    user_id   integer not null,
    attribute text    not null,
    value     text    not null,
    primary key (client_id, user_id, attribute)
);
