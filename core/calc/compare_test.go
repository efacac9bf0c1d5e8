package calc_test

import (
	"context"
	"encoding/json"
	"slices"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/steps"
)

// asking puts a chart's questions to the database, the way the program does; rolled
// chooses the way of grouping.
type asking struct {
	asker
	now     query.Setting
	rolled  bool
	viewer  rule.Viewer // with the role “all” when left out
	asked   int
	dataset map[string]*dataset.Dataset
}

func (a *asking) Ask(p steps.Question) ([][]field.Value, error) {
	a.asked++
	viewer := a.viewer
	if viewer.Roles == nil {
		viewer.Roles = []string{"all"}
	}
	sealed, err := rule.Seal(p, viewer)
	if err != nil {
		return nil, err
	}
	rows, err := a.src.Run(context.Background(), sealed)
	if err != nil {
		return nil, err
	}
	return rows[0], nil
}

func (a *asking) Dataset(name string) (*dataset.Dataset, error) { return a.dataset[name], nil }

// asks is whoever answers a chart's questions, and knows the datasets that it speaks of.
type asks interface {
	query.Sets
	Ask(steps.Question) (steps.Rows, error)
}

// answered computes a definition whole.
func answered(d query.Definition, ds *dataset.Dataset, s query.Setting, a asks) (*calc.Table, error) {
	return steps.Answered(func(ask *steps.Asker) (*calc.Table, error) { return calc.Answer(d, ds, s, a, ask) }, a.Ask)
}

// forced is answered where the database makes the cut and every total, or does not.
func forced(d query.Definition, ds *dataset.Dataset, s query.Setting, rolled bool, a asks) (*calc.Table, error) {
	return steps.Answered(func(ask *steps.Asker) (*calc.Table, error) {
		p, err := planner.BuildAsking(d, ds, s, ask)
		if err != nil {
			return nil, err
		}
		p.Force(rolled)
		return calc.Ask(p, a, ask)
	}, a.Ask)
}

func (a *asking) answer(t require.TestingT, d query.Definition) *calc.Table {
	table, err := forced(d, a.ds, a.now, a.rolled, a)
	require.NoError(t, err)
	return table
}

func someComparison(t *rapid.T) query.Definition {
	d := someDefinition(t)
	d.Where = nil
	if rapid.Bool().Draw(t, "has where") {
		c := someCondition(t, 0)
		if c.Op != filter.Within {
			d.Where = &c
		}
	}
	date, own := "at", d.Where
	for _, dim := range d.Dimensions() {
		if dim.Field == "at" || dim.Field == "due" {
			date = dim.Field
		}
	}
	ranges := []period.Relative{{Named: "this month"}, {Named: "last quarter"}, {Named: "this year"}, {Last: 3, Unit: period.Month}, {Last: 40, Unit: period.Day}, {Last: 5, Unit: period.Week, Complete: true}, {From: "2026-01-10", To: "2026-03-31"}}
	c := filter.During(date, rapid.SampledFrom(ranges).Draw(t, "range"))
	if d.Where != nil {
		c = filter.And(*d.Where, c)
	}
	d.Where = &c
	d.Compare = &query.Comparison{With: rapid.SampledFrom([]string{query.YearBefore, query.PeriodBefore}).Draw(t, "with"), On: date}
	if rapid.IntRange(0, 4).Draw(t, "fixed") == 0 {
		d.Compare = &query.Comparison{Range: &period.Relative{From: "2025-05-05", To: "2025-09-30"}, On: date}
		if rapid.Bool().Draw(t, "of all dates") {
			d.Where = own
		}
	}
	return d
}

