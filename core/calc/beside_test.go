package calc_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/rule"
)

// Datasets beside each other: on the shared axis each gives what a plain loop over its own
// records gives, also where only one of them has a value, and the records behind each
// mark are its own.
func TestDatasetsBesideEachOther(t *testing.T) {
	base, conn := newAsker(t, "beside")
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		now := time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC)
		records := someRecords(t, now)
		fill(t, conn, records)
		d := someDefinition(t)
		d.Split = nil
		d.By = d.By[:min(1, len(d.By))]
		beside := query.Beside{Dataset: "items", Measures: someDefinition(t).Measures}
		if rapid.Bool().Draw(t, "beside where") {
			c := someCondition(t, 1)
			beside.Where = &c
		}
		dates := false
		if len(d.By) == 1 {
			d.By[0].Within = false
			dates = d.By[0].Field == "at" || d.By[0].Field == "due"
			beside.By = d.By[0].Field
			if dates {
				beside.By = rapid.SampledFrom([]string{"at", "due"}).Draw(t, "answering")
			}
			if s := d.By[0].Sort; s != nil && s.Measure >= len(d.Measures) {
				d.By[0].Sort = nil
			}
		}
		d.Also = []query.Beside{beside}
		require.NoError(t, d.Check(base.ds))
		cal := period.ISO(london)
		reach := filter.Compare("kind", filter.Filled)
		setting := query.Setting{Now: now, Calendar: cal, Beside: []filter.Condition{reach}}
		a := &asking{asker: base, now: setting, dataset: map[string]*dataset.Dataset{"items": base.ds}}
		table, err := answered(d, base.ds, setting, a)
		require.NoError(t, err)
		if table.IsEmpty() {
			return
		}
		kept := table.Kept()
		other := table.Home(len(d.Measures))
		require.Len(t, other.Groups, len(table.Groups), "group by group the same")
		of := func(c *filter.Condition, more filter.Condition, home *calc.Table, keys []calc.Key) (out []record) {
			span, axis := home.Plan.PlacedRange()
			for _, r := range records {
				in := r.meets(more, now, cal) && (c == nil || r.meets(*c, now, cal))
				for i, dim := range home.Plan.Definition.By {
					in = in && r.inKey(dim, keys[i], kept[i])
					if v := r.value(dim.Field); dates {
						in = in && axis && !v.IsEmpty() && span.Contains(v.Time())
					}
				}
				if in {
					out = append(out, r)
				}
			}
			return out
		}
		want := func(m query.Measure, in []record) string {
			v := measure(m, in, now, cal)
			if len(in) == 0 && v == "" && m.Aggregate == aggregate.Sum {
				return "0"
			}
			return v
		}
		seen := map[string]bool{}
		for g, group := range table.Groups {
			for m, measured := range table.Measures() {
				home, where, more := table, d.Where, filter.Condition{}
				if m >= len(d.Measures) {
					home, where, more = other, beside.Where, reach
				}
				keys := home.Groups[g]
				if len(keys) > 0 && !keys[0].Begun {
					require.True(t, table.Figure(g, 0, m).Shown.IsEmpty())
					continue
				}
				if len(keys) > 0 && m >= len(d.Measures) && (keys[0].Partial || group[0].Partial) {
					continue // the chart's range cuts the step for both, within it
				}
				in := of(where, more, home, keys)
				got := shown(table.Figure(g, 0, m).Base)
				require.True(t, sameNumber(measured.Measure, want(measured.Measure, in), got), "measure %d of %v: %s, not %s\n%+v", m, keys, got, want(measured.Measure, in), d)
				if (g+m)%3 != 0 || len(in) == 0 {
					continue
				}
				// The mark's reference has the chart's own key and the measure's number.
				ref := table.Reference(0, m, group)
				behind, set, s, ref, err := ref.Behind(d, base.ds, setting, a)
				require.NoError(t, err)
				p, err := planner.NewRecords(behind, set, s, ref)
				require.NoError(t, err)
				sealed, err := rule.SealAll(p, rule.Viewer{Roles: []string{"all"}})
				require.NoError(t, err)
				rows, err := base.src.Run(t.Context(), sealed)
				require.NoError(t, err)
				total, count := calc.Single(p, rows[0])
				require.EqualValues(t, len(behindWhere(in, measured.Measure, now, cal)), count, "measure %d of %v\n%+v", m, keys, d)
				if count > 0 {
					require.Equal(t, got, shown(total), "the records give the mark")
				}
			}
			for _, k := range group {
				seen[k.Name()] = true
			}
		}
		if dates || len(d.By) == 0 || d.By[0].Largest+d.By[0].Smallest > 0 {
			return
		}
		// Without a cut no value of either dataset is missing from the axis.
		for _, r := range records {
			values := []field.Value{r.value(d.By[0].Field)}
			if tags := r.each(); d.By[0].Field == "tags" && len(tags) > 0 {
				values = tags
			}
			if (d.Where == nil || r.meets(*d.Where, now, cal)) || r.meets(reach, now, cal) && (beside.Where == nil || r.meets(*beside.Where, now, cal)) {
				if d.By[0].Field == "band" && r.binless() {
					continue
				}
				for _, v := range values {
					k := calc.Key{Kind: calc.One, Value: v}
					if v.IsEmpty() {
						k = calc.Key{Kind: calc.None}
					}
					require.True(t, seen[k.Name()], "%v is on the axis", v)
				}
			}
		}
		require.NotEqual(t, field.Value{}, table.Figure(0, 0, 0))
	})
}

// Two repeating parts of one date cross: each cell is what a plain loop counts, and leads
// to just those records.
func TestTwoPartsOfADateCross(t *testing.T) {
	base, conn := newAsker(t, "two_parts")
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	cal := period.ISO(london)
	viewer := rule.Viewer{Roles: []string{"all"}}
	rapid.Check(t, func(t *rapid.T) {
		now := time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC)
		records := someRecords(t, now)
		fill(t, conn, records)
		parts := rapid.Permutation([]period.Part{period.Weekday, period.HourOfDay, period.MonthOfYear}).Draw(t, "parts")
		d := query.Definition{Version: query.Version, Dataset: "items", Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}},
			By: []query.Dimension{{Field: "at", Part: parts[0]}}, Split: &query.Dimension{Field: "at", Part: parts[1]}}
		require.NoError(t, d.Check(base.ds))
		setting := query.Setting{Now: now, Calendar: cal}
		table := base.ask(t, d, setting, viewer, false)
		count := func(a, b calc.Key) (n int64) {
			for _, r := range records {
				v := r.value("at")
				is := func(k calc.Key, p period.Part) bool {
					if v.IsEmpty() {
						return k.Kind == calc.None
					}
					return k.Kind == calc.One && k.Value.Exact() == field.OfInt(int64(cal.Of(p, cal.Wall(v.Time())))).Exact()
				}
				if is(a, parts[0]) && is(b, parts[1]) {
					n++
				}
			}
			return n
		}
		all := int64(0)
		for g, group := range table.Groups {
			for s, split := range table.Splits {
				want := count(group[0], split[0])
				all += want
				if table.IsEmpty() {
					continue
				}
				require.Equal(t, field.OfInt(want).Exact(), table.Cell(g, s)[0].Exact(), "%v %v", group, split)
				if want > 0 {
					_, n, _ := base.behind(t, d, setting, viewer, table.Reference(0, 0, []calc.Key{group[0], split[0]}))
					require.Equal(t, want, n, "the records behind it")
				}
			}
		}
		require.EqualValues(t, len(records), all, "every record is in one cell")
	})
}
