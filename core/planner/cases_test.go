package planner_test

import (
	"encoding/json"
	"fmt"
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
)

// many is the sample with a million jobs and some statistics.
func many(distinct map[string]float64) *dataset.Dataset {
	ds := sample.Jobs()
	ds.Table.Rows = 1_000_000
	for name, n := range distinct {
		ds.Find(name).Distinct = n
	}
	return ds
}

// defined is a definition on jobs.
func defined(t *testing.T, doc string) (d query.Definition) {
	require.NoError(t, json.Unmarshal([]byte(`{"version":2,"dataset":"jobs",`+doc+`}`), &d), doc)
	return d
}

func built(t *testing.T, doc string, ds *dataset.Dataset) *planner.Plan {
	p, err := planner.Build(defined(t, doc), ds, setting, &planner.Extent{Low: time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC), High: time.Date(2026, 6, 30, 0, 0, 0, 0, time.UTC), Any: true})
	require.NoError(t, err, doc)
	return p
}

// Which medians and percentiles are worth two questions.
func TestWhatIsSifted(t *testing.T) {
	for _, c := range []struct {
		name, doc string
		rows      int64
		distinct  map[string]float64
		sifts     bool
	}{
		{"a median of many values", `"measures":[{"median":"cost"}],"by":[{"field":"kind"}]`, 1_000_000, map[string]float64{"cost": 50_000, "kind": 5}, true},
		{"without groups", `"measures":[{"percentile":"cost","p":0.9}]`, 1_000_000, map[string]float64{"cost": 50_000}, true},
		{"with others that add up", `"measures":[{"count":"records"},{"median":"cost"},{"sum":"cost"}]`, 1_000_000, map[string]float64{"cost": 50_000}, true},
		{"of few records", `"measures":[{"median":"cost"}]`, 99_999, map[string]float64{"cost": 50_000}, false},
		{"of just enough", `"measures":[{"median":"cost"}]`, 100_000, map[string]float64{"cost": 50_000}, true},
		{"of few values", `"measures":[{"median":"cost"}]`, 1_000_000, map[string]float64{"cost": 60}, false},
		{"two of them", `"measures":[{"median":"cost"},{"percentile":"rough","p":0.5}]`, 1_000_000, map[string]float64{"cost": 50_000, "rough": 50_000}, false},
		{"different values", `"measures":[{"distinct":"boat"}]`, 1_000_000, map[string]float64{"boat": 50_000}, false},
		{"compared", `"measures":[{"median":"cost"}],"by":[{"field":"kind"}],"where":{"field":"opened","within":"this year"},"compare":"year before"`, 1_000_000, map[string]float64{"cost": 50_000}, false},
		{"cut", `"measures":[{"median":"cost"}],"by":[{"field":"kind","largest":2}]`, 1_000_000, map[string]float64{"cost": 50_000, "kind": 5}, false},
		{"in as many groups as go", `"measures":[{"median":"cost"}],"by":[{"field":"boat"}]`, 1_000_000, map[string]float64{"cost": 50_000, "boat": 1250}, true},
		{"in too many groups", `"measures":[{"median":"cost"}],"by":[{"field":"boat"}]`, 1_000_000, map[string]float64{"cost": 50_000, "boat": 1251}, false},
	} {
		ds := many(c.distinct)
		ds.Table.Rows = c.rows
		p := built(t, c.doc, ds)
		assert.Equal(t, c.sifts, p.Siftable(), c.name)
		var borders []field.Value
		for i := range 16 {
			borders = append(borders, field.OfInt(int64(i)))
		}
		assert.Equal(t, c.sifts, p.Sift(borders) != nil, c.name)
		if !c.sifts {
			continue
		}
		assert.Nil(t, p.Sift(borders[:15]), "too few borders")
		first := p.Sift(borders)
		assert.True(t, first.Tallied() && !first.Rolled)
		assert.False(t, p.Tallied(), "the plan itself stays as it is")
		second := first.Fetching([]int{2, 5})
		assert.Equal(t, []int{2, 5}, second.Sifted.Only)
		assert.Nil(t, first.Sifted.Only)
		st, err := second.Compile(nil)
		require.NoError(t, err)
		assert.Contains(t, st.SQL, "d.span = any(")
	}
	few := built(t, `"measures":[{"median":"cost"}]`, many(map[string]float64{"cost": 50_000}))
	st, err := few.Borders().Compile(nil)
	require.NoError(t, err)
	assert.Contains(t, st.SQL, "tablesample system (2.000000)")
	assert.Contains(t, st.SQL, "greatest(s.n / 512, 1)", "as many spans as are worth it")
	grouped := built(t, `"measures":[{"median":"cost"}],"by":[{"field":"boat"}]`, many(map[string]float64{"cost": 50_000, "boat": 1000}))
	st, err = grouped.Borders().Compile(nil)
	require.NoError(t, err)
	assert.Contains(t, st.SQL, "greatest(s.n / 20, 1)", "fewer where there are many groups")
	small := many(map[string]float64{"cost": 50_000})
	small.Table.Rows = 100_000
	st, err = built(t, `"measures":[{"median":"cost"}]`, small).Borders().Compile(nil)
	require.NoError(t, err)
	assert.Contains(t, st.SQL, "tablesample system (20.000000)")
}

