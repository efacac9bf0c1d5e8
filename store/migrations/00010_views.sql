-- +goose Up
-- How dashboards were looked at, by short names made of what is kept: filters, choices and drills, and
-- no figure. Whoever opens one sees what their own rights let them.
create table views (
  id text not null, document_id bigint not null references documents on delete cascade,
  state jsonb not null, used_at timestamptz not null default clock_timestamp(), primary key (document_id, id)
);
create index on views (used_at);

-- +goose Down
drop table views;
