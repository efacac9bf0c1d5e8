package chart_test

import (
	"fmt"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/steps"
)

// A job is one record of desk: when it was opened, its kind, and its cost in pence.
type job struct {
	opened, kind string
	cost         int64
}

// A desk answers questions about jobs as the database would: by the steps of their time
// and their kind, with sums of their cost and numbers of jobs.
type desk struct {
	jobs  []job
	asked int
}

func (d *desk) Ask(q steps.Question) (rows [][]field.Value, err error) {
	d.asked++
	p, divides := q.(*planner.Plan)
	if !divides { // where the records lie
		first, last := at(d.jobs[0].opened), at(d.jobs[len(d.jobs)-1].opened)
		return [][]field.Value{{first, last, first, last}}, nil
	}
	groups := map[string][]job{}
	for _, j := range d.jobs {
		var key []string
		for _, dim := range p.Dims {
			switch {
			case dim.Axis != nil:
				opened := at(j.opened).Time()
				key = append(key, fmt.Sprint(sort.Search(len(dim.Axis.Placed), func(i int) bool { return dim.Axis.Placed[i].After(opened) })))
			case dim.Part == period.QuarterOfYear:
				key = append(key, fmt.Sprint((int(at(j.opened).Time().Month())+2)/3))
			default:
				key = append(key, j.kind)
			}
		}
		groups[strings.Join(key, "|")] = append(groups[strings.Join(key, "|")], j)
	}
	for key, jobs := range groups {
		var row []field.Value
		for i, part := range strings.Split(key, "|") {
			switch {
			case len(p.Dims) == 0:
			case p.Dims[i].Axis != nil || p.Dims[i].Part != 0:
				v, err := field.Parse(field.Integer, part)
				if err != nil {
					return nil, err
				}
				row = append(row, v)
			default:
				row = append(row, txt(part))
			}
		}
		var sum int64
		for _, j := range jobs {
			sum += j.cost
		}
		for _, c := range p.Columns {
			switch c.Component {
			case aggregate.SumOf:
				row = append(row, field.OfDecimal(apd.New(sum, -2)))
			default:
				row = append(row, num(int64(len(jobs))))
			}
		}
		rows = append(rows, append(row, num(int64(len(jobs)))))
	}
	return rows, nil
}

// answered computes a chart document over jobs.
func answered(t *testing.T, doc string, jobs ...job) (*chart.Document, *calc.Table) {
	d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs",` + doc + `}`))
	require.NoError(t, err)
	require.NoError(t, d.Check(sample.Jobs()))
	tab, err := steps.Answered(func(ask *steps.Asker) (*calc.Table, error) {
		return calc.Answer(d.Definition, sample.Jobs(), query.Setting{Now: now, Calendar: period.ISO(time.UTC)}, nil, ask)
	}, (&desk{jobs: jobs}).Ask)
	require.NoError(t, err)
	return d, tab
}

var twoYears = []job{{"2025-01-10T10:00:00Z", "care", 1000}, {"2025-01-20T10:00:00Z", "rework", 500}, {"2025-02-03T10:00:00Z", "care", 200}, {"2025-11-20T10:00:00Z", "care", 700}, {"2025-11-29T10:00:00Z", "care", 90},
	{"2026-01-05T10:00:00Z", "care", 3000}, {"2026-03-05T10:00:00Z", "rework", 400}, {"2026-11-20T10:00:00Z", "care", 1400}}

const thisYear = `"where":{"field":"opened","within":"this year"},"compare":"year before",`

func series(d *chart.Drawing, role string) *chart.Series {
	for i := range d.Series {
		if d.Series[i].Role == role {
			return &d.Series[i]
		}
	}
	return nil
}

func labelsOf(s *chart.Series) (out []string) {
	for _, m := range s.Marks {
		if m == nil {
			out = append(out, "")
			continue
		}
		out = append(out, m.Label)
	}
	return out
}

