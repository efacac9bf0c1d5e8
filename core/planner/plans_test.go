package planner_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
)

func plan(t *testing.T, doc string, distinct map[string]float64) *planner.Plan {
	var d query.Definition
	require.NoError(t, json.Unmarshal([]byte(doc), &d))
	ds := sample.Jobs()
	for name, n := range distinct {
		ds.Find(name).Distinct = n
	}
	p, err := planner.Build(d, ds, setting, &planner.Extent{})
	require.NoError(t, err)
	return p
}

// How a question is asked follows from what is known of the values, and can be said.
func TestPlansAreChosenByStatisticsAndExplained(t *testing.T) {
	median := `{"version":2,"dataset":"jobs","measures":[{"median":"cost"},{"distinct":"boat"}],"by":[{"field":"kind"}]}`
	for _, c := range []struct {
		name, doc       string
		distinct        map[string]float64
		tallied, rolled bool
		words           string
	}{
		{"few values are counted", median, map[string]float64{"cost": 60, "boat": 20, "kind": 3}, true, false, "The median of Cost comes from how often each value occurs, since there are only about 60 of them"},
		{"as few as may be", `{"version":2,"dataset":"jobs","measures":[{"median":"cost"},{"distinct":"boat"}]}`, map[string]float64{"cost": 200, "boat": 100}, true, false, "comes from how often each value occurs"},
		{"as many values as are few", `{"version":2,"dataset":"jobs","measures":[{"median":"cost"}]}`, map[string]float64{"cost": 2000}, true, false, "since there are only about 2000 of them"},
		{"one more than that", `{"version":2,"dataset":"jobs","measures":[{"median":"cost"}]}`, map[string]float64{"cost": 2001}, false, false, "There is one group, of all records."},
		{"many values are sorted by the database", median, map[string]float64{"cost": 50_000, "boat": 20, "kind": 3}, false, true, "a total of median of Cost and different values of Boat cannot be had from its parts"},
		{"values that are not known to be few as well", median, map[string]float64{"cost": 60, "boat": 0, "kind": 3}, false, true, "cannot be had from its parts"},
		{"few values in many groups", median, map[string]float64{"cost": 60, "boat": 20, "kind": 900}, false, true, "cannot be had from its parts"},
		{"sums need one pass", `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"boat","largest":3,"others":true}]}`, nil, false, false, "what is kept of Boat, Others and every total are put together"},
		{"too many groups are ranked by the database", `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"boat","largest":3,"others":true},{"field":"kind"}]}`, map[string]float64{"boat": 90_000}, false, true, "The database ranks and makes each total itself"},
		{"names come after grouping", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"yard"}]}`, nil, false, false, "grouped by the key of Yard; its name is looked up for each group"},
		{"one group", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}]}`, nil, false, false, "There is one group"},
	} {
		p := plan(t, c.doc, c.distinct)
		assert.Equal(t, c.tallied, p.Tallied(), c.name)
		assert.Equal(t, c.rolled, p.Rolled, c.name)
		assert.Contains(t, strings.Join(p.Explain(), "\n"), c.words, c.name)
		p.Force(true)
		assert.False(t, p.Tallied(), "what the database groups itself is not counted by value: %s", c.name)
	}
}

// Whoever may not see every record is told nothing that comes from all of them.
func TestNothingOfAllRecordsIsToldToSome(t *testing.T) {
	d := defined(t, `"measures":[{"median":"cost"}],"by":[{"field":"yard"}]`)
	var said []string
	for _, distinct := range []float64{60, 50_000} {
		ds := sample.Jobs()
		ds.Find("cost").Distinct, ds.Find("yard").Distinct = distinct, distinct
		assert.Equal(t, distinct > 100, ds.Many(ds.Find("cost"), 100))
		mine := ds.For(&dataset.Guard{Rows: map[string]filter.Condition{"job": filter.Never()}})
		assert.True(t, mine.Many(mine.Find("cost"), 100), "whatever there is")
		p, err := planner.Build(d, mine, setting, &planner.Extent{})
		require.NoError(t, err)
		said = append(said, strings.Join(p.Explain(), "\n"))
	}
	assert.Equal(t, said[0], said[1])
	assert.NotContains(t, said[0], "about")
}

