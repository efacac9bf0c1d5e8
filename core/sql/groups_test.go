package sql_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/sql"
)

var setting = query.Setting{Now: time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}

// planned is the plan of a definition on jobs.
func planned(t *testing.T, doc string) *planner.Plan {
	var d query.Definition
	require.NoError(t, json.Unmarshal([]byte(`{"version":2,"dataset":"jobs",`+doc+`}`), &d), doc)
	p, err := planner.Build(d, sample.Jobs(), setting, &planner.Extent{})
	require.NoError(t, err, doc)
	return p
}

func statement(t *testing.T, doc string, rolled bool, g *dataset.Guard) string {
	p := planned(t, doc)
	p.Force(rolled)
	st, err := p.Compile(g)
	require.NoError(t, err, doc)
	return st.SQL
}

// Statements as they are written, whole: every clause has its reason, said beside it.
func TestStatementsWhole(t *testing.T) {
	for _, c := range []struct {
		name, doc string
		rolled    bool
		guard     *dataset.Guard
		want      string
	}{
		{"one count", `"measures":[{"count":"records"}]`, false, nil, `select g.c0, g.n from (select count(*) as c0, count(*) as n from (select 1 as one from "public"."job" r where true) d) g`},
		{"the same, totalled by the database", `"measures":[{"count":"records"}]`, true, nil,
			`select g.level, g.c0, g.n from (select 0 as level, count(*) as c0, count(*) as n from (select 1 as one from (select 1 as one from "public"."job" r where true) d) d) g`},
		{"a group", `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}]`, false, nil,
			`select g.k0, g.c0, g.n from (select d.k0, sum(d.v0) as c0, count(*) as n from (select r."kind" as k0, r."cost" as v0 from "public"."job" r where true) d group by 1 limit 100001) g`},
		{"as a viewer sees it", `"measures":[{"count":"records"}],"by":[{"field":"yard"}]`, false, &dataset.Guard{Rows: map[string]filter.Condition{"public.yard": filter.Compare("region", filter.Is, "north")}},
			`select g.k0, case when g.h0 then '' else n0."name" end, g.c0, g.n from (select d.k0, d.h0, count(*) as c0, count(*) as n from (select (case when l1."id" is not null then r."yard_id" end) as k0, (r."yard_id" is not null and (case when l1."id" is not null then r."yard_id" end) is null) as h0 from "public"."job" r left join (select r.* from "public"."yard" r where r."region" = $1::text) l1 on l1."id" = r."yard_id" where true) d group by 1, 2 limit 100001) g left join "public"."yard" n0 on n0."id" = g.k0`},
		{"a cut, made by the database", `"measures":[{"count":"records"}],"by":[{"field":"kind","largest":2,"others":true}]`, true, nil,
			`with d as materialized (select r."kind" as k0 from "public"."job" r where true), t0 as (select x.k from (select d.k0 as k, count(*) as by from d where true and d.k0 is not null group by d.k0) x order by x.by desc nulls last, x.k::text collate "C", x.k limit 2) select g.level, g.s0, g.k0, g.c0, g.n from (select grouping(d.s0) as level, d.s0, d.k0, count(*) as c0, count(*) as n from (select case when d.k0 is null then 2 when t0.k is null then 1 else 0 end as s0, t0.k as k0 from d left join t0 on t0.k = d.k0) d group by grouping sets ((), (d.s0, d.k0))) g`},
		{"medians along an axis, of which some records have no place", `"measures":[{"median":"cost"}],"by":[{"field":"opened","grain":"quarter"}],"where":{"field":"opened","within":"this year"}`, true, nil,
			`with d as materialized (select width_bucket(r."opened_at", $1::timestamptz[]) - 1 as k0, (case when (r."cost" - r."cost" = '0'::numeric) then r."cost" end) as v0, ((((r."cost" - r."cost" = '0'::numeric) is false))) as m1 from "public"."job" r where true and (r."opened_at" >= $2 and r."opened_at" < $3) offset '0') select g.level, g.s0, g.k0, g.c0, g.c1, g.c2, g.n from (select grouping(d.k0) as level, 0 as s0, d.k0, (percentile_disc(array[0.5, 0.5000000001]) within group (order by d.v0))[1] as c0, (percentile_disc(array[0.5, 0.5000000001]) within group (order by d.v0))[2] as c1, count(*) filter (where d.m1) as c2, count(*) as n from (select d.k0, d.v0, d.m1 from d where d.k0 between 1 and 4) d group by grouping sets ((), (d.k0)) union all select 0, case when d.k0 is null then 2 else 0 end, d.k0, (percentile_disc(array[0.5, 0.5000000001]) within group (order by d.v0))[1] as c0, (percentile_disc(array[0.5, 0.5000000001]) within group (order by d.v0))[2] as c1, count(*) filter (where d.m1) as c2, count(*) from d where (d.k0 between 1 and 4) is not true group by d.k0) g`},
		{"a cut by a measure with a condition, and a group within", `"measures":[{"sum":"cost","where":{"field":"late","is":true}}],"by":[{"field":"boat","largest":3},{"field":"kind"}]`, true, nil,
			`with d as materialized (select r."boat" as k0, r."kind" as k1, r."cost" as v0, ((r."late" = $1::boolean)) as m0 from "public"."job" r where true), t0 as (select x.k from (select d.k0 as k, sum(d.v0) filter (where d.m0) as by from d where true and d.k0 is not null group by d.k0) x order by x.by desc nulls last, x.k::text collate "C", x.k limit 3) select g.level, g.s0, g.k0, g.s1, g.k1, g.c0, g.n from (select grouping(d.s0, d.k1) as level, d.s0, d.k0, 0 as s1, d.k1, sum(d.v0) filter (where d.m0) as c0, count(*) as n from (select case when d.k0 is null then 2 when t0.k is null then 1 else 0 end as s0, t0.k as k0, d.k1, d.v0, d.m0 from d left join t0 on t0.k = d.k0) d group by grouping sets ((), (d.s0, d.k0), (d.s0, d.k0, d.k1), (d.k1))) g`},
		{"a measure of each week, with how many records each has", `"measures":[{"average":{"sum":"cost"},"per":{"field":"opened","grain":"week"}}]`, false, nil,
			`select g.p, g.c0, g.c1, g.c2, g.n from (select d.p, sum(d.v0) as c0, count(*) as c1, count(*) filter (where d.m1) as c2, count(*) as n from (select r."cost" as v0, (((r."opened_at" is null or ((r."opened_at" >= '0001-01-01+00'::timestamptz and r."opened_at" < '10000-01-01+00'::timestamptz) is false) or (r."opened_at" is not null and r."opened_at" is null)))) as m1, (((case when (r."opened_at" >= '0001-01-01+00'::timestamptz and r."opened_at" < '10000-01-01+00'::timestamptz) then r."opened_at" end) at time zone 'UTC'))::date as p from "public"."job" r where true) d group by 1 limit 100001) g`},
		{"records without a date are counted", `"measures":[{"count":"records"}],"by":[{"field":"promised","grain":"quarter"}],"where":{"field":"promised","within":"this year"}`, false, nil,
			`select g.k0, g.c0, g.n from (select d.k0, count(*) as c0, count(*) as n from (select width_bucket(r."promised_on", $1::date[]) - 1 as k0 from "public"."job" r where true and ((r."promised_on" >= $2 and r."promised_on" < $3) or r."promised_on" is null) offset '0') d group by 1 limit 100001) g`},
		{"where none is without one, none is looked for", `"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"quarter"}],"where":{"field":"opened","within":"this year"}`, false, nil,
			`select g.k0, g.c0, g.n from (select d.k0, count(*) as c0, count(*) as n from (select width_bucket(r."opened_at", $1::timestamptz[]) - 1 as k0 from "public"."job" r where true and (r."opened_at" >= $2 and r."opened_at" < $3) offset '0') d group by 1 limit 100001) g`},
		{"a cut by a formula over groups", `"measures":[{"formula":"sum(cost) / count(kind)"}],"by":[{"field":"boat","largest":1}]`, true, nil,
			`with d as materialized (select r."boat" as k0, (case when abs(r."cost") < 1e1000 and scale(r."cost") <= 1000 then r."cost" end) as v0, r."kind" as v1, ((((r."cost" - r."cost" = '0'::numeric) is false))) as m2 from "public"."job" r where true), t0 as (select x.k from (select d.k0 as k, (((sum(d.v0)) + 0.0000000000000000000000000000000000000000) / nullif((count(d.v1)), 0)) as by from d where true and d.k0 is not null group by d.k0) x order by x.by desc nulls last, x.k::text collate "C", x.k limit 1) select g.level, g.s0, g.k0, g.c0, g.c1, g.c2, g.n from (select grouping(d.s0) as level, d.s0, d.k0, sum(d.v0) as c0, count(d.v1) as c1, count(*) filter (where d.m2) as c2, count(*) as n from (select case when d.k0 is null then 2 when t0.k is null then 1 else 0 end as s0, t0.k as k0, d.v0, d.v1, d.m2 from d left join t0 on t0.k = d.k0) d group by grouping sets ((), (d.s0, d.k0))) g`},
		{"groups by numbers, of which some are none", `"measures":[{"distinct":"boat"}],"by":[{"field":"cost"}]`, true, nil,
			`with d as materialized (select r."cost" as k0, r."boat" as v0 from "public"."job" r where true) select g.level, g.s0, g.k0, g.c0, g.n from (select grouping(d.k0) as level, 0 as s0, d.k0, count(distinct d.v0) as c0, count(*) as n from (select d.k0, d.v0 from d where (d.k0 - d.k0 <> 0) is not true) d group by grouping sets ((), (d.k0)) union all select 0, case when d.k0 - d.k0 <> 0 then 4 else 2 end, null, count(distinct d.v0) as c0, count(*) from d where ((d.k0 - d.k0 <> 0) is not true) is not true group by d.k0 - d.k0 <> 0) g`},
		{"parts of a formula over groups", `"measures":[{"formula":"sum(cost) / count(kind)"}],"by":[{"field":"kind"}]`, false, nil,
			`select g.k0, g.c0, g.c1, g.c2, g.n from (select d.k0, sum(d.v0) as c0, count(d.v1) as c1, count(*) filter (where d.m2) as c2, count(*) as n from (select r."kind" as k0, (case when abs(r."cost") < 1e1000 and scale(r."cost") <= 1000 then r."cost" end) as v0, r."kind" as v1, ((((r."cost" - r."cost" = '0'::numeric) is false))) as m2 from "public"."job" r where true) d group by 1 limit 100001) g`},
	} {
		assert.Equal(t, c.want, statement(t, c.doc, c.rolled, c.guard), c.name)
	}
}

