package source_test

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/source/sourcetest"
)

const selectSchema = `create table job (id int primary key, kind text, cost numeric(12,2), at timestamptz, note jsonb, tags text[]);
create table secret (id int primary key, word text);
create schema other; create table other.plan (id int primary key, cost numeric); create table other.job (id int primary key, other_word text);
create function evil() returns int language sql volatile as 'select 1'; create function lower(x int) returns text language sql as $$ select 'evil' $$;
create sequence counter; grant usage on schema other to SELECTS_reader; grant select on all tables in schema public, other to SELECTS_reader; grant all on sequence counter to SELECTS_reader;
revoke all on secret from SELECTS_reader; insert into job values (1, 'a', 10, now(), '{"a": [1, 2]}', '{x,y}'), (2, 'b', 20, now(), null, null);`

func TestQueriesOfTheBuildersOwn(t *testing.T) {
	_, src := sourcetest.Connect(t, "selects", strings.ReplaceAll(selectSchema, "SELECTS", "selects"))
	ctx := context.Background()
	c, err := src.Introspect(ctx)
	require.NoError(t, err)
	for sql, columns := range map[string]string{
		"select id, kind from job":                      "id integer, kind text",
		"select id, cost * 2 as double from public.job": "id integer, double number",
		"with recent as (select * from job where at > now() - interval '1 day') select kind, count(*) from recent group by kind":                                      "kind text, count integer",
		"select j.id, e.value from job j cross join lateral jsonb_array_elements(j.note->'a') e(value)":                                                               "id integer, value text",
		"select id from job union all select id from other.plan":                                                                                                      "id integer",
		"select id, row_number() over (partition by kind order by cost desc) as rank from job":                                                                        "id integer, rank integer",
		"select id, unnest(tags) as tag, lower(kind) as low from job":                                                                                                 "id integer, tag text, low text",
		"select id -- a comment that would swallow the bracket":                                                                                                       "",
		"select j.id, o.other_word from job j left join other.job o using (id) -- the end":                                                                            "id integer, other_word text",
		"with recursive n(i) as (select 1 union all select i + 1 from n where i < 5) select i from n":                                                                 "i integer",
		"select id, case when cost between 1 and 5 then 'low' else coalesce(kind, 'none') end as size from job where kind ilike '%a%' and id in (select id from job)": "id integer, size text",
		"values (1, 'a'), (2, 'b')": "column1 integer, column2 text",
	} {
		table, err := src.Select(ctx, sql, c)
		if columns == "" {
			assert.Error(t, err, sql)
			continue
		}
		require.NoError(t, err, sql)
		var got []string
		for _, col := range table.Columns {
			got = append(got, col.Name+" "+col.Type.String())
		}
		assert.Equal(t, columns, strings.Join(got, ", "), sql)
	}
}

// Fifty ways of doing anything but reading the tables that the role may read.
func TestQueriesCannotBreakOut(t *testing.T) {
	_, src := sourcetest.Connect(t, "breakouts", strings.ReplaceAll(selectSchema, "SELECTS", "breakouts"))
	ctx := context.Background()
	c, err := src.Introspect(ctx)
	require.NoError(t, err)
	ways := []string{
		"insert into job values (3)", "update job set cost = 0", "delete from job", "drop table job", "truncate job", "create table x (i int)", "alter table job add x int", "copy job to stdout", "copy job to program 'id'", "do $$ begin end $$",
		"select 1; select 2", "select 1; drop table job", "", "select", "select * from job) r; drop table job; --", "select * from job)", "select * from job /*", "explain analyze delete from job", "set role postgres", "begin", "commit", "listen eskadel", "notify eskadel", "vacuum", "lock table job", "call evil()",
		"with gone as (delete from job returning *) select * from gone", "with new as (insert into job values (9) returning *) select * from new", "with changed as (update job set cost = 1 returning *) select * from changed",
		"select * into copy from job", "select * from job for update", "select * from job for share", "select $1", "select * from job where id = $1::int", "select * from job tablesample system (10)",
		"select pg_sleep(10)", "select pg_catalog.pg_sleep(10)", "select evil()", "select public.evil()", "select nextval('counter')", "select setval('counter', 1)", "select set_config('statement_timeout', '0', false)", "select current_setting('data_directory')", "select pg_advisory_lock(1)", "select pg_notify('eskadel', 'x')", "select lo_create(1)", "select lo_import('/etc/passwd')",
		"select pg_read_file('/etc/passwd')", "select pg_ls_dir('.')", "select pg_terminate_backend(1)", "select pg_cancel_backend(1)", "select dblink('host=x', 'select 1')", "select query_to_xml('select * from secret', true, true, '')", "select table_to_xml('secret', true, true, '')", "select database_to_xml(true, true, '')", "select ts_stat('select word from secret')",
		"select * from secret", "select * from public.secret", "select * from pg_authid", "select * from pg_catalog.pg_class", "select * from information_schema.tables", "select * from selects.public.job", "select 'secret'::regclass", "select cast('evil' as regproc)", "select 'x'::public.job", "select current_user", "select session_user", "select inet_server_addr()", "select version()",
		"select id operator(public.+) 1 from job", "select * from generate_series(1, 3) g, pg_sleep(1)", "select xmlparse(document '<a/>')", "table secret", "select (select word from secret limit 1)", "select 1 where exists (select from secret)", "select eskadel_1.* from eskadel_1", "select pg_stat_file('x')", "select pg_reload_conf()", "select txid_current()", "select repeat('x', 1000000000)", "select kind collate other.evil from job",
		"select (cost::float8).pg_sleep from job", "select ((1)::bigint).pg_advisory_lock", "select (kind).pg_read_file from job", "select (j.id).lo_unlink from job j",
		"with a as (select * from pg_authid), pg_authid as (select 1 as x) select * from a", "with a as (select * from secret), secret as (select 1 as x) select * from a", "with eskadel_1 as (select 1 as id) select * from job", "with recursive eskadel_9(i) as (select 1) select i from eskadel_9",
		"select id from job order by id using <", "select id from job order by id using operator(public.<)", "select 1 where 1 operator(public.=) any (select id from job)", "select x.* from rows from (evil()) x", "select id from job union select evil()", "select id from job group by evil()", "select id from job limit evil()", "select count(*) filter (where evil() = 1) from job",
	}
	require.GreaterOrEqual(t, len(ways), 50)
	for _, sql := range ways {
		_, err := src.Select(ctx, sql, c)
		p := problem.Of(err)
		if assert.NotNil(t, p, "taken: %s", sql) {
			assert.NotContains(t, p.Words, "log says", sql)
			assert.True(t, strings.HasPrefix(p.Place, "select"), sql)
		}
	}
	// A function of the same name made by somebody else does not answer.
	table, err := src.Select(ctx, "select id, lower(kind) as low, eskadel_1 as own from job eskadel_1", c)
	if err == nil {
		assert.NotContains(t, table.Body(), "public.lower")
	}
}

