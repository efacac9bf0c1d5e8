-- +goose Up
-- Days on which nobody works, as files of calendars say.
create table calendars (
  id bigint generated always as identity primary key, title text not null unique, days jsonb not null,
  kept_by text not null, kept_at timestamptz not null default clock_timestamp()
);
-- Rooms of a chat that something may be told to.
create table channels (
  id bigint generated always as identity primary key, title text not null unique, address text not null, sealed_secret bytea not null,
  made_by text not null, made_at timestamptz not null default clock_timestamp()
);
-- Addresses outside, and domains, that letters may be sent to.
create table outsiders (
  address text primary key, added_by text not null, added_at timestamptz not null default clock_timestamp()
);
-- What is done by itself, in somebody's name.
create table errands (
  id bigint generated always as identity primary key, kind text not null check (kind in ('delivery', 'alert')),
  document_id bigint not null references documents on delete cascade, keeper_id bigint not null references people on delete cascade,
  title text not null, asks jsonb not null, sign_up boolean not null default false, revision integer not null default 1,
  made_at timestamptz not null default clock_timestamp(), looked_until timestamptz not null, next_at timestamptz,
  paused_at timestamptz, paused_why text not null default ''
);
create index on errands (document_id);
create index on errands (keeper_id);
create index on errands (next_at) where paused_at is null;
-- To whom it is told: a person, a team, an address outside, a room of a chat, or a viewer of a host app.
create table receivers (
  id bigint generated always as identity primary key, errand_id bigint not null references errands on delete cascade,
  person_id bigint references people on delete cascade, team_id bigint references teams on delete cascade,
  address text, channel_id bigint references channels on delete cascade,
  host_app text references host_apps on delete cascade, subject text, own boolean not null default false,
  check (num_nonnulls(person_id, team_id, address, channel_id, subject) = 1 and (host_app is null) = (subject is null))
);
create unique index on receivers (errand_id, coalesce(person_id, 0), coalesce(team_id, 0), coalesce(address, ''), coalesce(channel_id, 0), coalesce(host_app, ''), coalesce(subject, ''));
create index on receivers (person_id);
create index on receivers (team_id);
create index on receivers (host_app, subject);
-- Who wants no more of it.
create table leavings (
  errand_id bigint not null references errands on delete cascade, who text not null, left_at timestamptz not null default clock_timestamp(),
  primary key (errand_id, who)
);
-- Each time that it is done: once for each moment, whichever instance does it.
create table runs (
  id bigint generated always as identity primary key, errand_id bigint not null references errands on delete cascade,
  why text not null check (why in ('due', 'now', 'trial')), due_at timestamptz not null, late boolean not null default false, missed integer not null default 0,
  asked_by text not null default '', only_for text not null default '', state text not null default 'waiting', try_at timestamptz not null default clock_timestamp(),
  lease_until timestamptz, tries integer not null default 0, began_at timestamptz, ended_at timestamptz, words text not null default '',
  unique (errand_id, why, due_at)
);
create index on runs (try_at) where state in ('waiting', 'running');
-- What was sent to whom, and why not.
create table letters (
  id bigint generated always as identity primary key, run_id bigint not null references runs on delete cascade, who text not null, label text not null,
  state text not null default 'waiting', tries integer not null default 0, try_at timestamptz not null default clock_timestamp(),
  shown text not null default '', words text not null default '', at timestamptz, unique (run_id, who)
);
-- Where viewers of host apps get letters, and of which dashboards.
alter table host_viewers add email text not null default '', add dashboards jsonb not null default '[]';

-- +goose Down
alter table host_viewers drop column email, drop column dashboards;
drop table letters, runs, leavings, receivers, errands, outsiders, channels, calendars;
