package source_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/profile"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/steps"
	"eskadel/source/sourcetest"
)

// A schema full of functions and operators that look like PostgreSQL's own, and would suit
// their arguments better. Each raises an error, so that whatever calls one is noticed.
const hostile = `create table public.job (id int primary key, kind varchar, code varchar(10), day date, cost numeric, note jsonb, tags varchar[]);
insert into public.job select i, (array['a','b','c'])[1 + i % 3], 'K' || i, date '2026-01-01' + i, i, '{"a": 1}', array['x'] from generate_series(1, 30) i;
create view public.v as select id, kind, code, day, cost from public.job;
create function public.trap() returns boolean language plpgsql as $$ begin raise exception 'the trap was sprung'; end $$;
do $$
declare f record; o record;
begin
  for f in select * from (values ('lower', 'varchar', 'text'), ('upper', 'varchar', 'text'), ('position', 'varchar, varchar', 'int'), ('starts_with', 'varchar, varchar', 'boolean'), ('btrim', 'varchar, text', 'text'),
      ('width_bucket', 'date, date[]', 'int'), ('width_bucket', 'varchar, varchar[]', 'int'), ('floor', 'int', 'numeric'), ('abs', 'varchar', 'numeric'), ('date_part', 'text, varchar', 'float8'), ('extract', 'text, date', 'numeric'), ('make_interval', 'int', 'interval'),
      ('array_to_json', 'varchar[]', 'json'), ('to_jsonb', 'public.job', 'jsonb'), ('boom', 'public.job', 'int'), ('coalesce_int', 'int', 'int'), ('isfinite', 'text', 'boolean'), ('length', 'varchar', 'int'), ('substring', 'varchar, int, int', 'text'), ('regexp_match', 'varchar, text', 'text[]'), ('replace', 'varchar, varchar, varchar', 'text'),
      ('right', 'varchar, int', 'text'), ('left', 'varchar, int', 'text'), ('octet_length', 'varchar', 'int'), ('pg_column_size', 'varchar', 'int'), ('round', 'int, int', 'numeric'), ('mod', 'varchar, int', 'int'), ('nullif_eq', 'varchar', 'text')) x(name, args, result) loop
    execute format('create function public.%s(%s) returns %s language plpgsql as ''begin perform public.trap(); return null; end''', f.name, f.args, f.result);
  end loop;
  for o in select * from (values ('varchar', 'varchar'), ('varchar', 'text'), ('text', 'varchar'), ('int', 'varchar'), ('date', 'varchar')) x(l, r) loop
    execute format('create function public.compare_trap(%s, %s) returns boolean language plpgsql as ''begin return public.trap(); end''', o.l, o.r);
    for f in select * from (values ('='), ('<>'), ('<'), ('<='), ('>'), ('>='), ('~~'), ('!~~')) y(sign) loop
      execute format('create operator public.%s (leftarg = %s, rightarg = %s, function = public.compare_trap)', f.sign, o.l, o.r);
    end loop;
  end loop;
end $$;`

