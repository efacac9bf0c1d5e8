package calc_test

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/sql"
	"eskadel/core/steps"
)

var setting = query.Setting{Now: time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}

// planned answers the chart's own question with nothing but some records, and the plan's
// with the rows given; it notes what was asked.
type planned struct {
	rows  [][]field.Value
	asked []query.Definition
}

func (p *planned) Ask(plan steps.Question) ([][]field.Value, error) {
	if _, bounds := plan.(*sql.Bounds); bounds {
		return [][]field.Value{{field.OfTime(time.Unix(0, 0)), field.OfTime(time.Unix(1<<32, 0))}}, nil
	}
	q, ok := plan.(*planner.Plan)
	if !ok {
		return nil, fmt.Errorf("not expected: %T", plan)
	}
	p.asked = append(p.asked, q.Definition)
	if len(p.asked) > 1 {
		return p.rows, nil
	}
	row := []field.Value{}
	for range q.Dims {
		row = append(row, field.OfInt(1))
	}
	for range q.Columns {
		row = append(row, field.OfInt(1))
	}
	return [][]field.Value{append(row, field.OfInt(1))}, nil
}

func (p *planned) Dataset(string) (*dataset.Dataset, error) { return sample.Jobs(), nil }

func definition(t *testing.T, doc string) (d query.Definition) {
	require.NoError(t, json.Unmarshal([]byte(`{"version":2,"dataset":"jobs",`+doc+`}`), &d))
	require.NoError(t, d.Check(sample.Jobs()))
	return d
}

func near(t *testing.T, want string, got field.Value, words string) {
	t.Helper()
	require.False(t, got.IsEmpty(), words)
	a, _, err := apd.NewFromString(want)
	require.NoError(t, err)
	var off apd.Decimal
	_, _ = apd.BaseContext.Sub(&off, a, got.Decimal())
	assert.Negative(t, off.Abs(&off).Cmp(apd.New(1, -25)), "%s: %s, not %s", words, got.Exact(), want)
}

func TestTypedTargetsAreSharedOutByDays(t *testing.T) {
	for grain, first := range map[string]string{"week": "32.25806451612903225806451612903226", "month": "1000", "day": "32.25806451612903225806451612903226", "quarter": "3000"} {
		d := definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"promised","grain":"`+grain+`"}],"where":{"field":"promised","within":{"from":"2023-01-01","to":"2023-03-31"}},"target":{"grain":"month","steps":{"2023-01-01":1000,"2023-02-01":800,"2023-03-01":1200}}`)
		table, err := answered(d, sample.Jobs(), setting, &planned{})
		require.NoError(t, err)
		near(t, first, table.GroupFigure(0, 0).Target, grain)
		sum := field.Value{}
		for g := range table.Groups {
			sum = calc.Sum(sum, table.GroupFigure(g, 0).Target)
		}
		near(t, "3000", sum, "the shares add back, per "+grain)
		near(t, "3000", table.TotalFigure(0).Target, "the total")
	}
	d := definition(t, `"measures":[{"average":"cost"}],"by":[{"field":"promised","grain":"quarter"}],"where":{"field":"promised","within":{"from":"2023-01-01","to":"2023-03-31"}},"target":{"grain":"month","steps":{"2023-01-01":10,"2023-02-01":8,"2023-03-01":12}}`)
	table, err := answered(d, sample.Jobs(), setting, &planned{})
	require.NoError(t, err)
	near(t, "10.06666666666666666666666666666667", table.GroupFigure(0, 0).Target, "a rate is averaged by days: (31·10 + 28·8 + 31·12) ÷ 90")
}

func TestTheTargetOfAnUnfinishedStepIsThatOfTheWholeStep(t *testing.T) {
	d := definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":{"last":2,"unit":"month"}},"target":{"grain":"month","steps":{"2026-10-01":310,"2026-11-01":300}}`)
	table, err := answered(d, sample.Jobs(), setting, &planned{})
	require.NoError(t, err)
	near(t, "300", table.GroupFigure(1, 0).Target, "November, on the 23rd")
	d = definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":{"from":"2026-10-11","to":"2026-10-31"}},"target":{"grain":"month","steps":{"2026-10-01":310}}`)
	table, err = answered(d, sample.Jobs(), setting, &planned{})
	require.NoError(t, err)
	near(t, "210", table.GroupFigure(0, 0).Target, "of a step that the filter cuts the part that it leaves")
}

