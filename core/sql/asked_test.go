package sql_test

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/steps"
	"eskadel/golden"
	"eskadel/source"
	"eskadel/source/sourcetest"
)

// asking keeps what is asked of the database, and what it answers.
type asking struct {
	strings.Builder
	t      *testing.T
	src    *source.Source
	viewer rule.Viewer
}

func (a *asking) say(format string, args ...any) { fmt.Fprintf(a, format+"\n", args...) }

// ask puts one question; rows are kept in the order of their texts, unless it orders them.
func (a *asking) ask(q steps.Question) (steps.Rows, error) {
	st, err := q.Compile(rule.Guard(q.Data(), a.viewer))
	require.NoError(a.t, err)
	a.say("  %s", st.SQL)
	rows, err := sourcetest.One(context.Background(), a.src, q, a.viewer)
	require.NoError(a.t, err, st.SQL)
	var lines []string
	for _, r := range rows {
		var line []string
		for _, v := range r {
			says, unreadable := v.Unreadable()
			if !unreadable {
				says = v.String()
			}
			line = append(line, says)
		}
		lines = append(lines, "    "+strings.Join(line, " | "))
	}
	if !strings.Contains(st.SQL, "order by 1") && !strings.HasSuffix(st.SQL, "limit 200") {
		slices.Sort(lines)
	}
	for _, line := range lines {
		a.say("%s", line)
	}
	return rows, nil
}

