package workspace_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dashboard"
	"eskadel/core/dataset/sample"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/view"
	"eskadel/workspace"
)

// A walker walks through a dashboard, and knows in SQL of its own what each step asks of the records.
type walker struct {
	*rapid.T
	d       *desk
	state   dashboard.State
	columns map[string]string
}

// mark draws a mark of a widget: its reference, what it shows, and what its records meet, by the
// fields of its group and of what splits it.
func (w *walker) mark(id string, fields []string) (ref marks.Reference, shows string, group, split string, any bool) {
	a := w.answer(id)
	if a.Drawing == nil {
		return ref, "", "", "", false
	}
	type at struct{ s, g int }
	var all []at
	for s, series := range a.Drawing.Series {
		for g, m := range series.Marks {
			if m != nil && series.Role == "" {
				all = append(all, at{s, g})
			}
		}
	}
	if len(all) == 0 {
		return ref, "", "", "", false
	}
	p := rapid.SampledFrom(all).Draw(w.T, "mark")
	series, g := a.Drawing.Series[p.s], a.Drawing.Groups[p.g]
	ref = a.Drawing.Reference
	ref.Measure, ref.Keys, ref.Was = series.Measure, []marks.Key{g.Key}, series.Marks[p.g].Exact
	group, split = w.meets(fields[0], g.Key), "true"
	if series.Key != nil {
		ref.Keys, split = append(ref.Keys, *series.Key), w.meets(fields[1], *series.Key)
	}
	return ref, series.Marks[p.g].Exact, group, split, true
}

func (w *walker) meets(field string, k marks.Key) string {
	column := w.columns[field]
	switch {
	case k.Is != nil:
		return fmt.Sprintf("(%s)::text = '%s'", column, *k.Is)
	case k.None:
		return "(" + column + ") is null"
	case k.From != nil:
		return fmt.Sprintf("%s >= '%s' and %[1]s < '%[3]s'", column, k.From.Format("2006-01-02 15:04:05Z07:00"), k.To.Format("2006-01-02 15:04:05Z07:00"))
	}
	w.Fatalf("a key that nobody knows: %+v", k)
	return ""
}

func (w *walker) look() *workspace.Look {
	l, err := w.d.Look(ctx, edda, "walk", false, w.state)
	require.NoError(w, err)
	return l
}

func (w *walker) answer(id string) *view.Answer {
	a, err := w.look().Widget(id, view.Drawing)
	require.NoError(w, err)
	return a
}

func (w *walker) count(conditions ...string) (n int64) {
	statement := "select count(*) from job where opened_at < '2026-03-05T12:00:00Z'"
	for _, c := range conditions {
		statement += " and coalesce(" + c + ", false)"
	}
	require.NoError(w, w.d.records.QueryRow(ctx, statement).Scan(&n), statement)
	return n
}