func TestOtherStatements(t *testing.T) {
	ds := sample.Jobs()
	st, err := sql.NewKeyCheck(ds).Compile(nil)
	require.NoError(t, err)
	assert.Equal(t, `select r."id" from "public"."job" r group by r."id" having count(*) > 1 limit 1`, st.SQL)
	st, err = sql.NewRows(ds, ds.Linked("public.yard"), &dataset.Guard{Rows: map[string]filter.Condition{"public.yard": filter.Compare("region", filter.Is, "north")}}).Compile(nil)
	require.NoError(t, err)
	assert.Equal(t, `select to_jsonb(r)::text from "public"."yard" r where r."region" = $1::text`, st.SQL)
	st, err = sql.NewRows(ds, ds.Table, &dataset.Guard{Own: filter.Compare("kind", filter.Is, "care")}).Compile(nil)
	require.NoError(t, err)
	assert.Contains(t, st.SQL, ` in (select `)
	st, err = sql.NewRows(ds, ds.Table, nil).Compile(nil)
	require.NoError(t, err)
	assert.Equal(t, `select to_jsonb(r)::text from "public"."job" r where true`, st.SQL)
	p, err := planner.Build(query.Definition{Version: query.Version, Dataset: "jobs", Measures: []query.Measure{{Aggregate: "count", Field: query.Records}}, By: []query.Dimension{{Field: "yard", Empty: true}}}, ds, setting, nil)
	require.NoError(t, err)
	st, err = sql.NewLinked(&p.Groups, ds.Find("yard")).Compile(&dataset.Guard{Rows: map[string]filter.Condition{"public.yard": filter.Compare("region", filter.Is, "north")}})
	require.NoError(t, err)
	assert.Equal(t, `select r."id", r."name" from "public"."yard" r where r."region" = $1::text order by r."id" limit 1000`, st.SQL)
	values, err := planner.NewValues(ds, "yard", setting, "Tarn")
	require.NoError(t, err)
	st, err = values.Compile(nil)
	require.NoError(t, err)
	assert.Equal(t, `select g.k, n."name", g.n, g.h from (select r."yard_id" as k, false as h, count(*) as n from "public"."job" r left join "public"."yard" l1 on l1."id" = r."yard_id" where position($1::text in lower(l1."name" collate "C.utf8")) > 0 group by 1, 2) g left join "public"."yard" n on n."id" = g.k order by g.k is null, g.n desc, (n."name")::text collate "C", g.k, g.h limit 200`, st.SQL)
	list := planner.NewList(ds, setting, 20)
	require.NoError(t, list.Choose([]string{"kind", "yard"}, nil))
	require.NoError(t, list.By(2, "kind", true))
	both, err := list.Compile(nil)
	require.NoError(t, err)
	assert.Equal(t, `select count(*), count(*) from (select 1 as one from "public"."job" r where true) d`, both[0].SQL)
	assert.Equal(t, `select r."id"::text, left(r."kind", 10000), left(l1."name", 10000) from "public"."job" r left join "public"."yard" l1 on l1."id" = r."yard_id" where true order by r."kind" desc nulls last, r."id" limit 20 offset 40`, both[1].SQL)
}

