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
	"eskadel/core/marks"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/steps"
)

// The records behind a mark meet the chart's conditions and the mark's; what the date filter
// would drop is listed past it; what no measure can be computed of is counted.
func TestRecordsBehindAMark(t *testing.T) {
	const doc = `"measures":[{"average":"cost","where":{"field":"late","is":true}}],"by":[{"field":"kind"},{"field":"opened","grain":"month"}],"where":{"all":[{"field":"boat","is":"Tern"},{"field":"opened","within":{"from":"2026-01-01","to":"2026-12-31"}}]}`
	const boat, year = `{"field":"boat","is":"Tern"}`, `{"field":"opened","within":{"from":"2026-01-01","to":"2026-12-31"}}`
	from, to, care := on("2026-03-01 00:00"), on("2026-04-01 00:00"), "care"
	compared := strings.Replace(doc, `"by":[{"field":"kind"},{"field":"opened","grain":"month"}]`, `"compare":"year before","by":[{"field":"kind"},{"field":"opened","grain":"month"}]`, 1)
	for _, c := range []struct {
		name, doc string
		ref       marks.Reference
		of        string   // the measure
		has, not  []string // of the conditions
	}{
		{"all", doc, marks.Reference{}, "average of cost", []string{boat, year, `"late"`}, nil},
		{"a kind in a month", doc, marks.Reference{Keys: []marks.Key{{Is: &care}, {From: &from, To: &to}}}, "average of cost", []string{boat, year, `{"field":"kind","is":"care"}`}, nil},
		{"a kind without a date", doc, marks.Reference{Keys: []marks.Key{{Is: &care}, {None: true}}}, "count of records", []string{boat, `{"field":"kind","is":"care"}`, `{"field":"opened","empty":true}`}, []string{"2026-12-31"}},
		{"without a kind", doc, marks.Reference{Keys: []marks.Key{{None: true}, {From: &from, To: &to}}}, "average of cost", []string{boat, year, `{"field":"kind","empty":true}`}, nil},
		{"what cannot be placed", doc, marks.Reference{Keys: []marks.Key{{Is: &care}, {Outside: true}}, From: &from, To: &to}, "count of records", []string{boat, year}, nil},
		{"the time before", compared, marks.Reference{Keys: []marks.Key{{Is: &care}}, Then: &query.Spell{From: from, To: to}}, "average of cost", []string{boat, `{"field":"kind","is":"care"}`}, []string{"2026-12-31"}},
	} {
		p, err := planner.NewRecords(defined(t, c.doc), sample.Jobs(), setting, c.ref)
		require.NoError(t, err, c.name)
		assert.Equal(t, c.of, fmt.Sprintf("%s of %s", p.Measure.Aggregate, p.Measure.Field), c.name)
		where, err := json.Marshal(p.Where)
		require.NoError(t, err, c.name)
		for _, words := range c.has {
			assert.Contains(t, string(where), words, c.name)
		}
		for _, words := range c.not {
			assert.NotContains(t, string(where), words, c.name)
		}
	}
	_, err := planner.NewRecords(defined(t, doc), sample.Jobs(), setting, marks.Reference{Keys: make([]marks.Key, 3)})
	assert.EqualError(t, err, "reference: The chart has changed since this mark was drawn; load it again.")
}

// Records behind a link are few where four times as many still are no more than the chart's
// own, and these are many from a hundred thousand on.
func TestWhatIsFewBehindALink(t *testing.T) {
	for _, c := range []struct {
		name        string
		jobs, yards int64
		where       string
		first       bool
	}{
		{"just many, just few", 100_000, 25_000, `{"field":"region","is":"north"}`, true},
		{"not many", 99_999, 10, `{"field":"region","is":"north"}`, false},
		{"not few", 100_000, 25_001, `{"field":"region","is":"north"}`, false},
		{"not of one link", 100_000, 10, `{"any":[{"field":"region","is":"north"},{"field":"kind","is":"care"}]}`, false},
	} {
		tables := sample.Tables()
		tables.Table("public.job").Rows, tables.Table("public.yard").Rows = c.jobs, c.yards
		ds, err := dataset.Resolve(sample.Document(), tables, nil)
		require.NoError(t, err, c.name)
		asked := false
		_, err = steps.Answered(func(ask *steps.Asker) (*planner.Plan, error) {
			return planner.BuildAsking(defined(t, `"measures":[{"count":"records"}],"where":`+c.where), ds, setting, ask)
		}, func(steps.Question) (steps.Rows, error) { asked = true; return nil, nil })
		require.NoError(t, err, c.name)
		assert.Equal(t, c.first, asked, c.name)
	}
}

// Of a field that holds several values the plan can leave out the dimension, or keep it alone.
func TestPlansOfSeveralValues(t *testing.T) {
	for _, c := range []struct {
		doc, without, values string
		at                   int
	}{
		{`"by":[{"field":"boat"},{"field":"kind"}]`, "by [kind] split ", "by [boat] split ", 0},
		{`"by":[{"field":"kind"},{"field":"boat"}]`, "by [kind] split ", "by [boat] split ", 1},
		{`"by":[{"field":"kind"}],"split":{"field":"boat"}`, "by [kind] split ", "by [boat] split ", 1},
		{`"by":[{"field":"boat"}],"split":{"field":"kind"}`, "by [] split kind", "by [boat] split ", 0},
	} {
		ds := sample.Jobs()
		ds.Find("boat").Several = true
		p := built(t, `"measures":[{"median":"cost"}],`+c.doc, ds)
		say := func(p *planner.Plan) string {
			var by []string
			for _, d := range p.Definition.By {
				by = append(by, d.Field)
			}
			split := ""
			if p.Definition.Split != nil {
				split = p.Definition.Split.Field
			}
			return fmt.Sprintf("by %v split %s", by, split)
		}
		assert.Equal(t, c.at, p.Several(), c.doc)
		assert.Equal(t, c.without, say(p.Without()), c.doc)
		assert.Equal(t, c.values, say(p.Values()), c.doc)
		assert.Equal(t, -1, p.Without().Several(), c.doc)
	}
}

// A dataset beside that is narrowed to the chart's axis at one end only is narrowed there.
func TestWhatStandsBesideIsNarrowedLikeTheAxis(t *testing.T) {
	for within, want := range map[string][]bool{
		`{"from":"2026-02-01","to":"2026-03-31"}`: {true, true},
		`{"since":"2026-02-01"}`:                  {true, false},
	} {
		p, _, err := shared(t, `"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":`+within+`},"also":[{"dataset":"jobs","measures":[{"count":"records"}],"by":"promised"}]`,
			lying{"opened": {"2026-02-10 08:00", "2026-03-20 09:00", "2026-02-11 00:00", "2026-03-01 00:00"}, "promised": {"2026-02-10 00:00", "2026-03-20 00:00", "2026-02-11 00:00", "2026-03-01 00:00"}})
		require.NoError(t, err, within)
		axis := p.Others[0].Dims[0].Axis
		assert.Equal(t, want, []bool{axis.From, axis.To}, within)
		assert.Equal(t, "2026-02-01 2026-04-01", axis.Borders[0].Format(time.DateOnly)+" "+axis.Borders[len(axis.Borders)-1].Format(time.DateOnly), within)
	}
}