// Nothing of the host app's runs unasked, on any path: charts, lists, values, profiles,
// formulas, rules and a builder's own query.
func TestLookAlikesDoNotRun(t *testing.T) {
	_, src := sourcetest.Connect(t, "look_alikes", hostile)
	ctx := context.Background()
	c, err := src.Introspect(ctx)
	require.NoError(t, err)
	rules, err := dataset.ReadRules([]byte(`{"version":1,"source":"test","tables":[{"table":"job","row_rules":[{"roles":["a"],"where":{"any":[{"field":"kind","is":{"viewer":"kind"}},{"field":"kind","one_of":["b","c"]},{"field":"code","starts_with":"k1"}]}}]}]}`))
	require.NoError(t, err)
	c, err = c.With(rules)
	require.NoError(t, err)
	doc := func(from string) *dataset.Document {
		d, err := dataset.Read([]byte(`{"version":1,"name":"jobs","title":"Jobs","record":["job","jobs"],"source":"test","from":` + from + `,"key":["id"],"date":"day","fields":[
			{"name":"kind","column":"kind"},{"name":"code","column":"code"},{"name":"day","column":"day","time":"happened"},{"name":"cost","column":"cost"},
			{"name":"n","column":"code","read_as":{"type":"number","like":"1234.50"}},{"name":"low","formula":"lower(kind) || upper(code)"},{"name":"eq","formula":"nullif(kind, code)"},
			{"name":"in","formula":"case kind when 'a' then 1 when 'b' then 2 end"},{"name":"between","formula":"kind between 'a' and 'b' and code like 'K%' and kind in ('a', 'b')"},
			{"name":"part","formula":"extract(month from day) + position('a' in kind) + length(substring(code from 1 for 2))"},{"name":"groups","groups":{"of":"kind","groups":[{"name":"first","values":["a"]}],"rest":"rest"}},{"name":"bins","bins":{"of":"cost","width":"10"}}]}`))
		require.NoError(t, err)
		return d
	}
	for _, from := range []string{`{"table":"job"}`, `{"table":"v"}`, `{"select":"select id, kind, code, day, cost from job where kind in ('a','b','c') and kind between 'a' and 'z' and code like 'K%' and nullif(kind, 'q') is not null and case kind when 'a' then true else true end and lower(kind) = lower(kind)"}`, `{"select":"select j.id, j.kind, j.code, j.day, j.cost from job j join job k using (kind, id) where j.kind = any (select kind from job)"}`} {
		d := doc(from)
		var selected *dataset.Table
		if d.From.Select != "" {
			selected, err = src.Select(ctx, d.From.Select, c)
			require.NoError(t, err, from)
		}
		ds, err := dataset.Resolve(d, c, selected)
		require.NoError(t, err)
		ask := func(v rule.Viewer) {
			s := query.Setting{Now: time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}
			for _, f := range ds.Visible() {
				def := query.Definition{Version: query.Version, Dataset: "jobs", Measures: []query.Measure{{Aggregate: aggregate.Sum, Field: "cost"}, {Aggregate: aggregate.Distinct, Field: f.Name}}, By: []query.Dimension{{Field: f.Name, Largest: 2, Others: true}}}
				if f.Type.Temporal() {
					def.By = []query.Dimension{{Field: f.Name}}
				}
				p, err := steps.Answered(func(ask *steps.Asker) (*planner.Plan, error) { return planner.BuildAsking(def, ds, s, ask) }, func(q steps.Question) (steps.Rows, error) { return sourcetest.One(ctx, src, q, v) })
				require.NoError(t, err, f.Name)
				_, err = sourcetest.One(ctx, src, p, v)
				assert.NoError(t, err, "%s of %s", f.Name, from)
				values, err := planner.NewValues(ds, f.Name, s, "A")
				require.NoError(t, err)
				_, err = sourcetest.One(ctx, src, values, v)
				assert.NoError(t, err, "values of %s of %s", f.Name, from)
			}
			for _, where := range []filter.Condition{filter.Compare("kind", filter.Is, "a"), filter.Compare("kind", filter.NoneOf, "a", "b"), filter.Compare("code", filter.Contains, "k"), filter.Compare("code", filter.EndsWith, "1"), filter.Compare("day", filter.AtLeast, "2026-01-10"), filter.Compare("low", filter.Is, "aK3")} {
				s := s
				s.Filters = where
				sealed, err := rule.SealAll(planner.NewList(ds, s, 5), v)
				require.NoError(t, err)
				_, err = src.Run(ctx, sealed)
				assert.NoError(t, err, "%s of %s", where.Field, from)
			}
			sealed, err := rule.SealAll(profile.New(ds, s, ""), v)
			require.NoError(t, err)
			_, err = src.Run(ctx, sealed)
			assert.NoError(t, err, "profile of %s", from)
		}
		ask(rule.Viewer{Builder: true})
		if from == `{"table":"v"}` {
			continue // has no rules, and so nothing for viewers
		}
		ask(rule.Viewer{Roles: []string{"a"}, Attributes: filter.Attributes{"kind": "a"}})
	}
	// A function of the row's type is no column of it.
	for _, sql := range []string{"select id, j.boom from job j", "select id, (j).boom from job j", "select id, boom(j) from job j"} {
		_, err := src.Select(ctx, sql, c)
		assert.Error(t, err, sql)
	}
}

// A rule's list of values is compared by PostgreSQL's own equality: a function lower of the
// host app's cannot let every row pass.
func TestRulesCompareByThemselves(t *testing.T) {
	_, src := sourcetest.Connect(t, "own_lower", `create function public.lower(varchar) returns text language sql immutable as $$ select 'a' $$; create function public.eq(varchar, varchar) returns boolean language sql immutable as $$ select true $$;
		create operator public.= (leftarg = varchar, rightarg = varchar, function = public.eq); create table t (id int primary key, kind varchar); insert into t values (1, 'a'), (2, 'b'), (3, 'c');`)
	ctx := context.Background()
	c, err := src.Introspect(ctx)
	require.NoError(t, err)
	rules, err := dataset.ReadRules([]byte(`{"version":1,"source":"test","tables":[{"table":"t","row_rules":[{"roles":["a"],"where":{"field":"kind","one_of":[{"viewer":"kinds"}]}},{"roles":["b"],"where":{"field":"kind","contains":"A"}}]}]}`))
	require.NoError(t, err)
	c, err = c.With(rules)
	require.NoError(t, err)
	d, err := dataset.Read([]byte(`{"version":1,"name":"t","title":"T","record":["r","rs"],"source":"test","from":{"table":"t"},"key":["id"],"fields":[{"name":"kind","column":"kind"}]}`))
	require.NoError(t, err)
	ds, err := dataset.Resolve(d, c, nil)
	require.NoError(t, err)
	for _, v := range []rule.Viewer{{Roles: []string{"a"}, Attributes: filter.Attributes{"kinds": []any{"a"}}}, {Roles: []string{"b"}}} {
		rows, err := sourcetest.List(ctx, src, ds, v)
		require.NoError(t, err)
		require.Len(t, rows, 1)
		assert.Equal(t, "a", rows[0][0].Exact())
	}
}
