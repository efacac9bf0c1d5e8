-- +goose Up
-- Teams of people who sign in, and the team that a document is for.
create table teams (
  id bigint generated always as identity primary key, name text not null unique, created_at timestamptz not null default clock_timestamp()
);
create table team_members (
  team_id bigint not null references teams on delete cascade, person_id bigint not null references people on delete cascade,
  primary key (team_id, person_id)
);
create index on team_members (person_id);
-- A team goes only when nothing is its own any more: else that would be everybody's, or nobody's.
alter table documents add team_id bigint references teams on delete restrict, add check (not private or team_id is null);

-- +goose Down
alter table documents drop team_id;
drop table team_members, teams;
