-- +goose Up
-- One kind of thing for all that people make and change, with a draft and numbered versions.
create table documents (
  id bigint generated always as identity primary key,
  kind text not null check (kind in ('dataset', 'chart', 'dashboard', 'rules', 'settings')),
  name text not null, title text not null, folder text not null default '',
  keeper text not null default '', keeper_id bigint references people on delete set null,
  revision int not null default 1, draft jsonb not null,
  saved_by text not null, saved_at timestamptz not null default clock_timestamp(),
  published int not null default 0,
  indexed int not null default 0,
  unique (kind, name)
);
-- Names that a document had before still lead to it.
create table document_names (
  kind text not null, name text not null, document_id bigint not null references documents on delete cascade, primary key (kind, name)
);
create table document_versions (
  document_id bigint not null references documents on delete cascade, number int not null, document jsonb not null,
  published_by text not null, published_at timestamptz not null default clock_timestamp(), primary key (document_id, number)
);
-- The newest states of drafts, so that two changes made at once can be told apart.
create table document_drafts (
  document_id bigint not null references documents on delete cascade, revision int not null, document jsonb not null,
  saved_by text not null, saved_at timestamptz not null, primary key (document_id, revision)
);
-- What a draft (0) or a version speaks of: a document of a kind, or a source, by name; a
-- version of it where that is pinned, else 0.
create table document_references (
  document_id bigint not null references documents on delete cascade, number int not null,
  kind text not null, name text not null, pinned int not null default 0, primary key (document_id, number, kind, name, pinned)
);
create index on document_references (kind, name);

insert into documents (kind, name, title, revision, draft, saved_by, saved_at, published)
  select 'dataset', name, coalesce(document->>'title', name), 1, document, updated_by, updated_at, 1 from datasets;
insert into documents (kind, name, title, revision, draft, saved_by, saved_at, published, keeper_id, keeper)
  select 'chart', c.name, coalesce(nullif(c.document->>'title', ''), c.name), 1, c.document, c.updated_by, c.updated_at, 1, c.keeper_id, coalesce(p.name, '')
  from charts c left join people p on p.id = c.keeper_id;
insert into documents (kind, name, title, folder, revision, draft, saved_by, saved_at, published, keeper_id, keeper)
  select 'dashboard', name, coalesce(draft->>'title', name), folder, revision, draft, keeper, draft_saved_at, published, keeper_id, keeper from dashboards;
insert into documents (kind, name, title, revision, draft, saved_by, saved_at, published)
  select 'rules', s.name || '/' || (t->>'table'), t->>'table', 1, jsonb_build_object('version', 1, 'source', s.name) || t, '', s.rules_at, 1
  from sources s, jsonb_array_elements(case when jsonb_typeof(s.rules->'tables') = 'array' then s.rules->'tables' else '[]' end) t;
insert into documents (kind, name, title, revision, draft, saved_by, saved_at, published)
  select 'settings', 'workspace', 'Workspace', 1, document, updated_by, updated_at, 1 from workspace;
insert into document_versions (document_id, number, document, published_by, published_at)
  select id, 1, draft, saved_by, saved_at from documents where kind <> 'dashboard';
-- A chart of the library is from now on one of its versions: what was shown is the first.
insert into document_versions (document_id, number, document, published_by, published_at)
  select d.id, v.number, regexp_replace(v.document::text, '\{"library": "([^"\\]+)"\}', '{"library": "\1", "version": 1}', 'g')::jsonb, v.published_by, v.published_at
  from dashboard_versions v join documents d on d.kind = 'dashboard' and d.name = v.dashboard;
insert into document_drafts select id, revision, draft, saved_by, saved_at from documents;
create trigger append_only before update on document_versions for each row execute function keep_as_is();

drop table dashboard_versions, dashboards, charts, datasets, workspace;
alter table sources drop column rules, drop column rules_at, add column revision int not null default 1;
alter table host_apps add column revision int not null default 1;
create index on audit_entries (at);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'what documents hold has no place in the tables before: go back to a backup'; end $$;
-- +goose StatementEnd