// Rules of the tables hold inside a query: through aliases, subqueries and names that
// “with” gives.
func TestRulesHoldInsideQueries(t *testing.T) {
	_, src := sourcetest.Connect(t, "ruled_selects", strings.ReplaceAll(selectSchema, "SELECTS", "ruled_selects"))
	ctx := context.Background()
	c, err := src.Introspect(ctx)
	require.NoError(t, err)
	rules, err := dataset.ReadRules([]byte(`{"version":1,"source":"test","tables":[{"table":"job","row_rules":[{"roles":["a"],"where":{"field":"kind","is":"a"}},{"roles":["b"],"where":"every row"}],"hidden":[{"columns":["cost"],"except":["b"]}]},
		{"table":"other.plan","row_rules":[{"roles":["everyone"],"where":"every row"}]}]}`))
	require.NoError(t, err)
	c, err = c.With(rules)
	require.NoError(t, err)
	for sql, want := range map[string]string{
		"select id from job": "1", "select x.id from job x join public.job y on x.id <= y.id group by x.id": "1", "with j as (select * from job) select id from j": "", "select id from (select id, kind from job) q": "1",
		"select id from other.plan union select id from job": "1", "select id, cost from job": "", "select id, to_jsonb(j) as w from job j": "", "select id, c from job j(id, kind, c)": "", "select id, j as w from job j": "", "select id, (j).cost as w from job j": "", "select job.*, 1 as one from job": "", "select id, to_jsonb(q) as w from (select * from job) q": "",
		"select id, c from (job j join other.plan p using (id)) as q(id, k, c)": "", "select id, job as w from job": "", "with j(id, b, c) as (select * from job) select id, c from j": "", "select count(*) as id from job": "1", "select id from job where exists (select from job z where z.id = 2)": "0",
	} {
		table, err := src.Select(ctx, sql, c)
		require.NoError(t, err, sql)
		doc := &dataset.Document{Version: 1, Name: "q", Title: "Q", Record: [2]string{"r", "rs"}, Source: "test", From: dataset.From{Select: sql}, Key: []string{"id"}, Fields: []dataset.FieldDocument{{Name: "id", Column: "id"}}}
		ds, err := dataset.Resolve(doc, c, table)
		require.NoError(t, err)
		for _, v := range []rule.Viewer{{Roles: []string{"a"}}, {Roles: []string{"b"}}, {Roles: []string{"c"}}, {Builder: true}} {
			rows, err := sourcetest.List(ctx, src, ds, v)
			switch {
			case want == "" && (len(v.Roles) == 1 && v.Roles[0] != "b"):
				assert.ErrorContains(t, err, "may not see", "a hidden column that the query mentions closes it: %s", sql)
			case len(v.Roles) == 1 && v.Roles[0] == "a":
				require.NoError(t, err, sql)
				if want == "0" {
					assert.Empty(t, rows, sql)
				} else {
					require.Len(t, rows, 1, sql)
					assert.Equal(t, want, rows[0][0].Exact(), sql)
				}
			case len(v.Roles) == 1 && v.Roles[0] == "c" && !strings.Contains(sql, "count"):
				assert.Empty(t, rows, sql)
			}
		}
	}
}
