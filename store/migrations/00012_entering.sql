-- +goose Up
-- People who are invited, who end, who sign in with a second factor or through their organisation.
-- password_hash is empty for those who have none yet.
alter table people
  add column ended_at timestamptz,
  add column seen_at timestamptz,
  add column sealed_factor bytea,                       -- the secret of the second factor
  add column factor_step bigint not null default 0,     -- the newest step of time a code was taken of: none counts twice
  add column subject text unique;                       -- as the organisation names them: issuer, blank, subject
-- Codes that stand in for the second factor, each once.
create table spare_codes (
  person_id bigint not null references people on delete cascade, hash text not null, primary key (person_id, hash)
);
-- A session is half as long as the second factor is missing.
alter table sessions
  add column id text not null default md5(random()::text || clock_timestamp()::text) unique,
  add column begun_at timestamptz not null default clock_timestamp(),
  add column seen_at timestamptz not null default clock_timestamp(),
  add column address text not null default '', add column agent text not null default '',
  add column through text not null default 'password', add column half boolean not null default false;
create index on sessions (person_id);
-- Links that let somebody in once, to choose a password.
create table entries (
  token_hash text primary key, person_id bigint not null references people on delete cascade, invitation boolean not null,
  made_by text not null, made_at timestamptz not null default clock_timestamp(), expires_at timestamptz not null
);
create index on entries (person_id);
-- Codes that let the first person in, as long as there is nobody.
create table first_codes (hash text primary key, made_at timestamptz not null default clock_timestamp());
-- Where the organisation signs its people in (OpenID Connect), and who is on the way there.
create table organisations (
  id int primary key default 1 check (id = 1), title text not null, issuer text not null, client text not null, sealed_secret bytea not null,
  admits boolean not null, revision int not null default 1
);
create table departures (
  token_hash text primary key, state text not null, nonce text not null, verifier text not null, onward text not null, expires_at timestamptz not null
);

-- +goose Down
drop table departures, organisations, first_codes, entries, spare_codes;
alter table sessions drop column id, drop column begun_at, drop column seen_at, drop column address, drop column agent, drop column through, drop column half;
alter table people drop column ended_at, drop column seen_at, drop column sealed_factor, drop column factor_step, drop column subject;