// Whatever somebody does one thing after the other, each mark is as many records as lead to it and as
// the database counts, so is the line, and a link opens just this again.
func TestWalks(t *testing.T) {
	d := open(t, "walks")
	_, err := d.records.Exec(ctx, `update job set kind = null where id % 11 = 0; update job set boat = null where id % 13 = 0`)
	require.NoError(t, err)
	doc := sample.Document()
	doc.DrillPaths = [][]string{{"yard", "kind", "boat"}}
	_, err = d.SaveDataset(ctx, mara, doc, workspace.On{Revision: 1}, false)
	require.NoError(t, err)
	chartOf := func(by, split, form string) string {
		return `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{` + by + `}],` + split + `"form":` + form + `}`
	}
	widgets := map[string][]string{"kinds": {"kind"}, "yards": {"yard"}, "months": {"opened", "kind"}}
	of := page("walk", "Walk", widget("kinds", chartOf(`"field":"kind"`, "", `"bars"`)), widget("yards", chartOf(`"field":"yard"`, "", `"columns"`)),
		widget("months", chartOf(`"field":"opened","grain":"month"`, `"split":{"field":"kind"},`, `{"columns":"stacked"}`)))
	// A click on a yard is drawn within the kinds.
	of = []byte(strings.Replace(string(of), `{"id":"yards",`, `{"id":"yards","click":{"does":{"kinds":"highlights"}},`, 1))
	of = []byte(strings.Replace(string(of), `"pages":`, `"filters":[{"name":"when","kind":"date"},{"name":"of","field":"boat"}],"pages":`, 1))
	_, err = d.SaveDashboard(ctx, edda, "walk", of, workspace.On{})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "walk")
	require.NoError(t, err)
	columns := map[string]string{"kind": "kind", "boat": "boat", "yard": "yard_id", "opened": "opened_at", "late": "late", "state": "state"}
	drillable := []string{"kind", "boat", "yard", "late", "state"}

	rapid.Check(t, func(t *rapid.T) {
		w := &walker{T: t, d: d, columns: columns}
		ids := []string{"kinds", "months", "yards"}
		now := map[string][]string{} // the fields that a widget is divided by, as it is drilled
		type asked struct {
			widget, sql string
			own         bool // what the widget itself meets, too
			within      bool // what is drawn within the kinds, and narrows the others
		}
		var filters, choices, drilled []asked
		alone := map[string]string{} // what a widget is narrowed to by itself
		reset := func() {
			for _, id := range ids {
				now[id] = slices.Clone(widgets[id])
			}
		}
		reset()
		where := func(id string) (out []string) {
			for _, a := range slices.Concat(filters, drilled, choices) {
				if (a.widget != id || a.own) && !(a.within && id == "kinds") {
					out = append(out, a.sql)
				}
			}
			if sql := alone[id]; sql != "" {
				out = append(out, sql)
			}
			return out
		}
		for range rapid.IntRange(1, 8).Draw(t, "steps") {
			id := rapid.SampledFrom(ids).Draw(t, "widget")
			switch what := rapid.SampledFrom([]string{"filter", "dates", "narrow", "without", "drill", "up", "lift", "standard", "alone"}).Draw(t, "what"); what {
			case "filter", "dates":
				filters = slices.DeleteFunc(filters, func(a asked) bool { return a.widget == what })
				name, set, sql := "of", `["boat 3"]`, "boat = 'boat 3'"
				if what == "dates" {
					name, set, sql = "when", `{"from":"2026-01-20","to":"2026-02-10"}`, "opened_at >= '2026-01-20Z' and opened_at < '2026-02-11Z'"
				}
				var to dashboard.Setting
				require.NoError(t, json.Unmarshal([]byte(set), &to))
				w.state.Filters = map[string]*dashboard.Setting{}
				filters = filters[:0]
				w.state.Filters[name], filters = &to, append(filters, asked{what, sql, false, false})
			case "narrow", "without", "drill":
				ref, _, group, split, any := w.mark(id, now[id])
				if !any {
					continue
				}
				depth := len(w.state.Drills[id])
				if what == "drill" {
					into := rapid.SampledFrom(drillable).Draw(t, "into")
					if slices.Contains(now[id], into) {
						continue
					}
					if w.state.Drills == nil {
						w.state.Drills = map[string][]dashboard.Drill{}
					}
					w.state.Drills[id] = append(slices.Clone(w.state.Drills[id]), dashboard.Drill{Mark: ref, Into: into, Words: group})
					drilled = append(drilled, asked{id, group, true, id == "yards"})
					now[id][0] = into
					continue
				}
				n := dashboard.Narrowing{Widget: id, Marks: []marks.Reference{ref}, Words: group, Depth: depth, Without: what == "without"}
				sql := "(" + group + ") and (" + split + ")"
				if n.Without {
					sql = "not coalesce((" + sql + "), false)"
				}
				w.state.Narrow, choices = append(slices.Clone(w.state.Narrow), n), append(choices, asked{id, "(" + sql + ")", n.Without, id == "yards" && !n.Without})
			case "alone":
				is := "boat 4"
				w.state.Only = map[string]map[string]*dashboard.Setting{id: {"of": {Values: []marks.Key{{Is: &is}}}}}
				alone = map[string]string{id: "boat = 'boat 4'"}
			case "lift":
				if len(choices) > 0 {
					w.state.Narrow, choices = w.state.Narrow[1:], choices[1:]
				}
			case "up", "standard": // all the way up, since what was chosen further down goes with it
				w.state, filters, choices, drilled, alone = dashboard.State{}, nil, nil, nil, map[string]string{}
				reset()
			}
			// A mark of any widget.
			look := rapid.SampledFrom(ids).Draw(t, "looked at")
			ref, shows, group, split, any := w.mark(look, now[look])
			conditions := where(look)
			if !any {
				assert.Zero(t, w.count(conditions...), "%s shows nothing", look)
			} else {
				var part []string
				for _, a := range slices.Concat(drilled, choices) {
					if a.within && look == "kinds" {
						part = append(part, "("+a.sql+")")
					}
				}
				if chosen := strings.Join(part, " and "); chosen != "" {
					conditions = append(conditions, map[int]string{0: "(" + chosen + ")", 1: "not coalesce((" + chosen + "), false)"}[ref.Measure])
				}
				n := w.count(append(conditions, "("+group+")", "("+split+")")...)
				require.Equal(t, fmt.Sprint(n), shows, "%s, %s", look, group)
				p, err := w.look().Records(look, ref, workspace.Paging{})
				require.NoError(t, err)
				require.Equal(t, n, p.Count, "its records")
			}
			l, err := w.look().Line("")
			require.NoError(t, err)
			var all []string
			for _, a := range slices.Concat(filters, drilled, choices) {
				all = append(all, a.sql)
			}
			require.Equal(t, fmt.Sprint(w.count(all...)), l.Counted[0].Some, "the line")
			require.Len(t, l.Narrow, len(choices)+len(drilled))
			// A link opens just this again, whoever opens it.
			name, err := w.look().Keep()
			require.NoError(t, err)
			if name != "" {
				o, err := d.Dashboard(ctx, mara, "walk", false)
				require.NoError(t, err)
				again, lost, err := d.ViewOf(ctx, mara, o, name)
				require.NoError(t, err)
				require.False(t, lost)
				was, _ := json.Marshal(w.state)
				is, _ := json.Marshal(again)
				require.JSONEq(t, string(was), string(is))
			}
		}
	})
}

