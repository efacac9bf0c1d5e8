-- +goose Up
-- Folders that somebody has said who sees; what stands in one may be seen as it says.
create table folders (
  id bigint generated always as identity primary key, kind text not null, name text not null,
  keeper text not null, keeper_id bigint references people on delete set null,
  private boolean not null default false, team_id bigint references teams on delete restrict,
  unique (kind, name), check (not private or team_id is null)
);
alter table documents add as_folder boolean not null default false, add check (not as_folder or not private and team_id is null);
-- Who else may see, edit or share a document, or what stands in a folder.
create table grants (
  id bigint generated always as identity primary key,
  document_id bigint references documents on delete cascade, folder_id bigint references folders on delete cascade,
  person_id bigint references people on delete cascade, team_id bigint references teams on delete cascade,
  may text not null check (may in ('see', 'edit', 'share')), given_by text not null, given_at timestamptz not null default clock_timestamp(),
  check (num_nonnulls(document_id, folder_id) = 1 and num_nonnulls(person_id, team_id) = 1)
);
create unique index on grants (coalesce(document_id, 0), coalesce(folder_id, 0), coalesce(person_id, 0), coalesce(team_id, 0));
create index on grants (folder_id);
create index on grants (person_id);
create index on grants (team_id);
-- What people are told of in the application.
create table notices (
  id bigint generated always as identity primary key, person_id bigint not null references people on delete cascade,
  at timestamptz not null default clock_timestamp(), kind text not null, by_name text not null, words text not null, note text not null default '',
  address text not null default '', read_at timestamptz
);
create index on notices (person_id, id);

-- +goose Down
drop table notices, grants;
alter table documents drop column as_folder;
drop table folders;
