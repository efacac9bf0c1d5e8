-- +goose Up
-- Pages of dashboards as they were seen, with what is drawn on them.
create table snapshots (
  id bigint generated always as identity primary key, document_id bigint references documents on delete set null, about text not null,
  title text not null, maker_id bigint not null references people on delete cascade, made_at timestamptz not null default clock_timestamp(),
  shared boolean not null default false, revision integer not null default 1, frozen jsonb not null, notes jsonb not null default '[]'
);
create index on snapshots (document_id);
create index on snapshots (maker_id);

-- +goose Down
drop table snapshots;