func TestBoundsAreOfAllThatTheDatasetHolds(t *testing.T) {
	doc := sample.Document()
	base := filter.Compare("kind", filter.IsNot, "test")
	doc.BaseFilter = &base
	ds, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	for _, c := range []struct {
		ds   *dataset.Dataset
		want string
	}{{sample.Jobs(), `where true and `}, {ds, `where (r."kind" = $1::text) is not true and `}} {
		p := built(t, `"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"boat","is":"Tern"}`, c.ds)
		st, err := p.Bounds(c.ds.Find("opened")).Compile(nil)
		require.NoError(t, err)
		assert.Contains(t, st.SQL, `select min(r."opened_at"), max(r."opened_at") from "public"."job" r `+c.want)
		assert.NotContains(t, fmt.Sprint(st.Args), "Tern", "whatever filters say")
	}
	first, last := built(t, `"measures":[{"count":"records"}]`, ds).Bounds(ds.Find("opened")).Read(nil)
	assert.True(t, first.IsZero() && last.IsZero())
}

// The grains that an axis may be looked at by: finest first, with its own among them.
func TestOfferedGrains(t *testing.T) {
	for _, c := range []struct{ doc, want string }{
		{`"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":{"from":"2026-01-01","to":"2026-06-30"}}`, "[day week month quarter]"},
		{`"by":[{"field":"opened","grain":"day"}],"where":{"field":"opened","within":{"from":"2026-01-01","to":"2026-01-02"}}`, "[hour day]"},
		{`"by":[{"field":"promised","grain":"day"}],"where":{"field":"promised","within":{"from":"2026-01-01","to":"2026-01-02"}}`, "[day]"},
		{`"by":[{"field":"opened","grain":"year"}],"where":{"field":"opened","within":{"from":"2010-01-01","to":"2026-12-31"}}`, "[month quarter half-year year]"},
		{`"by":[{"field":"opened","grain":"year"}],"where":{"field":"opened","within":{"from":"2026-03-01","to":"2026-03-02"}}`, "[hour day week year]"},
	} {
		now, offered := built(t, `"measures":[{"count":"records"}],`+c.doc, sample.Jobs()).Offered()
		assert.Equal(t, c.want, fmt.Sprint(offered), c.doc)
		assert.Contains(t, offered, now)
	}
	_, offered := built(t, `"measures":[{"count":"records"}],"by":[{"field":"kind"}]`, sample.Jobs()).Offered()
	assert.Empty(t, offered)
}

// A linked record is told from others by its key in formulas, too.
func TestLinkedRecordsAreCountedByTheirKeys(t *testing.T) {
	for measure, want := range map[string]string{
		`{"formula":"count(distinct yard)"}`: `r."yard_id" as v0`, `{"distinct":"yard"}`: `r."yard_id" as v0`, `{"formula":"count(distinct kind)"}`: `r."kind" as v0`, `{"formula":"count(distinct upper(yard))"}`: `upper(l1."name"`,
	} {
		st, err := built(t, `"measures":[`+measure+`]`, sample.Jobs()).Compile(nil)
		require.NoError(t, err)
		assert.Contains(t, st.SQL, want, measure)
	}
}

