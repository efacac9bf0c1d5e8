package calc_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
)

// Every target of random charts is what going through its days one by one gives, in cells,
// totals, the table of the API and the file alike: an additive plan gives each day an equal
// part of its period, a rate is the average of its days.
func TestTargetsAreWhatTheirDaysAreDue(t *testing.T) {
	base, conn := newAsker(t, "targets")
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	base.ds.Date = "at"
	cal := period.ISO(london)
	rapid.Check(t, func(t *rapid.T) {
		now := time.Date(2026, time.Month(rapid.IntRange(1, 12).Draw(t, "month")), rapid.IntRange(1, 28).Draw(t, "day"), 12, 30, 0, 0, time.UTC)
		records := someRecords(t, now)
		fill(t, conn, records)
		d := someTarget(t)
		require.NoError(t, d.Check(base.ds), written(d))
		a := &asking{asker: base, now: query.Setting{Now: now, Calendar: cal}, dataset: map[string]*dataset.Dataset{"items": base.ds}}
		table := a.answer(t, d)
		if table.IsEmpty() {
			return
		}
		carried(t, table)
		if d.Target.Steps != nil && len(d.By) > 1 {
			require.Contains(t, table.Targets.Withheld, "the numbers are for each")
			return
		}
		require.Empty(t, table.Targets.Withheld)
		dims, kept, target := d.Dimensions(), table.Kept(), d.Target
		_, span, others := table.Plan.InForce()
		axis := slices.IndexFunc(dims, func(dim query.Dimension) bool { return dim.Field == "at" || dim.Field == "due" })
		zone := cal
		if axis >= 0 && dims[axis].Field == "due" {
			zone = cal.Civil()
		}
		if today := zone.Midnight(zone.Reading(cal.Wall(now)), 1); axis >= 0 && span.To.Equal(today) { // the running step is to reach all of its target
			grain := dims[axis].Grain
			span.To = zone.Add(zone.Floor(today.Add(-time.Nanosecond), grain), grain, 1)
		}
		// due is what each of some days is due, from the plan's period that it lies in.
		due := func(keys []calc.Key, within period.Range) *apd.Decimal {
			sum, days := apd.New(0, 0), int64(0)
			for at := zone.Floor(within.From, period.Day); at.Before(within.To); at = zone.Add(at, period.Day, 1) {
				day := zone.Wall(at)
				plain := period.ISO(time.UTC)
				from := plain.Floor(time.Date(day.Year(), day.Month(), day.Day(), 0, 0, 0, 0, time.UTC), target.Grain)
				to := plain.Add(from, target.Grain, 1)
				var value string
				if target.Steps != nil {
					value = target.Steps[from.Format(time.DateOnly)].String()
				} else {
					var in []record
					for _, r := range records {
						ok := r.due != nil && !r.due.Before(from) && r.due.Before(to) && r.meets(filter.And(others...), now, cal)
						for i, k := range keys {
							ok = ok && (i == axis || r.inKey(dims[i], k, kept[i]))
						}
						if ok {
							in = append(in, r)
						}
					}
					value = measure(*target.Planned, in, now, cal)
				}
				if value == "" {
					continue
				}
				n, _, err := apd.NewFromString(value)
				require.NoError(t, err)
				if additive(d) {
					_, err = apd.BaseContext.WithPrecision(60).Quo(n, n, apd.New(int64(to.Sub(from)/(24*time.Hour)), 0))
					require.NoError(t, err)
				}
				_, _ = apd.BaseContext.Add(sum, sum, n)
				days++
			}
			if days == 0 {
				return nil
			}
			if !additive(d) {
				_, err := apd.BaseContext.WithPrecision(60).Quo(sum, sum, apd.New(days, 0))
				require.NoError(t, err)
			}
			return sum
		}
		check := func(what string, keys []calc.Key, got field.Value) {
			within, rated, told := span, true, true
			for i, k := range keys {
				if i == axis && k.Kind == calc.Step {
					within = within.Intersect(period.Range{From: k.From, To: k.To})
				}
				rated = rated && (i == axis || target.Steps != nil || k.Kind == calc.One || k.Kind == calc.None)
				told = told && (i == axis || target.Steps == nil || k.Kind == calc.Whole)
			}
			want := due(keys, within)
			if !told || !additive(d) && !rated {
				want = nil // typed numbers are for no part; a rate of several values together is in no plan
			}
			words := fmt.Sprintf("%s of %v in %v at %v\n%s", what, keys, within, now, written(d))
			if want == nil || additive(d) && want.IsZero() { // beyond a plan's records nothing is due, which may be unsaid
				require.True(t, got.IsEmpty() || additive(d) && got.Decimal().IsZero(), "%s: %s, not nothing", words, got.Exact())
				return
			}
			require.False(t, got.IsEmpty(), "%s: nothing, not %s", words, want)
			var off apd.Decimal
			_, _ = apd.BaseContext.WithPrecision(60).Sub(&off, want, got.Decimal())
			require.Negative(t, off.Abs(&off).Cmp(apd.New(1, -20)), "%s: %s, not %s", words, got.Exact(), want)
		}
		whole := make([]calc.Key, len(dims))
		for g, group := range table.Groups {
			for s, split := range table.Splits {
				check("cell", slices.Concat(group, split), table.Figure(g, s, 0).Target)
			}
			check("group", slices.Concat(group, whole[len(group):]), table.GroupFigure(g, 0).Target)
		}
		check("total", whole, table.TotalFigure(0).Target)
	})
}