// What a figure is compared with is the same measure over the records that lie in the
// span before and share its other keys: in cells, in totals, however the database groups.
func TestComparisonsAreTheSameChartAskedForThen(t *testing.T) {
	base, conn := newAsker(t, "comparisons")
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		now := time.Date(2026, time.Month(rapid.IntRange(1, 12).Draw(t, "month")), rapid.IntRange(1, 28).Draw(t, "day"), 12, 30, 0, 0, time.UTC)
		records := someRecords(t, now)
		fill(t, conn, records)
		d := someComparison(t)
		require.NoError(t, d.Check(base.ds))
		cal := period.ISO(london)
		setting := query.Setting{Now: now, Calendar: cal}
		a := &asking{asker: base, now: setting}
		table := a.answer(t, d)
		rolled := (&asking{asker: base, now: setting, rolled: true}).answer(t, d)
		require.Equal(t, table.Groups, rolled.Groups, "%+v", d)
		if table.Compared == nil {
			return
		}
		name := table.Compared.Field
		var others []filter.Condition
		var all filter.Condition
		if d.Where != nil {
			all = *d.Where
		}
		for _, c := range all.TopLevel() {
			if c.Field != name || c.Op != filter.Within {
				others = append(others, c)
			}
		}
		kept := table.Kept()
		var first, last time.Time // of all records: nothing is filled before and, for a plan, after them
		for _, r := range records {
			if v := r.value(name); !v.IsEmpty() {
				if first.IsZero() || v.Time().Before(first) {
					first = v.Time()
				}
				if v.Time().After(last) {
					last = v.Time()
				}
			}
		}
		check := func(what string, keys []calc.Key, span period.Range, got, other func(m int) field.Value) {
			var in []record
			for _, r := range records {
				ok := r.meets(filter.And(others...), now, cal)
				v := r.value(name)
				ok = ok && !v.IsEmpty() && span.Contains(v.Time())
				for i, dim := range d.Dimensions() {
					ok = ok && (dim.Field == name || r.inKey(dim, keys[i], kept[i]))
				}
				if ok {
					in = append(in, r)
				}
			}
			for m, measured := range d.Measures {
				want := measure(measured, in, now, cal)
				if len(in) == 0 && want == "" && measured.Aggregate == aggregate.Sum {
					want = "0"
				}
				if first.IsZero() || !span.To.After(first) || base.ds.Find(name).Planned() && span.From.After(last) {
					want = ""
				}
				require.True(t, sameNumber(measured, want, shown(got(m))), "%s, measure %d of %v in %v: %s, not %s\n%s %+v", what, m, keys, span, shown(got(m)), want, now, d)
				require.True(t, sameNumber(measured, want, shown(other(m))), "rolled: %s, measure %d of %v in %v: %s, not %s", what, m, keys, span, shown(other(m)), want)
			}
		}
		total := table.Compared.Pairing.Total
		for g, group := range table.Groups {
			for s, split := range table.Splits {
				keys := append(append([]calc.Key{}, group...), split...)
				span, paired := total, total.From.Before(total.To)
				if axis := table.Compared.Axis; axis >= 0 {
					span, paired = table.Partner(keys[axis])
				}
				before := table.Figure(g, s, 0).Before
				if !paired {
					require.True(t, before.IsEmpty(), "a step without a partner has nothing before")
					continue
				}
				if !table.IsEmpty() {
					if (g+s)%3 == 0 {
						ref := table.Reference(0, 0, keys)
						ref.Then = &query.Spell{From: span.From, To: span.To}
						total, count, _ := base.behind(t, d, setting, rule.Viewer{Roles: []string{"all"}}, ref)
						if count > 0 {
							require.Equal(t, shown(before), shown(total), "the records behind what was before give it: %v in %v\n%+v", keys, span, d)
						}
					}
					check("cell", keys, span, func(m int) field.Value { return table.Figure(g, s, m).Before }, func(m int) field.Value { return rolled.Figure(g, s, m).Before })
				}
			}
		}
		if total.From.Before(total.To) {
			check("total", make([]calc.Key, len(d.Dimensions())), total, func(m int) field.Value { return table.TotalFigure(m).Before }, func(m int) field.Value { return rolled.TotalFigure(m).Before })
		}
	})
}