// answer plans a definition with whatever that asks first, and asks for its groups.
func (a *asking) answer(doc string, ds *dataset.Dataset, rolled bool) {
	a.say("%s%s%s", doc, map[bool]string{true: ", totalled"}[rolled], map[bool]string{true: ", as a foreman"}[a.viewer.ID != ""])
	var d query.Definition
	require.NoError(a.t, json.Unmarshal([]byte(`{"version":2,"dataset":"x",`+doc+`}`), &d), doc)
	seen := rule.See(ds, a.viewer)
	p, err := steps.Answered(func(ask *steps.Asker) (*planner.Plan, error) {
		return planner.BuildAsking(d, seen, query.Setting{Now: time.Date(2026, 4, 1, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}, ask)
	}, a.ask)
	if err != nil {
		a.say("  refused: %s", err)
		return
	}
	p.Force(rolled)
	if p.Several() >= 0 && p.Dims[p.Several()].Cut() > 0 {
		_, _ = a.ask(p.Values())
		kept := make([][]string, len(p.Dims))
		kept[p.Several()] = []string{"wet"}
		p.Keep(kept)
	}
	_, _ = a.ask(p)
	for _, dim := range p.Dims {
		if dim.Along() {
			_, _ = a.ask(p.Bounds(dim.F))
		}
	}
}

// Everything that is asked of the database about a field of each kind, with the answers of
// a few records that have what is hard about it. testdata/asked.txt is read when it changes.
func TestWhatIsAskedAndAnswered(t *testing.T) {
	_, src := sourcetest.Connect(t, "sql_asked", sample.EverySchema)
	c, err := src.Introspect(context.Background())
	require.NoError(t, err)
	rules, err := dataset.ReadRules([]byte(`{"version":1,"source":"test","tables":[
		{"table":"job","row_rules":[{"roles":["foreman"],"where":{"field":"kind","is_not":"mishap"}}]},{"table":"yard","row_rules":[{"roles":["foreman"],"where":{"field":"id","is":{"viewer":"yard"}}}]},
		{"table":"owner","row_rules":[{"roles":["everyone"],"where":"every row"}]},{"table":"part","row_rules":[{"roles":["foreman"],"where":{"field":"broken","is":false}}]}]}`))
	require.NoError(t, err)
	c, err = c.With(rules)
	require.NoError(t, err)
	doc, err := dataset.Read([]byte(`{"version":1,"name":"x","title":"X","record":["x","xs"],"source":"test",` + sample.EveryField + `}`))
	require.NoError(t, err)
	resolved := func(many bool) *dataset.Dataset { // many: as if there were so many records that ways around them are worth it
		ds, err := dataset.Resolve(doc, c, nil)
		require.NoError(t, err)
		if many {
			ds.Table.Rows = 1_000_000
		}
		return ds
	}
	ds := resolved(false)
	a := &asking{t: t, src: src, viewer: rule.Viewer{Builder: true}}
	foreman := &asking{t: t, src: src, viewer: rule.Viewer{ID: "f", Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": "1"}}}
	setting := query.Setting{Now: time.Date(2026, 4, 1, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}

	for _, f := range ds.Visible() {
		by := fmt.Sprintf(`{"field":%q%s}`, f.Name, map[bool]string{true: `,"grain":"quarter"`}[f.Type.Temporal()])
		a.answer(`"measures":[{"count":"records"}],"by":[`+by+`]`, ds, false)
		if v, err := planner.NewValues(ds, f.Name, setting, map[bool]string{true: "a"}[len(f.Name)%2 == 0]); err == nil {
			a.say("the values of %s", f.Name)
			_, _ = a.ask(v)
		}
	}
	for _, f := range ds.Visible() {
		of := [][]string{{"count"}}
		if !f.Several && f.Type != field.Position {
			of[0] = append(of[0], "distinct")
		}
		if f.Type.Numeric() {
			of = append(of, []string{"sum", "average", "median", "spread", "smallest"})
		}
		if f.Type.Temporal() {
			of[0] = append(of[0], "smallest", "largest")
		}
		for _, of := range of {
			for i, name := range of {
				of[i] = fmt.Sprintf(`{%q:%q}`, name, f.Name)
			}
			a.answer(`"measures":[`+strings.Join(of, ",")+`]`, ds, true)
		}
	}
	for _, doc := range []string{
		`"measures":[{"count":"records"}],"by":[{"field":"kind","largest":1,"others":true}],"split":{"field":"tags"}`,
		`"measures":[{"sum":"cost"}],"by":[{"field":"tags","largest":1,"others":true}]`,
		`"measures":[{"count":"records"}],"by":[{"field":"yard","smallest":1,"others":true},{"field":"band"}]`,
		`"measures":[{"sum":"cost"}],"by":[{"field":"at","grain":"week"}],"split":{"field":"region","largest":1,"others":true}`,
		`"measures":[{"sum":"cost"}],"by":[{"field":"at","part":"weekday"}],"where":{"field":"at","within":"this year"}`,
		`"measures":[{"median":"cost","where":{"field":"state","is":"open"}}],"by":[{"field":"at","part":"hour of day"},{"field":"due","part":"month of year"}]`,
		`"measures":[{"average":{"sum":"cost"},"per":{"field":"due","grain":"month"}}]`,
		`"measures":[{"largest":{"sum":"cost"},"per":{"field":"yard"}}],"by":[{"field":"kind"}]`,
		`"measures":[{"formula":"sum(cost) / count(*)"},{"count":"records","where":{"field":"kind","is":"care"}}],"by":[{"field":"yard"}]`,
		`"measures":[{"count":"records"}],"by":[{"field":"kind"}],"where":{"any":[{"field":"region","is":"north"},{"field":"tags","is":"wet"},{"field":"said","unreadable":true}]}`,
		`"measures":[{"count":"records","where":{"field":"yard","is":"1"}},{"average":"cost","where":{"field":"yard","is":"1"}}]`,
		`"measures":[{"count":"records"}],"by":[{"field":"kind","least":30}]`,
	} {
		for _, rolled := range []bool{false, true} {
			a.answer(doc, ds, rolled)
			foreman.answer(doc, ds, rolled)
		}
	}
	// Where there are many records, what lies behind a link is found first, and grouped by its key.
	for _, doc := range []string{
		`"measures":[{"count":"records"}],"by":[{"field":"kind"}],"where":{"all":[{"field":"region","is":"north"},{"field":"yard","is_not":"3"},{"field":"cost","is_not":1}]}`,
		`"measures":[{"sum":"cost"}],"by":[{"field":"region"}],"where":{"field":"town","is":"Pell"}`,
	} {
		a.answer(doc, resolved(true), false)
		foreman.answer(doc, resolved(true), false)
	}
	for _, sort := range []string{"kind", "yard", "at", "tags", "cost", "load"} {
		list := planner.NewList(ds, setting, 2)
		require.NoError(t, list.Choose([]string{"kind", "yard", "tags", "load", "parts"}, nil))
		require.NoError(t, list.By(0, sort, sort == "kind"))
		both, err := list.Compile(nil)
		require.NoError(t, err)
		a.say("a list by %s\n  %s\n  %s", sort, both[0].SQL, both[1].SQL)
	}
	got := a.String() + foreman.String()
	golden.Compare(t, "testdata/asked.txt", got)
}
