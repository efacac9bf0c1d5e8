-- +goose Up
-- Keys of which Eskadel has the public half only, or that are fetched from an address (JWKS), and when each was
-- last used. Their sealed_secret is empty.
alter table host_keys add column public_key text not null default '', add column address text not null default '', add column used_at timestamptz;
-- A pass may be good for one viewer's one coming in.
alter table host_apps add column once boolean not null default false;
create table used_passes (
  host_app text not null references host_apps on delete cascade, id text not null, expires_at timestamptz not null, primary key (host_app, id)
);
create index on used_passes (expires_at);
-- Viewers who were here lately.
create table host_viewers (
  host_app text not null references host_apps on delete cascade, subject text not null, name text not null, roles jsonb not null, attributes jsonb not null,
  seen_at timestamptz not null default clock_timestamp(), host_key text not null, primary key (host_app, subject)
);
create index on host_viewers (seen_at);

-- +goose Down
drop table host_viewers, used_passes;
alter table host_apps drop column once;
alter table host_keys drop column public_key, drop column address, drop column used_at;