// What is read per day and such is named by its day; what else, by its value.
func TestNamesOfWhatIsWithin(t *testing.T) {
	level := func(per string) *sql.Level {
		return planned(t, `"measures":[{"average":{"sum":"cost"},"per":`+per+`}]`).Level
	}
	week := level(`{"field":"opened","grain":"week"}`)
	assert.Equal(t, []string{"2026-11-23", "2026-11-16", ""}, []string{week.Name(field.OfDate(time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC))), week.Name(field.OfDate(time.Date(2026, 11, 22, 0, 0, 0, 0, time.UTC))), week.Name(field.Value{})})
	kind := level(`{"field":"kind"}`)
	assert.Equal(t, []string{"=care", ""}, []string{kind.Name(field.OfText("care")), kind.Name(field.Value{})})
}

// Spans part numbers at their borders; what is fetched lies in some of them.
func TestSpansOfWhatIsSifted(t *testing.T) {
	s := &sql.Sift{Borders: []field.Value{field.OfInt(10), field.OfInt(20), field.OfInt(30)}}
	for x, want := range map[int64]int{9: 0, 10: 1, 19: 1, 20: 2, 29: 2, 30: 3, 99: 3} {
		assert.Equal(t, want, s.Span(field.OfInt(x)), x)
	}
	ds := sample.Jobs()
	ds.Table.Rows, ds.Find("cost").Distinct = 1_000_000, 50_000
	p, err := planner.Build(query.Definition{Version: query.Version, Dataset: "jobs", Measures: []query.Measure{{Aggregate: "median", Field: "cost"}}}, ds, setting, nil)
	require.NoError(t, err)
	var borders []field.Value
	for i := range 16 {
		borders = append(borders, field.OfInt(int64(10*i)))
	}
	whole, err := p.Sift(borders).Compile(nil)
	require.NoError(t, err)
	assert.Contains(t, whole.SQL, "d.span", "how many there are in each span")
	assert.NotContains(t, whole.SQL, " >= $")
	for _, c := range []struct {
		only       []int
		low, under any
	}{{[]int{0, 3}, nil, "30"}, {[]int{1}, "0", "10"}, {[]int{15, 16}, "140", nil}, {[]int{0, 16}, nil, nil}} {
		st, err := p.Sift(borders).Fetching(c.only).Compile(nil)
		require.NoError(t, err)
		assert.Equal(t, c.low != nil, strings.Contains(st.SQL, " >= $"), st.SQL)
		assert.Equal(t, c.under != nil, strings.Contains(st.SQL, " < $"), st.SQL)
		for _, bound := range []any{c.low, c.under} {
			if bound != nil {
				assert.Contains(t, st.Args, bound)
			}
		}
	}
}

