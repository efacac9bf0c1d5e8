package workspace_test

import (
	"fmt"
	"math/big"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dashboard"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/view"
	"eskadel/workspace"
)

var pinned = time.Date(2026, 3, 5, 12, 0, 0, 0, time.UTC)

var digits = regexp.MustCompile(`[^0-9.\-]`)

// said is a number as it is written for people.
func said(t require.TestingT, s string) *big.Rat {
	s = digits.ReplaceAllString(strings.NewReplacer("−", "-", "–", "0").Replace(s), "")
	r, ok := new(big.Rat).SetString(s)
	require.True(t, ok, s)
	return r
}

// Whatever two marks are compared, by whoever, each field's parts add up to the difference as it is
// written, and each is what the database makes of its records.
func TestWhyAddsUp(t *testing.T) {
	d := open(t, "why")
	_, err := d.records.Exec(ctx, `update job set kind = null where id % 11 = 0; update job set cost = null where id % 9 = 0`)
	require.NoError(t, err)
	chartOf := func(measures string) string {
		return `{"version":2,"dataset":"jobs","measures":[` + measures + `],"by":[{"field":"boat"}],"form":"table"}`
	}
	_, err = d.SaveDashboard(ctx, edda, "why", page("why", "Why", widget("kinds", count(`"every row"`)), widget("boats", chartOf(`{"sum":"cost"},{"average":"cost"},{"count":"records"},{"median":"cost"},{"formula":"sum(cost) / count(*)"}`))), workspace.On{})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "why")
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		boat := func(what string) string {
			return fmt.Sprint("boat ", rapid.IntRange(0, 6).Draw(t, what))
		}
		now, before, measure := boat("now"), boat("before"), rapid.SampledFrom([]int{0, 1, 2, 4}).Draw(t, "measure")
		who, rule := edda, "true"
		if rapid.Bool().Draw(t, "narrowed") {
			rule = "kind = 'care'"
		}
		l, err := d.Look(ctx, who, "why", false, stateOf(rule))
		require.NoError(t, err)
		mark := func(of string) marks.Reference {
			return marks.Reference{Version: 1, Now: pinned, Measure: measure, Keys: []marks.Key{{Is: &of}}}
		}
		two := view.Two{Now: mark(now), Before: mark(before), NowWords: now, BeforeWords: before}
		w, err := l.Why("boats", two)
		require.NoError(t, err)
		value := map[int]string{0: "coalesce(sum(cost), 0)", 1: "avg(cost)", 2: "count(*)", 4: "sum(cost) / nullif(count(*), 0)"}[measure]
		ask := func(boat, and string) *big.Rat {
			var s *string
			require.NoError(t, d.records.QueryRow(ctx, "select ("+value+")::text from job where opened_at < '2026-03-05T12:00:00Z' and boat = $1 and "+rule+" and "+and, boat).Scan(&s))
			if s == nil {
				return nil
			}
			return said(t, *s)
		}
		if a, b := ask(now, "true"), ask(before, "true"); a == nil || b == nil {
			require.Contains(t, w.Refused, "One side has no records")
			return
		}
		require.Empty(t, w.Refused)
		for _, f := range w.Fields {
			sum := new(big.Rat)
			parts := f.Parts
			if f.More != nil {
				parts = append(parts, *f.More)
			}
			for _, p := range parts {
				sum.Add(sum, said(t, p.Adds))
				if w.Ratio {
					require.Zero(t, new(big.Rat).Add(said(t, p.Size), said(t, p.Value)).Cmp(said(t, p.Adds)), "%s, %s", f.Label, p.Label)
				}
				if f.Name != "kind" || p.Key == nil {
					continue
				}
				where := "kind is null"
				if p.Key.Is != nil {
					where = "kind = '" + *p.Key.Is + "'"
				}
				for _, side := range [][2]string{{now, p.Now}, {before, p.Before}} {
					is := ask(side[0], where)
					if is == nil {
						is = new(big.Rat)
					}
					off := new(big.Rat).Sub(is, said(t, side[1]))
					require.LessOrEqual(t, off.Abs(off).Cmp(big.NewRat(51, 10_000)), 0, "%s, %s: %s, not %s", f.Label, p.Label, is.FloatString(4), side[1])
				}
				list, err := l.WhyRecords("boats", two, workspace.WhySide{Field: f.Name, Key: p.Key}, workspace.Paging{})
				require.NoError(t, err)
				var n int64
				require.NoError(t, d.records.QueryRow(ctx, "select count(*) from job where opened_at < '2026-03-05T12:00:00Z' and boat = $1 and "+rule+" and "+where, now).Scan(&n))
				require.Equal(t, n, list.Count)
			}
			require.Zero(t, sum.Cmp(said(t, w.Is)), "%s: %s for %s", f.Label, sum.FloatString(6), w.Is)
		}
		if w.Entered != nil {
			require.Zero(t, new(big.Rat).Add(said(t, w.Entered.Adds), said(t, w.Gone.Adds)).Cmp(said(t, w.Is)), "by record, too")
		}
	})

	l, err := d.Look(ctx, edda, "why", false, dashboard.State{})
	require.NoError(t, err)
	of := func(boat string, measure int) marks.Reference {
		return marks.Reference{Version: 1, Now: pinned, Measure: measure, Keys: []marks.Key{{Is: &boat}}}
	}
	w, err := l.Why("boats", view.Two{Now: of("boat 1", 3), Before: of("boat 2", 3)})
	require.NoError(t, err)
	assert.Contains(t, w.Refused, "cannot be taken apart exactly")
	_, err = l.Why("boats", view.Two{Now: of("boat 1", 0), Before: of("boat 2", 1)})
	assert.Equal(t, problem.Invalid, code(err), "two measures")
	_, err = l.WhyRecords("boats", view.Two{Now: of("boat 1", 0), Before: of("boat 2", 0)}, workspace.WhySide{Field: "secret", Key: &marks.Key{None: true}}, workspace.Paging{})
	assert.Equal(t, problem.Invalid, code(err))

	// A viewer whose author lets them ask nothing sees it by what the dashboard shows only, under their rule.
	v := viewer("why")
	theirs, err := d.Look(ctx, v, "why", false, dashboard.State{})
	require.NoError(t, err)
	w, err = theirs.Why("boats", view.Two{Now: of("boat 1", 0), Before: of("boat 2", 0)})
	require.NoError(t, err)
	var names []string
	for _, f := range w.Fields {
		names = append(names, f.Name)
	}
	assert.Subset(t, []string{"boat", "kind"}, names)
	all, err := l.Why("boats", view.Two{Now: of("boat 1", 0), Before: of("boat 2", 0)})
	require.NoError(t, err)
	assert.Greater(t, len(all.Fields), len(names))
	step := dashboard.State{Drills: map[string][]dashboard.Drill{"boats": {{Mark: of("boat 1", 0), Into: "state", Words: "boat 1"}}}}
	beyond, err := d.Look(ctx, v, "why", false, step)
	require.NoError(t, err)
	_, err = beyond.Widget("boats", view.Figures)
	assert.Equal(t, problem.Forbidden, code(err), "nor do they drill into another field")
}

// stateOf narrows jobs to care, where a rule says so.
func stateOf(rule string) dashboard.State {
	if rule == "true" {
		return dashboard.State{}
	}
	care := "care"
	return dashboard.State{Narrow: []dashboard.Narrowing{{Widget: "kinds", Marks: []marks.Reference{{Version: 1, Now: pinned, Keys: []marks.Key{{Is: &care}}}}, Words: care}}}
}
