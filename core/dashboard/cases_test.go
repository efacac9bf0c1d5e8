package dashboard_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/query"
)

func TestStatesThatDoNotSuit(t *testing.T) {
	d := read(t)
	mark := `{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[]}`
	marks := func(n int) string { return strings.TrimSuffix(strings.Repeat(mark+",", n), ",") }
	narrow := func(widget, marks, words string) string {
		return `{"narrow":[{"widget":"` + widget + `","words":"` + words + `","marks":[` + marks + `]}]}`
	}
	var many []string
	for range dashboard.Most + 1 {
		many = append(many, `{"widget":"a","words":"x","marks":[`+mark+`]}`)
	}
	settings := func(n, size int) string {
		set := map[string]string{}
		for i := range n {
			set[fmt.Sprintf("s%03d", i)] = strings.Repeat("x", size-4)
		}
		b, _ := json.Marshal(map[string]any{"settings": set})
		return string(b)
	}
	for _, c := range []struct{ state, words string }{
		{`{}`, ""}, {`{"filters":{"when":null}}`, ""},
		{`{"filters":{"gone":null}}`, "no filter “gone”"},
		{`{"only":{"a":{"late":["true"]}},"hidden":{"a":["care"]}}`, ""}, {`{"only":{"nowhere":{"late":["true"]}}}`, "“nowhere”"}, {`{"only":{"a":{"gone":null}}}`, "no filter “gone”"}, {`{"only":{"a":{"late":["maybe"]}}}`, "true or to false"},
		{`{"hidden":{"nowhere":["care"]}}`, "“nowhere”"}, {`{"hidden":{"a":["` + strings.Repeat("x", 301) + `"]}}`, "names of a legend are hidden"},
		{`{"filters":{"when":["3"]}}`, "set to a range of dates"},
		{`{"filters":{"where":"this month"}}`, "A date filter is set"},
		{`{"filters":{"where":{"at_least":1}}}`, "A number filter is set"},
		{`{"filters":{"dear":{"at_least":"1","at_most":"2"}}}`, ""},
		{`{"filters":{"dear":["1"]}}`, "A number filter is set"},
		{`{"filters":{"late":["false"]}}`, ""},
		{`{"filters":{"late":[{"none":true}]}}`, "true or to false"},
		{`{"filters":{"where":{"viewer":"yard"}}}`, ""},
		{settings(dashboard.Most, 300), ""}, {settings(dashboard.Most+1, 20), "at most 100 values set"}, {settings(1, 301), "of 300 characters"},
		{`{"looks":{"gone":{"grain":"week"}}}`, "no widget “gone”"},
		{`{"looks":{"a":{"part":{"from":"2026-02-01T00:00:00Z","to":"2026-01-01T00:00:00Z"}}}}`, "ends before it begins"},
		{`{"looks":{"a":{"part":{"from":"2026-02-01T00:00:00Z","to":"2026-02-01T00:00:00Z"}}}}`, "ends before it begins"},
		{`{"looks":{"a":{"grain":"week","part":{"from":"2026-01-01T00:00:00Z","to":"2026-02-01T00:00:00Z"}}}}`, ""},
		{narrow("gone", mark, "x"), "no widget “gone”"},
		{narrow("a", "", "x"), "Choose from 1 to 100 marks"}, {narrow("a", marks(100), "x"), ""}, {narrow("a", marks(101), "x"), "Choose from 1 to 100 marks"},
		{narrow("a", mark, strings.Repeat("x", 2000)), ""}, {narrow("a", mark, strings.Repeat("x", 2001)), "Choose from 1 to 100 marks"},
		{`{"narrow":[` + strings.Join(many[:dashboard.Most], ",") + `]}`, ""}, {`{"narrow":[` + strings.Join(many, ",") + `]}`, "at most 100 times"},
	} {
		err := state(t, c.state).Check(d)
		if c.words == "" {
			assert.NoError(t, err, c.state[:min(len(c.state), 100)])
			continue
		}
		assert.ErrorContains(t, err, c.words, c.state[:min(len(c.state), 100)])
	}
}

// Which field of a dataset answers to a filter.
func TestWhichFieldAnswers(t *testing.T) {
	d := read(t)
	ds := undated(t)
	for _, c := range []struct{ filter, answers, want string }{
		{"when", "", ""}, {"when", "promised", "promised"}, {"when", "kind", ""}, {"when", "gone", ""},
		{"where", "", "yard"}, {"where", "secret", ""}, {"where", "kind", "kind"}, {"where", "promised", ""},
		{"dear", "", "cost"}, {"dear", "kind", ""}, {"dear", "yard", ""}, {"dear", "rough", "rough"},
		{"late", "", "late"}, {"late", "kind", ""}, {"port", "", ""},
	} {
		w := &dashboard.Widget{}
		if c.answers != "" {
			w.AnswersTo = map[string]string{c.filter: c.answers}
		}
		for _, f := range d.Filters {
			if f.Name == c.filter {
				assert.Equal(t, c.want, f.FieldOf(w, ds), "%s answered by %s", c.filter, c.answers)
			}
		}
	}
}