func TestBoundsAreRead(t *testing.T) {
	day := func(d int) field.Value { return field.OfDate(time.Date(2026, 1, d, 0, 0, 0, 0, time.UTC)) }
	first, last := (&sql.Bounds{}).Read([][]field.Value{{day(1), day(2)}})
	assert.Equal(t, []int{1, 2}, []int{first.Day(), last.Day()})
	for _, rows := range [][][]field.Value{{{{}, {}}}, nil} {
		first, last = (&sql.Bounds{}).Read(rows)
		assert.True(t, first.IsZero() && last.IsZero())
	}
}

// What is kept of a cut dimension may be handed in; it is then not ranked.
func TestWhatIsKeptIsHandedIn(t *testing.T) {
	p := planned(t, `"measures":[{"count":"records"}],"by":[{"field":"boat","largest":1,"others":true}]`)
	p.Force(true)
	ranked, err := p.Compile(nil)
	require.NoError(t, err)
	p.Keep([][]string{{"Tern"}})
	kept, err := p.Compile(nil)
	require.NoError(t, err)
	assert.Contains(t, ranked.SQL, `t0 as (select x.k from (select d.k0 as k, count(*) as by from d where true and d.k0 is not null group by d.k0) x order by`)
	assert.Contains(t, kept.SQL, `t0 as (select x.k from unnest(array[$1::text]::text[]) x(k)) select`)
	assert.Equal(t, []any{"Tern"}, kept.Args)
}

