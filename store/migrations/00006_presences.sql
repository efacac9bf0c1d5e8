-- +goose Up
-- Who has a document open for changing, in which window, and when that was last heard of.
create unlogged table presences (
  document_id bigint not null references documents on delete cascade, person_id bigint not null references people on delete cascade,
  window_name text not null, seen_at timestamptz not null default clock_timestamp(), primary key (document_id, person_id, window_name)
);

-- +goose Down
drop table presences;