func TestSettingsAreWrittenAsTheyAreRead(t *testing.T) {
	for _, doc := range []string{`"this month"`, `{"last":3,"unit":"month"}`, `["3","4"]`, `[]`, `[{"none":true},"3"]`, `[{"not_shown":true}]`, `{"viewer":"yard"}`, `{"at_least":5,"at_most":10}`, `{"at_most":10}`} {
		var s dashboard.Setting
		require.NoError(t, json.Unmarshal([]byte(doc), &s), doc)
		b, err := json.Marshal(s)
		require.NoError(t, err)
		assert.JSONEq(t, doc, string(b))
	}
	for doc, words := range map[string]string{
		`{"at_least":"` + strings.Repeat("1", 41) + `"}`: "is not a number", `{"at_least":5,"at_most":4}`: "end (4) before they begin (5)",
		`{"at_leest":5}`: "", `{}`: "", `12`: "", `[[1]]`: "",
	} {
		var s dashboard.Setting
		err := json.Unmarshal([]byte(doc), &s)
		if assert.Error(t, err, doc) {
			assert.Contains(t, err.Error(), words, doc)
		}
	}
	var s dashboard.Setting
	require.NoError(t, json.Unmarshal([]byte(`{"at_least":4,"at_most":4}`), &s), "one number is a span")
	require.NoError(t, json.Unmarshal([]byte(`{"at_least":"`+strings.Repeat("1", 40)+`"}`), &s))
}

func TestWhereWidgetsMayLie(t *testing.T) {
	base := `{"version":1,"name":"one","title":"One","pages":[{"title":"P","widgets":[{"id":"%s","at":[%s],"text":"x"}]}]}`
	for _, c := range []struct {
		id, at string
		ok     bool
	}{
		{"a", "0,0,12,1", true}, {"a", "0,0,1,100", true}, {"a", "11,1000,1,1", true}, {"a-b_9", "0,0,1,1", true}, {strings.Repeat("a", 63), "0,0,1,1", true},
		{"a", "-1,0,2,1", false}, {"a", "0,-1,2,1", false}, {"a", "0,0,0,1", false}, {"a", "0,0,1,0", false}, {"a", "1,0,12,1", false}, {"a", "0,1001,1,1", false}, {"a", "0,0,1,101", false},
		{"A", "0,0,1,1", false}, {"", "0,0,1,1", false}, {"-a", "0,0,1,1", false}, {strings.Repeat("a", 64), "0,0,1,1", false},
	} {
		_, err := dashboard.Read([]byte(fmt.Sprintf(base, c.id, c.at)))
		assert.Equal(t, c.ok, err == nil, "%s at %s: %v", c.id, c.at, err)
	}
	for _, filter := range []struct {
		doc string
		ok  bool
	}{
		{`{"name":"a","kind":"date"}`, true}, {`{"name":"a","kind":"values","field":"x"}`, true}, {`{"name":"a","kind":"values"}`, false}, {`{"name":"A","field":"x"}`, false}, {`{"name":"a","kind":"colour","field":"x"}`, false},
	} {
		_, err := dashboard.Read([]byte(`{"version":1,"name":"one","title":"One","filters":[` + filter.doc + `],"pages":[{"title":"P"}]}`))
		assert.Equal(t, filter.ok, err == nil, "%s: %v", filter.doc, err)
	}
	_, err := dashboard.Read([]byte(`{"version":1,"name":"one","title":"One"}`))
	assert.ErrorContains(t, err, "at least one page")
	_, err = dashboard.Read([]byte(`{"version":1,"name":"No Name","title":"One","pages":[{"title":"P"}]}`))
	assert.Error(t, err)
	d, err := dashboard.Read([]byte(`{"version":1,"name":"one","title":"One","pages":[{"title":"P"}]}`))
	require.NoError(t, err)
	assert.Contains(t, string(d.JSON()), `"widgets": []`, "never null")
}

const shelf = `{"version":1,"name":"one","title":"One","pages":[{"title":"P","widgets":[
	{"id":"a","at":[0,0,4,4],"scale":"s","chart":{"library":"bars"}},{"id":"b","at":[4,0,4,4],"scale":"s","chart":{"library":"bars","version":2}},{"id":"c","at":[8,0,4,4],"scale":"other","chart":{"library":"line","version":1}},{"id":"d","at":[0,4,4,4],"text":"x"}]},
	{"title":"Q","widgets":[{"id":"e","at":[0,0,4,4],"scale":"s","chart":{"library":"bars","version":3}}]}]}`

