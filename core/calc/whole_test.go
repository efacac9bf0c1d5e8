package calc_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/golden"
)

// testdata/tables.txt has definitions, and below each everything that is computed of it from
// the same sixty records: each figure with what is made of it, what was before and what was
// due, totals, lines, trends, and what has no place with the way to its records. The random
// tests beside this one prove such tables right; this one holds what they look like.
func TestTablesWhole(t *testing.T) {
	base, conn := newAsker(t, "tables_whole")
	now := time.Date(2026, 5, 20, 12, 30, 0, 0, time.UTC)
	var records []record
	for seed := 1; len(records) < 60; seed++ {
		records = rapid.Custom(func(t *rapid.T) []record { return someRecords(t, now) }).Example(seed)
	}
	fill(t, conn, records)
	ctx := query.Setting{Now: now, Calendar: period.ISO(time.UTC)}
	var got strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&got, format+"\n", args...) }
	for _, doc := range golden.Cases(t, "testdata/tables.txt") {
		say("%s", doc)
		var d query.Definition
		require.NoError(t, json.Unmarshal([]byte(`{"version":2,"dataset":"items",`+doc+`}`), &d), doc)
		a := &asking{asker: base, now: ctx, dataset: map[string]*dataset.Dataset{"items": base.ds}}
		table, err := answered(d, base.ds, ctx, a)
		if err != nil {
			say("  refused: %s", err)
			continue
		}
		outline(table, say)
		say("  asked %d times", a.asked)
	}
	golden.Compare(t, "testdata/tables.txt", got.String())
}

// outline says everything that a table holds.
func outline(t *calc.Table, say func(string, ...any)) {
	value := func(v field.Value) string {
		if v.IsEmpty() {
			return "–"
		}
		if v.Type().Temporal() {
			return v.Exact()
		}
		return shown(v)
	}
	figures := func(of func(m int) calc.Figure) (out string) {
		for m := range t.Measures() {
			f := of(m)
			out += " " + value(f.Base)
			if f.Shown != f.Base {
				out += "→" + value(f.Shown)
			}
			if !f.Before.IsEmpty() {
				out += fmt.Sprintf(" (was %s, %s, %s)", value(f.Before), value(f.Change()), value(f.Percent()))
			}
			if !f.Target.IsEmpty() {
				out += fmt.Sprintf(" (due %s)", value(f.Target))
			}
			out += ";"
		}
		return out
	}
	named := func(keys []calc.Key) string {
		var out []string
		for _, k := range keys {
			name := k.Name()
			if k.Label != "" {
				name += "=" + k.Label
			}
			if k.Partial {
				name += " in part"
			}
			if !k.Begun {
				name += " to come"
			}
			if r, ok := t.Partner(k); ok {
				name += fmt.Sprintf(" after %s–%s", r.From.Format(time.DateOnly), r.To.Format(time.DateOnly))
			}
			out = append(out, name)
		}
		return strings.Join(out, " | ")
	}
	for g := range t.Groups {
		for s := range t.Splits {
			has := ""
			if !t.Has(g, s) {
				has = " (no records)"
			}
			say("  %s / %s:%s%s", named(t.Groups[g]), named(t.Splits[s]), figures(func(m int) calc.Figure { return t.Figure(g, s, m) }), has)
		}
		if len(t.Splits) > 1 {
			say("  %s, all:%s", named(t.Groups[g]), figures(func(m int) calc.Figure { return t.GroupFigure(g, m) }))
		}
	}
	for s := range t.Splits {
		say("  all / %s:%s", named(t.Splits[s]), figures(func(m int) calc.Figure { return t.SplitFigure(s, m) }))
	}
	say("  total:%s", figures(t.TotalFigure))
	for _, u := range t.Unplaced {
		r, _ := json.Marshal(u.Reference(t, 1))
		say("  %d of %s unplaced, %s: %s", u.Count, u.Field, u.Why, r)
	}
	for i := range t.Plan.Dims {
		if all, some := t.LeftOut(i); some || all > 0 {
			say("  of dimension %d left out %d, %t", i, all, some)
		}
	}
	for _, l := range t.Lines {
		say("  a line at %s: %s", l.At, value(l.Value))
	}
	for _, trend := range t.Trends {
		var points []string
		for _, v := range trend.Values {
			points = append(points, value(v))
		}
		say("  a trend of %d from %d to %d by %d steps: %s", trend.Split, trend.First, trend.Last, trend.Steps, strings.Join(points, " "))
		for _, ahead := range trend.Ahead {
			say("    ahead %+v", ahead)
		}
	}
	if t.Targets != nil && t.Targets.Withheld != "" {
		say("  no target: %s", t.Targets.Withheld)
	}
	say("  dropped %d, kept %v, ordered %v, empty %t", t.Dropped, t.Kept(), t.Order(), t.IsEmpty())
	if keys := t.Plan.Dims; len(t.Groups) > 0 && len(keys) > 0 {
		r, _ := json.Marshal(t.Reference(1, 0, append(append([]calc.Key{}, t.Groups[0]...), t.Splits[0]...)))
		say("  the first mark is %s", r)
	}
}