// Running totals end at the total, shares add up to one, ranks skip after ties, the
// difference adds back to the figure, and the order is the same each time.
func TestWhatIsMadeOfMeasures(t *testing.T) {
	base, conn := newAsker(t, "made_of_measures")
	now := time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC)
	rapid.Check(t, func(t *rapid.T) {
		fill(t, conn, someRecords(t, now))
		d := someDefinition(t)
		d.Measures = []query.Measure{{Aggregate: aggregate.Sum, Field: "amount"}, {Aggregate: aggregate.Count, Field: query.Records}}
		// Groups that overlap have no whole.
		if d.By = slices.DeleteFunc(d.By, func(dim query.Dimension) bool { return dim.Field == "tags" }); d.Split != nil && d.Split.Field == "tags" {
			d.Split = nil
		}
		if len(d.By) == 0 {
			d.By = []query.Dimension{{Field: "kind"}}
			if d.Split != nil && d.Split.Field == "kind" {
				d.Split = nil
			}
		}
		a := &asking{asker: base, now: query.Setting{Now: now, Calendar: period.ISO(time.UTC)}}
		with := func(then query.Then) *calc.Table {
			d := d
			d.Measures = append([]query.Measure{}, d.Measures...)
			for i := range d.Measures {
				d.Measures[i].Then = &then
			}
			require.NoError(t, d.Check(base.ds))
			out := a.answer(t, d)
			carried(t, out)
			return out
		}
		plain := a.answer(t, d)
		carried(t, plain)
		require.Equal(t, plain.Groups, a.answer(t, d).Groups, "the same order each time")
		if plain.IsEmpty() || len(plain.Groups) == 0 {
			return
		}
		near := func(want, got field.Value, words string) {
			require.Equal(t, want.IsEmpty(), got.IsEmpty(), words)
			if want.IsEmpty() {
				return
			}
			var off apd.Decimal
			_, _ = apd.BaseContext.Sub(&off, want.Decimal(), got.Decimal())
			require.Negative(t, off.Abs(&off).Cmp(apd.New(1, -25)), "%s: %s and %s", words, want.Exact(), got.Exact())
		}
		// What is shown, Others among it, is the whole; so are the cells of each group.
		for m := range d.Measures {
			sum := field.OfInt(0)
			for g := range plain.Groups {
				sum = calc.Sum(sum, plain.GroupTotal(g)[m])
				cells := field.OfInt(0)
				for s := range plain.Splits {
					cells = calc.Sum(cells, plain.Cell(g, s)[m])
				}
				near(calc.Sum(field.OfInt(0), plain.GroupTotal(g)[m]), cells, "a group's cells are the group")
			}
			near(calc.Sum(field.OfInt(0), plain.Total()[m]), sum, "the groups are the whole")
		}
		running := with(query.Then{RunningTotal: &query.RunningTotal{}})
		if len(d.By) == 1 {
			for s := range running.Splits {
				last := -1
				for g := range running.Groups {
					if !running.Figure(g, s, 0).Shown.IsEmpty() {
						last = g
					}
				}
				if last >= 0 {
					near(plain.SplitTotal(s)[1], running.Figure(last, s, 1).Shown, "a running total ends at the total")
				}
			}
		}
		one := field.OfInt(1)
		share := with(query.Then{Share: "everything"})
		if n := plain.Total()[1].Decimal(); !n.IsZero() {
			sum := apd.New(0, 0)
			for g := range share.Groups {
				if v := share.GroupFigure(g, 1).Shown; !v.IsEmpty() {
					_, _ = apd.BaseContext.Add(sum, sum, v.Decimal())
				}
			}
			near(one, field.OfDecimal(sum), "shares add up to one")
		}
		difference := with(query.Then{Difference: "number"})
		for g := 1; g < len(plain.Groups) && len(d.By) == 1; g++ {
			for s := range plain.Splits {
				v := difference.Figure(g, s, 1).Shown
				if v.IsEmpty() {
					continue
				}
				var back apd.Decimal
				_, _ = apd.BaseContext.Add(&back, plain.Cell(g-1, s)[1].Decimal(), v.Decimal())
				near(plain.Cell(g, s)[1], field.OfDecimal(&back), "a difference adds back")
			}
		}
		rank := with(query.Then{Rank: "largest"})
		for g := range plain.Groups {
			v := rank.Figure(g, 0, 1).Shown
			if v.IsEmpty() || len(d.By) > 1 {
				continue
			}
			above := int64(0)
			for o := range plain.Groups {
				kind := plain.Groups[o][0].Kind
				mine, other := plain.Cell(g, 0)[1], plain.Cell(o, 0)[1]
				if (kind == calc.One || kind == calc.Step) && !other.IsEmpty() && field.Compare(other, mine) > 0 {
					above++
				}
			}
			near(field.OfInt(above+1), v, "a rank counts the larger")
		}
		steps := rapid.IntRange(2, 4).Draw(t, "moving")
		moving := with(query.Then{MovingAverage: &query.MovingAverage{Steps: steps, Shorter: true}})
		for g := range plain.Groups {
			v := moving.Figure(g, 0, 1).Shown
			if v.IsEmpty() || len(d.By) > 1 {
				continue
			}
			sum, n := apd.New(0, 0), int64(0)
			for o := max(0, g-steps+1); o <= g; o++ {
				if x := plain.Cell(o, 0)[1]; !x.IsEmpty() {
					_, _ = apd.BaseContext.Add(sum, sum, x.Decimal())
					n++
				}
			}
			var product apd.Decimal
			_, _ = apd.BaseContext.Mul(&product, v.Decimal(), apd.New(n, 0))
			near(field.OfDecimal(sum), field.OfDecimal(&product), "a moving average is its steps' sum by their number")
		}
	})
}

// carried checks that the table of the API and files carry exactly what is shown.
func carried(t require.TestingT, table *calc.Table) {
	grid := chart.MakeGrid(table, &chart.Document{Definition: table.Plan.Definition, Form: chart.Table}, 0)
	require.Len(t, grid.Rows, len(table.Groups))
	refs := func(keys []calc.Key) string {
		out := []marks.Key{}
		for _, k := range keys {
			out = append(out, k.Ref())
		}
		b, _ := json.Marshal(out)
		return string(b)
	}
	var lines [][]string
	for _, line := range grid.WithoutTotals().Flat().Lines {
		var texts []string
		for _, c := range line.Cells {
			if c.IsNumber() {
				texts = append(texts, c.Exact)
			} else {
				texts = append(texts, c.Text)
			}
		}
		lines = append(lines, texts)
	}
	require.Len(t, lines, len(grid.Rows))
	column := 0
	for c, h := range grid.Head {
		if h.Total {
			continue
		}
		column++
		if !h.Number {
			continue
		}
		split := 0
		if len(h.Keys) > 0 {
			want, _ := json.Marshal(h.Keys)
			split = slices.IndexFunc(table.Splits, func(k []calc.Key) bool { return refs(k) == string(want) })
			require.GreaterOrEqual(t, split, 0, "a column of a split value")
		}
		for g := range table.Groups {
			f := table.Figure(g, split, h.Measure)
			shown := map[string]field.Value{"": f.Shown, "target": f.Target, "reached": f.Reached()}[h.Shows]
			require.Equal(t, shown.Exact(), grid.Rows[g].Cells[c].Exact, "the API's cell")
			require.Equal(t, shown.Exact(), lines[g][column-1], "the file's field")
		}
	}
}