func additive(d query.Definition) bool {
	if d.Target.Steps != nil {
		return d.Measures[0].Additive()
	}
	return d.Target.Planned.Additive()
}

// someTarget is a chart with a plan, or with numbers typed for each period of one.
func someTarget(t *rapid.T) query.Definition {
	dim := func(what string) *query.Dimension {
		out := &query.Dimension{Field: rapid.SampledFrom([]string{"kind", "place", "band"}).Draw(t, what)}
		if rapid.Bool().Draw(t, "cut") {
			out.Largest, out.Others = rapid.IntRange(1, 3).Draw(t, "largest"), true
		}
		return out
	}
	measures := []query.Measure{{Aggregate: aggregate.Sum, Field: "amount"}, {Aggregate: aggregate.Count, Field: query.Records}, {Aggregate: aggregate.Average, Field: "amount"}, {Aggregate: aggregate.Largest, Field: "nights"}}
	d := query.Definition{Version: query.Version, Dataset: "items", Measures: []query.Measure{rapid.SampledFrom(measures).Draw(t, "measure")}}
	date := rapid.SampledFrom([]string{"at", "due"}).Draw(t, "date")
	typed := rapid.IntRange(0, 2).Draw(t, "typed") == 0
	if typed || rapid.IntRange(0, 3).Draw(t, "axis") > 0 {
		d.By = append(d.By, query.Dimension{Field: date, Grain: rapid.SampledFrom([]period.Grain{period.Day, period.Week, period.Month, period.Quarter}).Draw(t, "grain")})
	} else {
		date = "at"
	}
	if rapid.Bool().Draw(t, "group") {
		d.By = append(d.By, *dim("group by"))
		slices.Reverse(d.By)
	}
	if split := dim("split by"); rapid.Bool().Draw(t, "split") && !slices.ContainsFunc(d.By, func(by query.Dimension) bool { return by.Field == split.Field }) {
		d.Split = split
	}
	ranges := []period.Relative{{Named: "this month"}, {Named: "last quarter"}, {Named: "this year"}, {Last: 3, Unit: period.Month}, {Last: 40, Unit: period.Day}, {Last: 5, Unit: period.Week, Complete: true}, {From: "2026-01-10", To: "2026-04-05"}}
	where := filter.During(date, rapid.SampledFrom(ranges).Draw(t, "range"))
	if c := someCondition(t, 0); c.Op != filter.Within && rapid.Bool().Draw(t, "has where") {
		where = filter.And(where, c)
	}
	d.Where = &where
	grain := rapid.SampledFrom([]period.Grain{period.Day, period.Week, period.Month, period.Quarter, period.Year}).Draw(t, "plan's grain")
	if !typed {
		planned := rapid.SampledFrom(append(measures, query.Measure{Aggregate: aggregate.Sum, Field: "nights"})).Draw(t, "planned")
		d.Target = &query.Target{Plan: "items", On: "due", Planned: &planned, Grain: grain}
		return d
	}
	d.Target = &query.Target{Grain: grain, Steps: map[string]json.Number{}}
	cal := period.ISO(time.UTC)
	for range rapid.IntRange(0, 9).Draw(t, "steps") {
		day := cal.Floor(time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, rapid.IntRange(-200, 400).Draw(t, "of")), grain)
		d.Target.Steps[day.Format(time.DateOnly)] = json.Number(fmt.Sprint(rapid.IntRange(-50, 3000).Draw(t, "number")))
	}
	return d
}