func TestWhatAChartIsComparedWithIsDrawnBesideIt(t *testing.T) {
	doc, tab := answered(t, `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"quarter"}],`+thisYear+`"form":"columns"`, twoYears...)
	d, err := chart.Draw(tab, doc, 0)
	require.NoError(t, err)
	now, before := series(d, ""), series(d, chart.Before)
	assert.Equal(t, []string{"£34.00", "£0.00", "£0.00", "£14.00"}, labelsOf(now))
	assert.Equal(t, []string{"£17.00", "£0.00", "£0.00", "£7.00"}, labelsOf(before), "the last quarter has not ended: to the same day and hour only")
	assert.Equal(t, "ghost", before.As, "hollow")
	assert.Contains(t, before.Name, "the year before, to 23 Nov")
	assert.Equal(t, []string{"before £17.00", "+£17.00 (+100.0%)"}, now.Marks[0].More)
	assert.Equal(t, "2025-01-01", before.Marks[0].Then.From.Format(time.DateOnly), "which leads to the records of then")
	assert.Equal(t, "2025-11-23T12:00", before.Marks[3].Then.To.Format("2006-01-02T15:04"))

	doc, tab = answered(t, `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"quarter"}],"split":{"field":"kind"},`+thisYear+`"form":{"columns":"stacked"}`, twoYears...)
	d, err = chart.Draw(tab, doc, 0)
	require.NoError(t, err)
	before = series(d, chart.Before)
	assert.Equal(t, "tick", before.As, "what stands on each other is compared as a whole")
	assert.Equal(t, "£17.00", before.Marks[0].Label)

	doc, tab = answered(t, `"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"quarter"}],`+thisYear+`"form":"line"`, twoYears...)
	d, err = chart.Draw(tab, doc, 0)
	require.NoError(t, err)
	assert.Equal(t, "line", series(d, chart.Before).As)
}

// Before its first record a dataset has no value, rather than nothing of something.
func TestNothingIsFilledBeforeTheFirstRecord(t *testing.T) {
	late := []job{{"2025-08-10T10:00:00Z", "care", 1000}, {"2026-02-10T10:00:00Z", "care", 500}, {"2026-10-10T10:00:00Z", "care", 700}}
	of := `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"quarter"}],`
	doc, tab := answered(t, of+`"where":{"field":"opened","within":{"from":"2025-01-01","to":"2026-06-30"}},"form":"columns"`, late...)
	d, err := chart.Draw(tab, doc, 0)
	require.NoError(t, err)
	assert.Equal(t, []string{"", "", "£10.00", "£0.00", "£5.00", "£0.00"}, labelsOf(series(d, "")))

	doc, tab = answered(t, of+thisYear+`"form":"columns"`, late...)
	d, err = chart.Draw(tab, doc, 0)
	require.NoError(t, err)
	assert.Equal(t, []string{"", "", "£10.00", "£0.00"}, labelsOf(series(d, chart.Before)), "nor of what figures are compared with")

	doc, tab = answered(t, `"measures":[{"count":"records"}],"by":[{"field":"opened","part":"quarter of year"}],"split":{"field":"opened","grain":"year"},"form":"line"`, late...)
	d, err = chart.Draw(tab, doc, 0)
	require.NoError(t, err)
	assert.Equal(t, []string{"", "", "1", "0"}, labelsOf(&d.Series[0]), "nor of years laid over each other")
	assert.Equal(t, []string{"1", "0", "0", "1"}, labelsOf(&d.Series[1]))

	doc, tab = answered(t, `"measures":[{"sum":"cost"},{"count":"records"}],"where":{"field":"opened","within":{"from":"2026-07-01","to":"2026-12-31"}},"compare":{"range":{"from":"2024-07-01","to":"2024-12-31"}},"form":"key figures"`, late...)
	f := chart.Figures(tab, nil, doc)
	assert.Equal(t, []string{"", "new"}, []string{f[0].Since, f[0].Change})
	_, tab = answered(t, `"measures":[{"sum":"cost","then":{"moving_average":{"steps":2}}}],"by":[{"field":"opened","grain":"quarter"}],"where":{"field":"opened","within":{"from":"2025-01-01","to":"2026-06-30"}},"form":"line"`, late...)
	var averages []string
	for g := range tab.Groups {
		averages = append(averages, tab.Figure(g, 0, 0).Shown.Exact())
	}
	assert.Equal(t, []string{"", "", "", "5", "2.5", "2.5"}, averages, "two steps of the dataset's own")
}