func TestAViewerLooksCloserAndByAnotherGrain(t *testing.T) {
	d := defined(t, `"measures":[{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"opened","grain":"month"},"where":{"field":"kind","is":"care"}`)
	ds := sample.Jobs()
	from, to := time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC), time.Date(2026, 4, 1, 0, 0, 0, 0, time.UTC)
	looked := d.Looked(query.Look{Grain: period.Day, Part: &query.Spell{From: from, To: to}}, ds)
	p, err := planner.Build(looked, ds, setting, nil)
	require.NoError(t, err)
	assert.Len(t, p.Dims[1].Axis.Borders, 32, "the days of March and their end")
	assert.Equal(t, period.Month, d.Split.Grain, "the author's own stays as it is")
	_, offered := p.Offered()
	assert.Contains(t, offered, period.Week)
	assert.NotContains(t, offered, period.Year, "a month is no two years")
	assert.NotContains(t, offered, period.Minute, "which would be too many steps")
	laid := query.Definition{Version: query.Version, Dataset: "jobs", Measures: d.Measures, By: []query.Dimension{{Field: "opened", Part: period.MonthOfYear}}, Split: &query.Dimension{Field: "opened", Grain: period.Year}}
	looked = laid.Looked(query.Look{Grain: period.Week}, ds)
	assert.Equal(t, period.ISOWeek, looked.By[0].Part, "of years laid over each other the part has another grain")
	assert.Equal(t, period.Year, looked.Split.Grain, "and each is a line as before")
	assert.Equal(t, laid.By, laid.Looked(query.Look{Grain: period.Day}, ds).By)
	p, err = planner.Build(laid, ds, setting, &planner.Extent{Low: from, High: to, Any: true})
	require.NoError(t, err)
	grain, offered := p.Offered()
	assert.Equal(t, period.Month, grain)
	assert.Equal(t, []period.Grain{period.Week, period.Month, period.Quarter}, offered)
	plain := query.Definition{Version: query.Version, Dataset: "jobs", Measures: d.Measures, By: []query.Dimension{{Field: "kind"}}}
	assert.Equal(t, plain.By, plain.Looked(query.Look{Grain: period.Day}, ds).By, "without a time axis nothing changes")
}

// Explanations, whole: each sentence stands where it is true, and nowhere else.
func TestExplanationsWhole(t *testing.T) {
	const one = "One pass gives the finest groups; every total is put together from them."
	for _, c := range []struct {
		doc  string
		want []string
	}{
		{`"measures":[{"count":"records"}]`, []string{"There is one group, of all records."}},
		{`"measures":[{"count":"records"}],"by":[{"field":"kind"}]`, []string{one}},
		{`"measures":[{"count":"records"}],"by":[{"field":"yard"}]`, []string{"Records are grouped by the key of Yard; its name is looked up for each group, not for each record.", one}},
		{`"measures":[{"count":"records"}],"by":[{"field":"region"}]`, []string{"Records are grouped by their yard first; Region is looked up for each of those, and groups with the same are put together.", one}},
		{`"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"month"}]`, []string{"Each month of Opened is found by its borders, 7 of them, which were worked out beforehand in the zone UTC: the database decides no times.", one}},
		{`"measures":[{"count":"records","where":{"field":"kind","is":"care"}}]`, []string{"There is one group, of all records.", "All measures have the same condition, so only records that meet it are read."}},
		{`"measures":[{"count":"records"}],"by":[{"field":"boat","largest":2,"others":true}]`, []string{"One pass gives the finest groups; what is kept of Boat, Others and every total are put together from them."}},
	} {
		tables := sample.Tables()
		tables.Table("public.yard").Rows, tables.Table("public.job").Rows = 50, 1_000_000
		ds, err := dataset.Resolve(sample.Document(), tables, nil)
		require.NoError(t, err)
		assert.Equal(t, c.want, built(t, c.doc, ds).Explain(), c.doc)
	}
	some := sample.Jobs().For(&dataset.Guard{Own: filter.Compare("kind", filter.Is, "care")})
	const only = "Only the records that you may see are read. Which of several ways they are asked in depends on how many there are altogether, and is not told here."
	assert.Equal(t, []string{only}, built(t, `"measures":[{"count":"records"}],"by":[{"field":"kind"}]`, some).Explain())
	assert.Equal(t, []string{"The names of Yard are looked up for each group.", only}, built(t, `"measures":[{"count":"records"}],"by":[{"field":"yard"}]`, some).Explain())
}
