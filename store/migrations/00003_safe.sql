-- +goose Up
delete from frame_sessions;
alter table frame_sessions add column host_key text not null references host_keys on delete cascade, add column subject text not null;
create index on frame_sessions (host_app, subject);
create table ended_viewers (
  host_app text not null references host_apps on delete cascade, subject text not null, name text not null,
  ended_by text not null, ended_at timestamptz not null default now(), primary key (host_app, subject)
);
alter table host_apps add column pass_minutes int not null default 5 check (pass_minutes between 1 and 60);
create table sign_in_places (
  account text not null, address text not null, at timestamptz not null default now(), primary key (account, address)
);
create index on sign_in_attempts (account, at);
create index on sign_in_attempts (address, at);
alter table dashboards add column keeper_id bigint references people on delete set null;
update dashboards d set keeper_id = (select min(p.id) from people p where p.name = d.keeper having count(*) = 1);
alter table charts add column keeper_id bigint references people on delete set null;
update charts c set keeper_id = (select min(p.id) from people p where p.name = c.updated_by having count(*) = 1);

-- +goose Down
alter table charts drop column keeper_id;
alter table dashboards drop column keeper_id;
drop table sign_in_places, ended_viewers;
alter table host_apps drop column pass_minutes;
alter table frame_sessions drop column host_key, drop column subject;