// What a chart is compared with: one question where its figures can be put together, else two.
func TestHowComparisonsAreAsked(t *testing.T) {
	for _, c := range []struct {
		name, doc                    string
		compared, both, steps, apart bool
	}{
		{"sums along time", `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year"},"compare":"year before"`, true, true, true, false},
		{"sums without an axis", `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"where":{"field":"opened","within":"this year"},"compare":"year before"`, true, true, false, true},
		{"key figures apart in time", `"measures":[{"median":"cost"}],"where":{"field":"opened","within":"last year"},"compare":"year before"`, true, true, false, true},
		{"medians of overlapping times", `"measures":[{"median":"cost"}],"where":{"field":"opened","within":"last year"},"compare":{"range":{"from":"2025-06-01","to":"2026-06-01"}}`, true, false, false, true},
		{"medians in groups", `"measures":[{"median":"cost"}],"by":[{"field":"kind"}],"where":{"field":"opened","within":"last year"},"compare":"year before"`, true, false, false, true},
		{"medians along time", `"measures":[{"median":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year"},"compare":"year before"`, true, false, true, true},
		{"an open range", `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"compare":"year before"`, true, false, true, false},
		{"no range to compare", `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"compare":"year before"`, false, false, false, false},
		{"one of one's own", `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"compare":{"range":{"from":"2025-01-01","to":"2025-12-31"}}`, true, false, false, true},
	} {
		p := built(t, c.doc, many(map[string]float64{"cost": 50_000}))
		e, err := p.Earlier()
		require.NoError(t, err, c.name)
		if !c.compared {
			assert.Nil(t, e, c.name)
			continue
		}
		require.NotNil(t, e, c.name)
		assert.Equal(t, []bool{c.both, c.steps, c.apart}, []bool{p.Both(e) != nil, e.Steps != nil, e.Total != nil}, c.name)
		if both := p.Both(e); both != nil {
			axis := both.Dims[len(both.Dims)-1].Axis
			for i := 1; i < len(axis.Borders); i++ {
				assert.True(t, axis.Borders[i-1].Before(axis.Borders[i]), "%s: borders in order, each once", c.name)
			}
		}
	}
	_, err := planner.Build(query.Definition{Version: query.Version, Dataset: "jobs", Measures: []query.Measure{{Aggregate: "count", Field: query.Records}}, By: []query.Dimension{{Field: "opened", Grain: period.Accounting}}}, sample.Jobs(), setting, &planner.Extent{Low: time.Unix(0, 0), High: time.Unix(1e9, 0), Any: true})
	assert.ErrorContains(t, err, "no accounting periods of its own")
	_, err = planner.Build(query.Definition{Version: query.Version, Dataset: "jobs", Measures: []query.Measure{{Aggregate: "count", Field: query.Records}}, By: []query.Dimension{{Field: "opened", Grain: period.Year}}}, sample.Jobs(), setting, &planner.Extent{Low: time.Date(1, 1, 1, 0, 0, 0, 0, time.UTC), High: time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC), Any: true})
	assert.NoError(t, err, "it ends now")
}

// One question for both times has the borders of both, each once and in order.
func TestBordersOfBothTimes(t *testing.T) {
	for doc, want := range map[string]string{
		`"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":{"from":"2026-09-15","to":"2026-10-20"}},"compare":"year before"`:     "2025-09-15 2025-10-01 2025-10-21 2026-09-01 2026-09-15 2026-10-01 2026-10-21 2026-11-01",
		`"by":[{"field":"promised","grain":"month"}],"where":{"field":"promised","within":{"from":"2026-11-01","to":"2026-12-31"}},"compare":"year before"`: "2025-11-01 2025-12-01 2026-01-01 2026-11-01 2026-12-01 2027-01-01",
		`"by":[{"field":"kind"}],"where":{"field":"opened","within":"last year"},"compare":"year before"`:                                                   "2024-01-01 2025-01-01 2026-01-01",
	} {
		p := built(t, `"measures":[{"sum":"cost"}],`+doc, sample.Jobs())
		e, err := p.Earlier()
		require.NoError(t, err)
		both := p.Both(e)
		require.NotNil(t, both, doc)
		axis := both.Dims[len(both.Dims)-1].Axis
		var got []string
		for _, border := range axis.Placed {
			got = append(got, border.Format("2006-01-02"))
		}
		assert.Equal(t, want, strings.Join(got, " "), doc)
		assert.Equal(t, len(got)-1, axis.Begun)
		assert.Equal(t, []time.Time{axis.Placed[0], axis.Placed[len(got)-1]}, []time.Time{axis.Range.From, axis.Range.To})
	}
}

// The date that a chart goes along, what of it is asked for, and what else is.
func TestWhatIsInForce(t *testing.T) {
	for _, c := range []struct{ doc, date, from, others string }{
		{`"by":[{"field":"opened","grain":"month"}],"where":{"all":[{"field":"opened","within":"this year"},{"field":"kind","is":"care"}]}`, "opened", "2026-01-01", "[kind]"},
		{`"by":[{"field":"promised","grain":"month"}],"where":{"field":"opened","within":"this year"}`, "promised", "2026-01-01", "[opened]"},
		{`"by":[{"field":"kind"}],"where":{"all":[{"field":"opened","within":"this year"},{"field":"late","is":true}]}`, "opened", "2026-01-01", "[late]"},
		{`"by":[{"field":"kind"}]`, "opened", "0001-01-01", "[]"},
	} {
		date, r, others := built(t, `"measures":[{"count":"records"}],`+c.doc, sample.Jobs()).InForce()
		names := []string{}
		for _, o := range others {
			names = append(names, o.Field)
		}
		assert.Equal(t, []string{c.date, c.from, c.others}, []string{date, r.From.Format("2006-01-02"), fmt.Sprint(names)}, c.doc)
	}
}