func TestTablesHaveColumnsForBeforeAndChange(t *testing.T) {
	doc, tab := answered(t, `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],`+thisYear+`"form":"table"`, twoYears...)
	g := chart.MakeGrid(tab, doc, 0)
	var head []string
	for _, h := range g.Head {
		head = append(head, h.Label)
	}
	assert.Equal(t, []string{"Kind", "Sum of Cost", "The year before, to 23 Nov", "Change"}, head)
	var rows []string
	for _, r := range append(g.Rows, chart.Row{Cells: g.Total}) {
		var cells []string
		for _, c := range r.Cells {
			cells = append(cells, c.Text)
		}
		rows = append(rows, strings.Join(cells, " "))
	}
	assert.Equal(t, []string{"care £44.00 £19.00 +131.6%", "rework £4.00 £5.00 −20.0%", "In all £48.00 £24.00 +100.0%"}, rows)
	before := g.Rows[0].Cells[2]
	assert.False(t, before.Plain, "it leads to its records")
	assert.Equal(t, []string{"2025-01-01", "19.00"}, []string{before.Then.From.Format(time.DateOnly), before.Exact})
	assert.True(t, g.Rows[0].Cells[3].Plain, "a change has no records of its own")
	doc, tab = answered(t, `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],`+thisYear+`"form":"table"`, twoYears[5:]...)
	assert.Equal(t, "new", chart.MakeGrid(tab, doc, 0).Rows[0].Cells[3].Text, "there was nothing before")
}

func TestKeyFiguresSayWhatChanged(t *testing.T) {
	of := `"measures":[{"sum":"cost"},{"count":"records"}],` + thisYear + `"form":"key figures"`
	doc, tab := answered(t, of, twoYears...)
	f := chart.Figures(tab, nil, doc)
	assert.Equal(t, []string{"Sum of Cost", "£48.00", "+100.0%", "up", "on the year before, to 23 Nov: £24.00", "24.00"}, []string{f[0].Label, f[0].Text, f[0].Change, f[0].Way, f[0].Since, f[0].Was})
	assert.Equal(t, []string{"3", "−25.0%", "down"}, []string{f[1].Text, f[1].Change, f[1].Way})
	assert.Equal(t, "2025-11-23T12:00", f[0].Then.To.Format("2006-01-02T15:04"))
	doc, tab = answered(t, `"measures":[{"sum":"cost","format":"0%"}],"by":[{"field":"kind"}],`+thisYear+`"form":"bars"`, job{"2025-01-10T10:00:00Z", "care", 40}, job{"2026-01-10T10:00:00Z", "care", 41})
	assert.Equal(t, "+1.0 points", chart.Figures(tab, nil, doc)[0].Change, "of a percentage")
	assert.Equal(t, []string{"+1.0 points", "0.01"}, []string{chart.MakeGrid(tab, doc, 0).Rows[0].Cells[3].Text, chart.MakeGrid(tab, doc, 0).Rows[0].Cells[3].Exact})
	drawn, err := chart.Draw(tab, doc, 0)
	require.NoError(t, err)
	assert.Equal(t, []string{"before 40%", "+1.0 points"}, drawn.Series[0].Marks[0].More)
	_, tab = answered(t, of, twoYears[5:]...)
	f = chart.Figures(tab, nil, doc)
	assert.Equal(t, []string{"new", "up"}, []string{f[0].Change, f[0].Way})
	_, tab = answered(t, of, job{"2025-01-10T10:00:00Z", "care", 100}, job{"2026-01-10T10:00:00Z", "care", 100})
	assert.Equal(t, "same", chart.Figures(tab, nil, doc)[0].Way)
}

