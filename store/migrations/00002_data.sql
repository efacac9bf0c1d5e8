-- +goose Up
alter table sources
  add column kind text not null default 'postgresql',
  add column rules jsonb not null default '{"version": 1, "source": "", "tables": []}',
  add column rules_at timestamptz not null default now(),
  add column used_by jsonb not null default '[]';
alter table people add column last_chart jsonb;
create table files (
  name text primary key, title text not null, original text not null, sheet text not null default '', format text not null, rows bigint not null,
  columns jsonb not null, notes jsonb not null default '[]', loaded_at timestamptz not null, loaded_by text not null,
  address text not null default '', every_minutes int not null default 0, next_at timestamptz, trouble text not null default ''
);
create table workspace (
  one boolean primary key default true check (one), document jsonb not null, updated_by text not null, updated_at timestamptz not null default now()
);
create table api_keys (
  id text primary key, hash text not null unique, person_id bigint not null references people on delete cascade,
  title text not null, created_at timestamptz not null default now(), used_at timestamptz
);

-- +goose Down
drop table api_keys, workspace, files;
alter table people drop column last_chart;
alter table sources drop column kind, drop column rules, drop column rules_at, drop column used_by;
