package planner_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/sql"
	"eskadel/core/steps"
)

var setting = query.Setting{Now: time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}

func definition(t *testing.T, doc string) query.Definition {
	d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","form":"table",` + doc + `}`))
	require.NoError(t, err, doc)
	return d.Definition
}

func compile(t *testing.T, doc string, g *dataset.Guard) (string, []any) {
	p, err := planner.Build(definition(t, doc), sample.Jobs(), setting, nil)
	require.NoError(t, err, doc)
	st, err := p.Compile(g)
	require.NoError(t, err, doc)
	return st.SQL, st.Args
}

func TestShapesOfStatements(t *testing.T) {
	for _, c := range []struct {
		name, doc string
		has, not  []string
	}{
		{"key figures are one plain aggregate", `"measures":[{"sum":"cost"}]`,
			[]string{`sum(d.v0) as c0`, `from "public"."job" r where true`}, []string{"offset", "group by", "join"}},
		{"a time axis is fenced and bucketed", `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"week"}],"where":{"field":"opened","within":"this year"}`,
			[]string{`width_bucket(r."opened_at", $1::timestamptz[]) - 1 as k0`, `offset '0'`}, []string{"date_trunc", "is null"}},
		{"records that want a date are kept for counting, where there may be any", `"measures":[{"sum":"cost"}],"by":[{"field":"promised","grain":"week"}],"where":{"field":"promised","within":"this year"}`,
			[]string{`r."promised_on" is null`, `::date[]`}, nil},
		{"a link's name is joined after grouping", `"measures":[{"count":"records"}],"by":[{"field":"yard"}]`,
			[]string{`select r."yard_id" as k0 from "public"."job" r where true) d group by 1 limit 100001) g left join "public"."yard" n0 on n0."id" = g.k0`}, []string{"l1"}},
		{"a median comes from one sort", `"measures":[{"median":"cost"}],"by":[{"field":"kind"}]`,
			[]string{"percentile_disc(array[0.5, 0.5000000001])", "grouping sets"}, []string{"percentile_cont"}},
		{"a condition that all key figures share goes to where", `"measures":[{"count":"records","where":{"field":"kind","is":"care"}},{"average":"cost","where":{"field":"kind","is":"care"}}]`,
			[]string{`where r."kind" = $1::text`}, []string{"filter ("}},
		{"but not that of a sum", `"measures":[{"count":"records","where":{"field":"kind","is":"care"}},{"sum":"cost","where":{"field":"kind","is":"care"}}]`,
			[]string{"filter (where d.m0)", "filter (where d.m1)"}, nil},
		{"a cut of few values is made after fetching", `"measures":[{"count":"records"}],"by":[{"field":"kind","largest":2,"others":true}]`, []string{"group by 1"}, []string{"grouping sets"}},
		{"one of very many in the database", `"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"day"}],"split":{"field":"boat","largest":5,"others":true},"where":{"field":"opened","within":"this year"}`,
			[]string{"grouping sets", "limit 5", `collate "C"`}, nil},
	} {
		sql, _ := compile(t, c.doc, nil)
		for _, h := range c.has {
			assert.Contains(t, sql, h, c.name)
		}
		for _, n := range c.not {
			assert.NotContains(t, sql, n, c.name)
		}
	}
}

// No text of a document or a viewer ever stands in the statement itself.
func TestEveryValueIsBound(t *testing.T) {
	evil := `x'); drop table job; --`
	sql, args := compile(t, fmt.Sprintf(`"measures":[{"count":"records","label":%q,"where":{"field":"boat","starts_with":%q}}],"by":[{"field":"kind","largest":3}],"where":{"any":[{"field":"kind","is":%q},{"field":"yard","contains":%q}]}`, evil, evil, evil, evil),
		&dataset.Guard{Own: filter.Compare("kind", filter.IsNot, evil)})
	assert.NotContains(t, sql, "drop")
	assert.Equal(t, 4, strings.Count(strings.ToLower(fmt.Sprint(args)), "drop table"), "bound, all four")
	p := planner.NewList(sample.Jobs(), setting, 10)
	assert.Error(t, p.By(0, evil, false), "nor a sort")
	assert.Error(t, p.By(-1, "", false))
	assert.Error(t, p.Choose([]string{"secret"}, nil), "nor a hidden field")
	assert.Error(t, p.By(0, "secret", false))
	_, err := planner.NewValues(sample.Jobs(), "secret", setting, "")
	assert.Error(t, err)
}