// Every form that draws marks takes every step from each of them, and what comes of it is what the database counts.
func TestEveryFormTakesEveryStep(t *testing.T) {
	d := open(t, "matrix")
	_, err := d.records.Exec(ctx, `update job set kind = null where id % 11 = 0; update job set boat = null where id % 13 = 0; update job set cost = null where id % 17 = 0`)
	require.NoError(t, err)
	const kinds, split, months, largest = `"by":[{"field":"kind"}]`, `,"split":{"field":"yard"}`, `"by":[{"field":"opened","grain":"month"}]`, `"by":[{"field":"boat","largest":3,"others":true}]`
	forms := map[string]string{
		`"columns"`: kinds + split, `{"columns":"stacked"}`: months + split, `{"columns":"to 100%"}`: kinds + split, `"bars"`: largest, `{"bars":"stacked"}`: kinds + split, `{"bars":"to 100%"}`: kinds + split, `"line"`: months + split, `"area"`: months,
		`{"area":"stacked"}`: months + split, `{"area":"to 100%"}`: months + split, `"pie"`: kinds, `"donut"`: largest, `"radar"`: kinds + split, `"heat map"`: kinds + split,
	}
	columns := map[string]string{"kind": "kind", "boat": "boat", "yard": "yard_id", "opened": "opened_at"}
	n := 0
	for form, divided := range forms {
		n++
		name := fmt.Sprint("walk", n)
		_, err := d.SaveDashboard(ctx, edda, name, page(name, name, widget("chart", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],`+divided+`,"form":`+form+`}`), widget("other", count(`"every row"`))), workspace.On{})
		require.NoError(t, err, form)
		_, err = d.Publish(ctx, edda, name)
		require.NoError(t, err, form)
		w := &walker{T: nil, d: d, columns: columns}
		look := func(s dashboard.State) *workspace.Look {
			l, err := d.Look(ctx, edda, name, false, s)
			require.NoError(t, err, form)
			return l
		}
		sum := func(s dashboard.State, id string) (total int64, marks int) {
			a, err := look(s).Widget(id, view.Drawing)
			require.NoError(t, err, form)
			if a.Drawing == nil {
				return 0, 0
			}
			for _, series := range a.Drawing.Series {
				for _, m := range series.Marks {
					if m != nil && series.Role == "" {
						var n int64
						_, err := fmt.Sscan(m.Exact, &n)
						require.NoError(t, err, m.Exact)
						total, marks = total+n, marks+1
					}
				}
			}
			return total, marks
		}
		a, err := look(dashboard.State{}).Widget("chart", view.Drawing)
		require.NoError(t, err, form)
		require.NotNil(t, a.Drawing, "%s: %s", form, a.Nothing)
		fields := map[string][]string{kinds: {"kind"}, kinds + split: {"kind", "yard"}, months: {"opened"}, months + split: {"opened", "yard"}, largest: {"boat"}}[divided]
		all, _ := sum(dashboard.State{}, "other")
		drawn := 0
		for _, series := range a.Drawing.Series {
			for g, m := range series.Marks {
				if m == nil || series.Role != "" {
					continue
				}
				drawn++
				at := fmt.Sprintf("%s: %s, %s", form, series.Name, a.Drawing.Groups[g].Label)
				ref := a.Drawing.Reference
				ref.Measure, ref.Keys = series.Measure, []marks.Key{a.Drawing.Groups[g].Key}
				sql := "boat is not null and boat not in (select boat from job where boat is not null group by boat order by count(*) desc, boat limit 3)"
				if !ref.Keys[0].Others {
					sql = w.meets(fields[0], ref.Keys[0])
				}
				if series.Key != nil {
					ref.Keys = append(ref.Keys, *series.Key)
					sql += " and " + w.meets(fields[1], *series.Key)
				}
				var want int64
				require.NoError(t, d.records.QueryRow(ctx, "select count(*) from job where opened_at < '2026-03-05T12:00:00Z' and "+sql).Scan(&want), sql)
				require.Equal(t, fmt.Sprint(want), m.Exact, at)
				p, err := look(dashboard.State{}).Records("chart", ref, workspace.Paging{})
				require.NoError(t, err, at)
				require.Equal(t, want, p.Count, "%s: its records", at)
				narrowed, _ := sum(dashboard.State{Narrow: []dashboard.Narrowing{{Widget: "chart", Marks: []marks.Reference{ref}, Words: "x"}}}, "other")
				require.Equal(t, want, narrowed, "%s: narrowed to it", at)
				without := dashboard.State{Narrow: []dashboard.Narrowing{{Widget: "chart", Marks: []marks.Reference{ref}, Words: "x", Without: true}}}
				left, _ := sum(without, "other")
				require.Equal(t, all-want, left, "%s: left out", at)
				left, _ = sum(without, "chart")
				require.Equal(t, all-want, left, "%s: left out of itself", at)
				into := map[bool]string{true: "yard", false: "boat"}[fields[0] == "boat"]
				down := dashboard.State{Drills: map[string][]dashboard.Drill{"chart": {{Mark: ref, Into: into, Words: "x"}}}}
				other, _ := sum(down, "other")
				parts, _ := sum(down, "chart")
				require.Equal(t, other, parts, "%s: its parts are what the other is narrowed to", at)
				require.GreaterOrEqual(t, parts, want, "%s: a drill narrows by the group alone", at)
				prov, err := look(dashboard.State{}).Prove("chart", ref, "x")
				require.NoError(t, err, at)
				require.Equal(t, fmt.Sprint(want), prov.Exact, "%s: proved", at)
			}
		}
		require.Positive(t, drawn, form)
		hidden := a.Drawing.Series[0].Name
		if form == `"pie"` || form == `"donut"` {
			hidden = a.Drawing.Groups[0].Label
		}
		if form != `"heat map"` && (series(a) > 1 || hidden != a.Drawing.Series[0].Name) {
			_, left := sum(dashboard.State{Hidden: map[string][]string{"chart": {hidden}}}, "chart")
			require.Less(t, left, drawn, "%s: without %s", form, hidden)
		}
	}
}

func series(a *view.Answer) int { return len(a.Drawing.Series) }

// A list and a table are sorted as a reader wants them, hidden fields never.
func TestSorted(t *testing.T) {
	d := open(t, "sorted")
	list := `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"records","show":["kind","cost"],"most":3}`
	_, err := d.SaveDashboard(ctx, edda, "sorted", page("sorted", "Sorted", widget("list", list), widget("kinds", grouped("kind"))), workspace.On{})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "sorted")
	require.NoError(t, err)
	costs := func(sort dashboard.Sort) (out []string) {
		l, err := d.Look(ctx, edda, "sorted", false, dashboard.State{Sorts: map[string]dashboard.Sort{"list": sort}})
		require.NoError(t, err)
		a, err := l.Widget("list", view.Drawing)
		require.NoError(t, err)
		for _, r := range a.Records.Rows {
			out = append(out, r.Cells[1].Text)
		}
		return out
	}
	assert.Equal(t, []string{"60.00", "59.00", "58.00"}, numbers(costs(dashboard.Sort{Field: "cost", Descending: true})))
	assert.Equal(t, []string{"1.00", "2.00", "3.00"}, numbers(costs(dashboard.Sort{Field: "cost"})))
	assert.Equal(t, costs(dashboard.Sort{Field: "gone"}), costs(dashboard.Sort{Field: "secret"}), "what cannot be sorted by stays as it is")
	kinds := func(sort dashboard.Sort) (out []string) {
		l, err := d.Look(ctx, edda, "sorted", false, dashboard.State{Sorts: map[string]dashboard.Sort{"kinds": sort}, Narrow: nil})
		require.NoError(t, err)
		a, err := l.Widget("kinds", view.Figures)
		require.NoError(t, err)
		for _, r := range a.Grid.Rows {
			out = append(out, r.Words)
		}
		return out
	}
	down, up := kinds(dashboard.Sort{Descending: true}), kinds(dashboard.Sort{})
	require.Len(t, down, 3)
	assert.ElementsMatch(t, down, up)
	_, err = d.Look(ctx, edda, "sorted", false, dashboard.State{Sorts: map[string]dashboard.Sort{"gone": {}}})
	assert.Error(t, err)
	l, err := d.Look(ctx, edda, "sorted", false, dashboard.State{})
	require.NoError(t, err)
	p, err := l.Records("list", marks.Reference{Version: 1, Now: pinned}, workspace.Paging{Columns: []string{"cost", "kind"}})
	require.NoError(t, err)
	assert.Equal(t, []string{"cost", "kind"}, p.Names)
	assert.True(t, p.Columns[0].On && p.Columns[1].On && !p.Columns[2].On)
	_, err = l.Records("list", marks.Reference{Version: 1, Now: pinned}, workspace.Paging{Columns: []string{"secret"}})
	assert.Error(t, err, "a hidden column")
	whole, err := filed(l, "list", marks.Reference{Version: 1, Now: pinned})
	require.NoError(t, err)
	assert.Len(t, whole[2:], 60, "all of them, not a page")
	theirs, err := d.Look(ctx, viewer("sorted"), "sorted", false, dashboard.State{})
	require.NoError(t, err)
	_, err = filed(theirs, "list", marks.Reference{Version: 1, Now: pinned})
	assert.Error(t, err, "the author lets viewers list them, not take them away")
}

// numbers are texts without a currency.
func numbers(texts []string) (out []string) {
	for _, s := range texts {
		out = append(out, strings.TrimLeft(s, "£ "))
	}
	return out
}

// Beside a filter of numbers stands what is in its field.
func TestPictureOfAFilter(t *testing.T) {
	d := open(t, "picture")
	of := strings.Replace(string(page("pictured", "Pictured", widget("kinds", grouped("kind")))), `"pages":`, `"filters":[{"name":"cost","kind":"number","field":"cost"}],"pages":`, 1)
	_, err := d.SaveDashboard(ctx, edda, "pictured", []byte(of), workspace.On{})
	require.NoError(t, err)
	l, err := d.Look(ctx, edda, "pictured", true, dashboard.State{})
	require.NoError(t, err)
	ds, name, p, err := l.Picture(l.Doc.Filter("cost"))
	require.NoError(t, err)
	assert.Equal(t, []string{"jobs", "cost"}, []string{ds.Name, name})
	require.Len(t, p.Fields, 1)
	assert.NotEmpty(t, p.Fields[0].Picture)
	when, err := l.Range("cost", "this year")
	assert.Nil(t, when)
	assert.Equal(t, problem.NotFound, code(err), "it is no date")
}
