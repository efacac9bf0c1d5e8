-- +goose Up
create table people (
  id bigint generated always as identity primary key, name text not null, email text not null unique,
  password_hash text not null, builder boolean not null default false,
  roles jsonb not null default '[]', attributes jsonb not null default '{}', created_at timestamptz not null default now()
);
create table sessions (
  token_hash text primary key, person_id bigint not null references people on delete cascade, csrf text not null, expires_at timestamptz not null
);
create table sign_in_attempts (
  id bigint generated always as identity primary key, account text not null, address text not null, at timestamptz not null default now()
);
create index on sign_in_attempts (at);
create table sources (
  name text primary key, title text not null, sealed_url bytea not null, created_at timestamptz not null default now()
);
create table datasets (
  name text primary key, source text not null references sources, document jsonb not null, updated_by text not null, updated_at timestamptz not null default now()
);
create table charts (
  name text primary key, document jsonb not null, updated_by text not null, updated_at timestamptz not null default now()
);
create table dashboards (
  name text primary key, draft jsonb not null, revision int not null default 1, draft_saved_at timestamptz not null default now(),
  keeper text not null, folder text not null default '', published int not null default 0
);
create table dashboard_versions (
  dashboard text not null references dashboards on delete cascade, number int not null, document jsonb not null,
  published_by text not null, published_at timestamptz not null default now(), primary key (dashboard, number)
);
create table host_apps (
  name text primary key, title text not null, address text not null, origins jsonb not null
);
create table host_keys (
  id text primary key, host_app text not null references host_apps on delete cascade, algorithm text not null,
  sealed_secret bytea not null, created_at timestamptz not null default now(), revoked_at timestamptz
);
create table frame_sessions (
  token_hash text primary key, host_app text not null references host_apps on delete cascade, viewer jsonb not null,
  dashboards jsonb not null, expires_at timestamptz not null
);
create index on frame_sessions (expires_at);
create table audit_entries (
  id bigint generated always as identity primary key, at timestamptz not null default now(), who text not null, what text not null, about text not null
);
-- +goose StatementBegin
create function keep_as_is() returns trigger language plpgsql as $$
begin
  raise exception '% is never changed', tg_table_name;
end $$;
-- +goose StatementEnd
create trigger append_only before update or delete on audit_entries for each row execute function keep_as_is();
create trigger append_only before update on dashboard_versions for each row execute function keep_as_is();

-- +goose Down
drop table audit_entries, frame_sessions, host_keys, host_apps, dashboard_versions, dashboards, charts, datasets, sources, sign_in_attempts, sessions, people;
drop function keep_as_is();
