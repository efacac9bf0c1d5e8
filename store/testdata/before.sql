insert into people (name, email, password_hash) values ('Mara', 'mara@example.org', 'x');
insert into sources (name, title, sealed_url, rules) values ('desk', 'Desk', '\x00', '{"version": 1, "source": "desk", "tables": [{"table": "public.job", "row_rules": [{"roles": ["everyone"], "where": "every row"}]}, {"table": "public.yard", "row_rules": []}]}'),
  ('files', 'Files', '\x00', '{"version": 1, "source": "", "tables": null}');
insert into datasets (name, source, document, updated_by) values ('jobs', 'desk', '{"version": 1, "name": "jobs", "title": "Jobs"}', 'Mara');
insert into charts (name, document, updated_by, keeper_id) values ('cost', '{"version": 1, "dataset": "jobs", "title": ""}', 'Mara', 1);
insert into dashboards (name, draft, revision, keeper, keeper_id, folder, published) values
  ('one', '{"version": 1, "name": "one", "title": "One", "pages": []}', 7, 'Mara', 1, 'Yard', 2), ('two', '{"version": 1, "name": "two", "title": "Two", "pages": []}', 1, 'Nobody', null, '', 0);
insert into dashboard_versions (dashboard, number, document, published_by) values ('one', 1, '{"version": 1, "name": "one", "title": "One", "pages": []}', 'Mara'),
  ('one', 2, '{"version": 1, "name": "one", "title": "One", "pages": [{"title": "P", "widgets": [{"id": "a", "at": [0, 0, 4, 4], "chart": {"library": "cost"}}, {"id": "b", "at": [4, 0, 4, 4], "text": "say {\"library\": \"cost\"}"}]}]}', 'Mara');
insert into workspace (one, document, updated_by) values (true, '{"version": 1, "zone": "Europe/London"}', 'Mara');