func TestChartsOfTheLibrary(t *testing.T) {
	d, err := dashboard.Read([]byte(shelf))
	require.NoError(t, err)
	ids := func(list []dashboard.Widget) (out string) {
		for _, w := range list {
			out += w.ID
		}
		return out
	}
	w := func(id string) *dashboard.Widget {
		w, err := d.Widget(id)
		require.NoError(t, err)
		return w
	}
	assert.Equal(t, "abcde", ids(d.Widgets()))
	assert.Equal(t, "ab", ids(d.Siblings(w("a"))), "of the same page")
	assert.Equal(t, "e", ids(d.Siblings(w("e"))))
	assert.Empty(t, d.Siblings(w("d")), "it has no scale")
	_, err = d.Widget("z")
	assert.Equal(t, problem.NotFound, problem.Of(err).Code)

	assert.False(t, d.Move("bars", 2) && w("a").Chart.Version != 0, "what names no version follows the newest")
	assert.Equal(t, []int{0, 2, 2}, []int{w("a").Chart.Version, w("b").Chart.Version, w("e").Chart.Version})
	assert.False(t, d.Move("bars", 2), "there is nothing to move any more")
	assert.True(t, d.Move("line", 4))
	asked := 0
	require.NoError(t, d.Pin(func(library string) (int, error) { asked++; return 7, nil }))
	assert.Equal(t, 1, asked, "only where none is named")
	assert.Equal(t, 7, w("a").Chart.Version)
	w("a").Chart.Version = 0
	err = d.Pin(func(string) (int, error) { return 0, problem.New(problem.NotFound, "", "gone") })
	assert.Equal(t, "a", problem.Of(err).Place)
	b, err := json.Marshal(w("b").Chart)
	require.NoError(t, err)
	assert.JSONEq(t, `{"library":"bars","version":2}`, string(b))
	for _, bad := range []string{`{"library":""}`, `{"library":"bars","version":-1}`, `{"library":"bars","form":"bars"}`, `[]`} {
		var c dashboard.Chart
		assert.Error(t, json.Unmarshal([]byte(bad), &c), bad)
	}
	first, err := d.Page("")
	require.NoError(t, err)
	assert.Equal(t, "P", first.Title)
	second, err := d.Page("Q")
	require.NoError(t, err)
	assert.Equal(t, "Q", second.Title)
	_, err = d.Page("R")
	assert.Error(t, err)
	d.Pages[1].Widgets[0].ID = "widget-1"
	assert.Equal(t, "widget-2", d.NewID())
	empty := dashboard.Page{}
	assert.Equal(t, [4]int{0, 0, 6, 5}, empty.Place(6, 5))
	empty.Widgets = []dashboard.Widget{{At: [4]int{0, 0, 6, 5}}}
	assert.Equal(t, [4]int{6, 0, 6, 5}, empty.Place(6, 5))
	assert.Equal(t, [4]int{0, 5, 7, 5}, empty.Place(7, 5))
}

// What is no longer there, or does not fit, is said where a view narrows by it.
func TestNarrowingsThatNoLongerFit(t *testing.T) {
	d := read(t)
	b, err := d.Widget("b")
	require.NoError(t, err)
	ds := undated(t)
	for _, c := range []struct {
		state, words string
		charts       dashboard.Charts
	}{
		{`{"narrow":[{"widget":"d","words":"x","marks":[{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[]}]}]}`, "no longer on the dashboard", charts{ds}},
		{`{"narrow":[{"widget":"c","words":"x","marks":[{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[{"is":"a"}]}]}]}`, "has changed since", charts{ds}},
		{`{}`, "out of order", broken{}},
	} {
		_, err := d.Reach(b, ds, state(t, c.state), nil, c.charts, "")
		assert.ErrorContains(t, err, c.words, c.state)
	}
	_, err = d.Reach(b, ds, state(t, `{"filters":{"where":["x"]}}`), nil, charts{ds}, "")
	assert.Equal(t, "filters.where.one_of", problem.Of(err).Place)
	r, err := d.Reach(b, ds, state(t, `{"filters":{"when":null,"where":["3"],"dear":{"at_least":1}}}`), nil, charts{ds}, "where")
	require.NoError(t, err)
	got, _ := json.Marshal(r.Condition)
	assert.JSONEq(t, `{"field":"cost","at_least":"1"}`, string(got), "but for the filter that is being set")
	d.Filters[0].Label = "opened"
	r, err = d.Reach(&dashboard.Widget{ID: "t", Text: "x"}, ds, state(t, `{"filters":{"where":null}}`), nil, charts{ds}, "")
	require.NoError(t, err)
	assert.Equal(t, []string{"Not narrowed by “opened”: Jobs have no such field."}, r.Missed, "by its label")
}

// broken knows no chart.
type broken struct{}

func (broken) Chart(*dashboard.Widget) (d query.Definition, ds *dataset.Dataset, err error) {
	return d, nil, errors.New("out of order")
}

func (broken) Zone() *time.Location { return time.UTC }
