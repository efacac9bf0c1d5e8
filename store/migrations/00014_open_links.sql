-- +goose Up
-- Links that show a dashboard to whoever has them, as one viewer sees it.
create table open_links (
  id bigint generated always as identity primary key, token_hash text not null unique,
  document_id bigint not null references documents on delete cascade, title text not null,
  maker_id bigint not null references people on delete cascade, roles jsonb not null, attributes jsonb not null,
  password_hash text not null default '', page text not null default '', view text not null default '',
  made_at timestamptz not null default clock_timestamp(), expires_at timestamptz not null, ended_at timestamptz,
  uses bigint not null default 0, used_at timestamptz
);
create index on open_links (document_id);
create table link_sessions (
  token_hash text primary key, link_id bigint not null references open_links on delete cascade, expires_at timestamptz not null
);
create index on link_sessions (link_id);

-- +goose Down
drop table link_sessions, open_links;