func TestWhatADimensionIs(t *testing.T) {
	ds := sample.Jobs()
	for _, c := range []struct {
		doc                       string
		along, together, labelled bool
		cut                       int
	}{
		{`{"field":"opened","grain":"month"}`, true, false, false, 0}, {`{"field":"opened","part":"weekday"}`, false, false, false, 0}, {`{"field":"kind"}`, false, false, false, 0}, {`{"field":"yard"}`, false, false, true, 0},
		{`{"field":"kind","largest":3}`, false, false, false, 3}, {`{"field":"kind","largest":3,"others":true}`, false, true, false, 3}, {`{"field":"kind","smallest":2}`, false, false, false, 2},
	} {
		var dim query.Dimension
		require.NoError(t, json.Unmarshal([]byte(c.doc), &dim))
		d := sql.Dim{Dimension: dim, F: ds.Find(dim.Field)}
		assert.Equal(t, []bool{c.along, c.together, c.labelled}, []bool{d.Along(), d.Together(), d.Labelled()}, c.doc)
		assert.Equal(t, c.cut, d.Cut(), c.doc)
	}
}

// Values are offered with how often each occurs, those that are searched for where texts are.
func TestValuesThatAreOffered(t *testing.T) {
	for _, c := range []struct {
		name, search string
		has, hasNot  string
	}{
		{"kind", "", `where true group by`, "position("}, {"kind", "re", `where position($1::text in lower(r."kind"`, ""},
		{"cost", "12", `where true and`, "position("}, {"opened", "", `group by 1`, "position("},
	} {
		v, err := planner.NewValues(sample.Jobs(), c.name, setting, c.search)
		require.NoError(t, err)
		st, err := v.Compile(nil)
		require.NoError(t, err)
		assert.Contains(t, st.SQL, c.has)
		if c.hasNot != "" {
			assert.NotContains(t, st.SQL, c.hasNot)
		}
	}
}

// A cut ranks by the measure that it is sorted by, else by the first.
func TestWhatACutRanksBy(t *testing.T) {
	for doc, want := range map[string]struct {
		measure int
		largest bool
	}{
		`{"field":"kind","largest":2}`: {0, true}, `{"field":"kind","smallest":2}`: {0, false}, `{"field":"kind","largest":2,"sort":{"by":"measure","measure":1,"descending":true}}`: {1, true}, `{"field":"kind","largest":2,"sort":{"by":"label"}}`: {0, true},
	} {
		var dim query.Dimension
		require.NoError(t, json.Unmarshal([]byte(doc), &dim), doc)
		measure, largest := sql.Dim{Dimension: dim}.Ranked()
		assert.Equal(t, []any{want.measure, want.largest}, []any{measure, largest}, doc)
	}
	assert.Equal(t, []bool{false, true, true}, []bool{(&sql.Axis{}).Fixed(), (&sql.Axis{From: true}).Fixed(), (&sql.Axis{To: true}).Fixed()})
}
