-- +goose Up
-- Records that were changed from within Eskadel. A source may name a second role, which changes them.
alter table sources add column changer text not null default '', add column sealed_changer bytea;
-- One entry for each change, written just before it is kept in the source, and one for how it ended: an entry
-- without an end is one of which that is not known. Nothing in either is ever changed.
create table edits (
  id bigint generated always as identity primary key, at timestamptz not null default clock_timestamp(),
  source text not null, record_table text not null, record_key jsonb not null, field text not null, column_name text not null,
  was text, now text, by_id text not null, by_name text not null, dashboard text not null,
  host_app text not null default '', undoes bigint references edits
);
create index on edits (source, record_table, record_key, id);
create table edit_ends (
  edit_id bigint primary key references edits, at timestamptz not null default clock_timestamp(), done boolean not null, words text not null default ''
);
create trigger append_only before update or delete on edits for each row execute function keep_as_is();
create trigger append_only before update or delete on edit_ends for each row execute function keep_as_is();

-- +goose Down
drop table edit_ends, edits;
alter table sources drop column changer, drop column sealed_changer;