func TestTargetsAreDrawnAndReached(t *testing.T) {
	target := `"target":{"constant":20},"where":{"field":"opened","within":"this year"},`
	doc, tab := answered(t, `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"quarter"}],`+target+`"form":"columns"`, twoYears...)
	d, err := chart.Draw(tab, doc, 0)
	require.NoError(t, err)
	aim := series(d, chart.Aim)
	assert.Equal(t, []string{"tick", "£20.00"}, []string{aim.As, aim.Marks[0].Label})
	assert.Contains(t, series(d, "").Marks[0].More, "target £20.00, 170.0% reached")
	for how, as := range map[string]string{"line": "line", "columns": "ghost"} {
		doc.Finish = &chart.Finish{Aim: how}
		d, err := chart.Draw(tab, doc, 0)
		require.NoError(t, err)
		aim := series(d, chart.Aim)
		assert.Equal(t, []any{as, map[string]int{"line": -1, "columns": 0}[how]}, []any{aim.As, aim.Of}, "columns stand beside those of their measure")
	}
	doc.Finish = nil
	g := chart.MakeGrid(tab, doc, 0)
	assert.Equal(t, []string{"£34.00", "£20.00", "170.0%"}, []string{g.Rows[0].Cells[1].Text, g.Rows[0].Cells[2].Text, g.Rows[0].Cells[3].Text})
	doc, tab = answered(t, `"measures":[{"sum":"cost"}],"target":{"constant":96},"where":{"field":"opened","within":"this year"},"form":"key figures","finish":{"bands":[{"from":0,"name":"poor","tone":"poor"},{"from":40,"name":"fair","tone":"fair"},{"from":90,"name":"good","tone":"good"}]}`, twoYears[5:]...)
	f := chart.Figures(tab, nil, doc)[0]
	assert.Equal(t, "50.0% of £96.00", f.Target)
	assert.True(t, f.Missed)
	assert.Equal(t, []string{"fair", "fair"}, []string{f.Band, f.Tone})
}

func TestSmallLinesFillTheirGround(t *testing.T) {
	doc, along := answered(t, `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"quarter"}],"where":{"field":"opened","within":"this year"},"form":"line"`, twoYears[5:]...)
	_, tab := answered(t, `"measures":[{"sum":"cost"}],"where":{"field":"opened","within":"this year"},"form":"key figures"`, twoYears[5:]...)
	assert.Equal(t, "0.0,2.0 33.3,22.0 66.7,22.0 100.0,13.8", chart.Figures(tab, along, doc)[0].Spark, "the largest at the top, the smallest at the bottom")
}

func TestTipsAndLabelsSayWhatIsPicked(t *testing.T) {
	of := `"measures":[{"sum":"cost"},{"count":"records","aside":true}],"by":[{"field":"kind"}],` + thisYear + `"form":"bars","finish":`
	for finish, want := range map[string][2]string{
		`{}`:                                  {"£44.00", "before £19.00; +£25.00 (+131.6%); Number of jobs 2"},
		`{"tips":["none"],"labels":["none"]}`: {"", ""},
		`{"tips":["share","total"],"labels":["name","share"]}`:       {"care, 91.7%", "91.7% of the whole; of £48.00 in all"},
		`{"tips":["change"],"labels":["value","change"]}`:            {"£44.00, +131.6%", "+£25.00 (+131.6%)"},
		`{"tips":["measure 2"],"labels":["measure 2"]}`:              {"2", "Number of jobs 2"},
		`{"tips":["measure 2"],"names":{"Number of jobs":"Visits"}}`: {"£44.00", "Visits 2"},
	} {
		doc, tab := answered(t, of+finish, twoYears...)
		d, err := chart.Draw(tab, doc, 0)
		require.NoError(t, err, finish)
		m := series(d, "").Marks[0]
		assert.Equal(t, want, [2]string{m.Text, strings.Join(m.More, "; ")}, finish)
	}
}

func TestSiblingsShareAScaleAndAnOrder(t *testing.T) {
	doc, tab := answered(t, `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"form":"bars"`, twoYears...)
	alike := doc.Alike(-50, 200, []string{"rework", "care"}, sample.Jobs())
	p, err := planner.Build(alike.Definition, sample.Jobs(), tab.Plan.Setting, nil)
	require.NoError(t, err)
	rows, err := (&desk{jobs: twoYears}).Ask(p)
	require.NoError(t, err)
	d, err := chart.Draw(calc.Compute(p, rows), alike, 0)
	require.NoError(t, err)
	assert.Equal(t, []float64{-50, 200}, []float64{d.Axis.Low, d.Axis.High})
	assert.Equal(t, []string{"rework", "care"}, []string{d.Groups[0].Label, d.Groups[1].Label})
	assert.Nil(t, doc.Finish, "the chart itself stays as it is")
	for form, shares := range map[chart.Form]bool{chart.Bars: true, chart.Pie: false, chart.Table: false, {Kind: "columns", Style: chart.Whole}: false, chart.Line: true} {
		assert.Equal(t, shares, form.Scaled(), form.Words())
	}
}