func TestPlansAreAskedUnderTheFiltersInForce(t *testing.T) {
	plan := `"target":{"plan":"jobs","measure":{"sum":"cost"},"on":"promised"%s}`
	base := `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"all":[{"field":"opened","within":{"from":"2026-01-01","to":"2026-02-28"}},{"field":"kind","is":"care"}]},`
	ask := &planned{rows: [][]field.Value{{field.OfInt(1), field.OfInt(62), field.OfInt(1)}, {field.OfInt(2), field.OfInt(28), field.OfInt(1)}}}
	table, err := answered(definition(t, base+fmt.Sprintf(plan, "")), sample.Jobs(), setting, ask)
	require.NoError(t, err)
	require.Len(t, ask.asked, 2)
	assert.Empty(t, table.Targets.Withheld)
	near(t, "62", table.GroupFigure(0, 0).Target, "January")
	near(t, "28", table.GroupFigure(1, 0).Target, "February")
	near(t, "90", table.TotalFigure(0).Target, "in all")
	for name, doc := range map[string]string{
		"know no":              `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"all":[{"field":"opened","within":"this year"},{"field":"boat","is":"Tern"}]},` + fmt.Sprintf(plan, `,"fields":{"boat":"nothing"}`),
		"set a range of dates": `"measures":[{"sum":"cost"}],` + fmt.Sprintf(plan, ""),
		"no date":              `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year"},"target":{"plan":"jobs","measure":{"sum":"cost"},"on":"kind"}`,
	} {
		table, err := answered(definition(t, doc), sample.Jobs(), setting, &planned{})
		require.NoError(t, err)
		assert.Contains(t, table.Targets.Withheld, name)
		assert.True(t, table.TotalFigure(0).Target.IsEmpty())
	}
}

// Without a time axis a plan counts for the days of the filter, in the zone of its field.
func TestAPlanWithoutAnAxisEndsWithTheLastDay(t *testing.T) {
	for _, name := range []string{"Pacific/Auckland", "Europe/Berlin", "UTC", "America/Los_Angeles"} {
		zone, err := time.LoadLocation(name)
		require.NoError(t, err)
		here := query.Setting{Now: setting.Now, Calendar: period.ISO(zone)}
		d := definition(t, `"measures":[{"sum":"cost"}],"where":{"field":"opened","within":{"from":"2026-03-02","to":"2026-03-30"}},"target":{"plan":"jobs","measure":{"sum":"cost"},"on":"promised"}`)
		table, err := answered(d, sample.Jobs(), here, &planned{rows: [][]field.Value{{field.OfInt(1), field.OfInt(31), field.OfInt(1)}}})
		require.NoError(t, err)
		near(t, "29", table.TotalFigure(0).Target, name)
	}
}

func TestConditionsOnResultsKeepTotals(t *testing.T) {
	d := definition(t, `"measures":[{"count":"records"}],"by":[{"field":"boat"}],"results":[{"at_least":3,"below":9}],"drop_zeros":true`)
	p, err := planner.Build(d, sample.Jobs(), setting, nil)
	require.NoError(t, err)
	var rows [][]field.Value
	for i, n := range []int64{1, 3, 8, 9, 20} {
		rows = append(rows, []field.Value{field.OfText(fmt.Sprint("boat ", i)), field.OfInt(n), field.OfInt(n)})
	}
	table := calc.Compute(p, rows)
	assert.Len(t, table.Groups, 2)
	assert.Equal(t, 3, table.Dropped)
	assert.Equal(t, "41", table.Total()[0].Exact(), "totals have what is dropped")
}

func TestOrders(t *testing.T) {
	for _, c := range []struct{ sort, want string }{
		{`{"by":"hand","order":["rework","care"]}`, "rework care mishap other"},
		{`{"by":"list"}`, "care mishap rework other"}, {`{"by":"list","descending":true}`, "rework mishap care other"},
		{`{"by":"label","descending":true}`, "rework other mishap care"}, {`{"by":"measure"}`, "mishap care other rework"},
	} {
		d := definition(t, `"measures":[{"count":"records"}],"by":[{"field":"kind","sort":`+c.sort+`}]`)
		p, err := planner.Build(d, sample.Jobs(), setting, nil)
		require.NoError(t, err)
		var rows [][]field.Value
		for kind, n := range map[string]int64{"care": 2, "mishap": 1, "rework": 7, "other": 3} {
			rows = append(rows, []field.Value{field.OfText(kind), field.OfInt(n), field.OfInt(n)})
		}
		got := ""
		for _, k := range calc.Compute(p, rows).Groups {
			got += " " + k[0].Value.Exact()
		}
		assert.Equal(t, " "+c.want, got, c.sort)
	}
}