func TestExtent(t *testing.T) {
	d := definition(t, `"measures":[{"count":"records"}],"by":[{"field":"promised"}]`)
	ep, err := planner.NewExtent(d, sample.Jobs(), setting)
	require.NoError(t, err)
	require.NotNil(t, ep, "no filter sets the axis")
	st, err := ep.Compile(nil)
	require.NoError(t, err)
	assert.Contains(t, st.SQL, "percentile_disc(0.25)")
	day := func(s string) field.Value {
		at, err := time.Parse(time.DateOnly, s)
		require.NoError(t, err)
		return field.OfDate(at)
	}
	// axis gives what the axis is made of the records' span, asked for within the fences where
	// some lie outside them.
	axis := func(low, high, q1, q3 string, within ...string) (a *sql.Axis, asked []any) {
		p, err := steps.Answered(func(ask *steps.Asker) (*planner.Plan, error) {
			return planner.BuildAsking(d, sample.Jobs(), setting, ask)
		}, func(q steps.Question) (steps.Rows, error) {
			if asked == nil {
				asked = []any{}
				return [][]field.Value{{day(low), day(high), day(q1), day(q3)}}, nil
			}
			st, err := q.(*sql.Extent).Compile(nil)
			require.NoError(t, err)
			for _, at := range st.Args {
				asked = append(asked, at.(time.Time).Format(time.DateOnly))
			}
			return [][]field.Value{{day(within[0]), day(within[1])}}, nil
		})
		require.NoError(t, err)
		return p.Dims[0].Axis, asked
	}
	span := func(a *sql.Axis) []string {
		return []string{a.Range.From.Format(time.DateOnly), a.Range.To.Format(time.DateOnly)}
	}
	a, asked := axis("2004-03-01", "2038-01-01", "2025-03-01", "2026-03-01", "2023-07-04", "2026-08-01")
	assert.Equal(t, []any{"2022-03-02", "2029-02-28"}, asked, "more than three quartile distances outside the quartiles")
	assert.Equal(t, []string{"2023-07-04", "2026-08-01"}, span(a), "from the first to the last within, not on to the fences")
	a, asked = axis("2026-03-01", "2026-04-11", "2026-03-10", "2026-04-01")
	assert.Empty(t, asked, "nothing lies outside")
	assert.Equal(t, []string{"2026-03-01", "2026-04-11"}, span(a), "a planned field keeps its future")
	assert.Equal(t, period.Day, a.Grain)
	a, asked = axis("0300-01-01", "4200-01-01", "1200-01-01", "2000-01-01")
	assert.Empty(t, asked, "a distance of 800 years")
	assert.Equal(t, "0300-01-01", span(a)[0])
	p, err := steps.Answered(func(ask *steps.Asker) (*planner.Plan, error) {
		return planner.BuildAsking(d, sample.Jobs(), setting, ask)
	}, func(steps.Question) (steps.Rows, error) { return nil, nil })
	require.NoError(t, err)
	assert.Empty(t, p.Dims[0].Axis.Borders, "no records, no steps")

	filtered := definition(t, `"measures":[{"count":"records"}],"by":[{"field":"promised"}],"where":{"field":"promised","within":"this year"}`)
	ep, err = planner.NewExtent(filtered, sample.Jobs(), setting)
	require.NoError(t, err)
	assert.Nil(t, ep, "a filter with both ends sets the axis")
	open := definition(t, `"measures":[{"count":"records"}],"by":[{"field":"promised"}],"where":{"field":"promised","within":{"since":"2026-01-01"}}`)
	ep, err = planner.NewExtent(open, sample.Jobs(), setting)
	require.NoError(t, err)
	assert.NotNil(t, ep, "an open range needs the records' end")
	p, err = planner.Build(open, sample.Jobs(), setting, &planner.Extent{Low: day("2026-02-03").Time(), High: day("2026-05-09").Time(), Any: true})
	require.NoError(t, err)
	a = p.Dims[0].Axis
	assert.Equal(t, []bool{true, false}, []bool{a.From, a.To}, "and is cut by the filter at its other end only")
}

func TestTooManyStepsAreMadeLarger(t *testing.T) {
	d := definition(t, `"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"minute"}],"where":{"field":"opened","within":"this year"}`)
	p, err := planner.Build(d, sample.Jobs(), setting, nil)
	require.NoError(t, err)
	a := p.Dims[0].Axis
	assert.Equal(t, []period.Grain{period.Day, period.Minute}, []period.Grain{a.Grain, a.Asked}, "8,760 hours are too many as well")
	assert.Len(t, a.Borders, 366)
}
