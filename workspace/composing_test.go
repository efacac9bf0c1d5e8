package workspace_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/view"
	"eskadel/workspace"
)

// grouped is a chart of the number of jobs by fields.
func grouped(fields ...string) string {
	return `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"` + strings.Join(fields, `"},{"field":"`) + `"}],"form":"table"}`
}

func composed(t *testing.T, d *desk, name string, widgets ...string) {
	_, err := d.SaveDashboard(ctx, edda, name, page(name, "Composed", widgets...), workspace.On{})
	require.NoError(t, err)
}

func TestFiltersAreComposed(t *testing.T) {
	d := open(t, "filters")
	composed(t, d, "one", widget("a", grouped("kind")), widget("b", count(`"every row"`)))
	draft := func() *workspace.Draft {
		x, err := d.Composing(ctx, edda, "one", "")
		require.NoError(t, err)
		return x
	}
	all, err := draft().Candidates()
	require.NoError(t, err)
	assert.Equal(t, "Opened", all[0].Means)
	assert.Equal(t, "Kind", all[1].Means)
	when, err := d.AddFilter(ctx, edda, "one", "", dashboard.Dates, "")
	require.NoError(t, err)
	of, err := d.AddFilter(ctx, edda, "one", "", "", "kind")
	require.NoError(t, err)
	_, err = d.AddFilter(ctx, edda, "one", "", "", "kind")
	assert.Equal(t, problem.NotFound, code(err), "it is there already")

	var begins dashboard.Setting
	require.NoError(t, json.Unmarshal([]byte(`["care","gone"]`), &begins))
	first := draft().Page.Title
	require.NoError(t, d.ChangeFilter(ctx, edda, "one", dashboard.Filter{Name: of, Label: "of", Default: &begins, Pages: []string{first}}, map[string]string{"jobs": "kind"}))
	require.NoError(t, d.ChangeFilter(ctx, edda, "one", dashboard.Filter{Name: when, Label: "promised", Shown: dashboard.Offered}, map[string]string{"jobs": "promised"}))
	require.NoError(t, d.MoveFilter(ctx, edda, "one", of, "earlier"))
	filters, err := draft().Filters()
	require.NoError(t, err)
	require.Len(t, filters, 2)
	assert.Equal(t, "of care", filters[0].Text)
	assert.Contains(t, filters[0].Trouble, "begins with “gone”, which no job has as its kind any more")
	assert.Equal(t, "promised", filters[1].Text)
	require.Len(t, filters[1].Answers, 1)
	assert.Equal(t, "promised", filters[1].Answers[0].Now)
	assert.Equal(t, map[string]string{"jobs": "promised"}, draft().Doc.Filter(when).Fields)

	// A viewer adds what is offered, and cannot touch what is hidden.
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	line := func(state string) *view.Line {
		var s dashboard.State
		require.NoError(t, json.Unmarshal([]byte(state), &s))
		l, err := d.Look(ctx, viewer("one"), "one", false, s)
		require.NoError(t, err)
		out, err := l.Line("")
		require.NoError(t, err)
		return out
	}
	bare := line(`{}`)
	assert.Equal(t, []view.LineFilter{{Name: when, Text: "promised"}}, bare.Offered)
	assert.Equal(t, []view.LineFilter{{Name: of, Text: "of care"}}, bare.Filters)
	added := line(`{"filters":{"` + when + `":"this year"}}`)
	assert.Empty(t, added.Offered)
	assert.Equal(t, view.LineFilter{Name: when, Text: "promised this year", Added: true}, added.Filters[1])
	require.NoError(t, d.ChangeFilter(ctx, edda, "one", dashboard.Filter{Name: of, Shown: dashboard.Hidden, Default: &begins}, nil))
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	assert.Empty(t, line(`{}`).Filters)
	_, err = d.Look(ctx, viewer("one"), "one", false, dashboard.State{Filters: map[string]*dashboard.Setting{of: nil}})
	assert.Equal(t, problem.Forbidden, code(err))

	require.NoError(t, d.MoveFilter(ctx, edda, "one", of, "remove"))
	for _, err := range []error{d.MoveFilter(ctx, edda, "one", of, "later"), d.MoveFilter(ctx, edda, "one", when, "sideways"), d.ChangeFilter(ctx, edda, "one", dashboard.Filter{Name: of}, nil), d.MoveFilter(ctx, viewer("one"), "one", when, "later")} {
		assert.Error(t, err)
	}
}

// Whatever the matrix says of filters and clicks, the answers under it are so.
func TestTheMatrixIsWhatIsAnswered(t *testing.T) {
	d := open(t, "matrix")
	composed(t, d, "one", widget("kinds", grouped("kind")), widget("yards", grouped("yard", "kind")), widget("all", count(`"every row"`)))
	change := func(r workspace.ReachChange) {
		require.NoError(t, d.ChangeReach(ctx, edda, "one", r))
	}
	of, err := d.AddFilter(ctx, edda, "one", "", "", "kind")
	require.NoError(t, err)
	cell := func(filter, from, on string) view.ReachCell {
		x, err := d.Composing(ctx, edda, "one", "")
		require.NoError(t, err)
		c, err := x.ReachChoices(filter, from, on)
		require.NoError(t, err)
		return c.Cell
	}
	var state dashboard.State
	records := func(on string) int {
		l, err := d.Look(ctx, edda, "one", true, state)
		require.NoError(t, err)
		a, err := l.Widget(on, view.Figures)
		require.NoError(t, err)
		if a.Nothing != "" {
			return 0
		}
		p, err := l.Records(on, a.Whole, workspace.Paging{})
		require.NoError(t, err)
		return int(p.Count)
	}
	set := func(s string) {
		state = dashboard.State{}
		require.NoError(t, json.Unmarshal([]byte(s), &state))
	}
	filtered, clicked := `{"filters":{"`+of+`":["care"]}}`, `{"narrow":[{"widget":"yards","words":"x","marks":[{"now":"2026-03-05T12:00:00Z","measure":0,"keys":[{"is":"1"},{"is":"care"}]}]}]}`

	assert.Equal(t, "Kind", cell(of, "", "all").Says)
	assert.Equal(t, "Yard, Kind", cell("", "yards", "all").Says)
	assert.True(t, cell("", "yards", "yards").Self)
	set(filtered)
	assert.Equal(t, 20, records("all"))
	set(clicked)
	assert.Equal(t, 10, records("all"))
	assert.Equal(t, 60, records("yards"), "a click does nothing to its own")

	change(workspace.ReachChange{Do: "answer", Filter: of, On: "all"})
	change(workspace.ReachChange{Do: "leave", From: "yards", Field: "kind"})
	assert.Empty(t, cell(of, "", "all").Says)
	assert.Equal(t, "Yard", cell("", "yards", "all").Says)
	set(filtered)
	assert.Equal(t, 60, records("all"))
	set(clicked)
	assert.Equal(t, 30, records("all"))

	change(workspace.ReachChange{Do: "answer", Filter: of, On: "all", Usual: true})
	change(workspace.ReachChange{Do: "spare", From: "yards", On: "all"})
	change(workspace.ReachChange{Do: "wait", On: "all"})
	assert.Equal(t, "Kind", cell(of, "", "all").Says)
	assert.Equal(t, "as you want it", cell("", "yards", "all").Why)
	set(clicked)
	assert.Zero(t, records("all"), "it waits for a click, and this does not reach it")
	change(workspace.ReachChange{Do: "narrow", From: "yards", On: "all"})
	change(workspace.ReachChange{Do: "select", From: "yards", Field: "kind"})
	assert.Equal(t, 10, records("all"))
	change(workspace.ReachChange{Do: "show", On: "all"})
	change(workspace.ReachChange{Do: "by", From: "yards", Dataset: "jobs", Field: "kind", To: "boat"})
	assert.Equal(t, "Yard, Boat", cell("", "yards", "all").Says)
	set(strings.Replace(clicked, "care", "boat 3", 1))
	assert.Equal(t, 4, records("all"), "boat 3 at the first yard")
	// What is chosen is drawn within the whole, which is not narrowed; a chart that cannot is narrowed.
	change(workspace.ReachChange{Do: "highlight", From: "yards", On: "all"})
	assert.True(t, cell("", "yards", "all").Within)
	set(`{"narrow":[{"widget":"yards","words":"at the first","marks":[{"now":"2026-03-05T12:00:00Z","measure":0,"keys":[{"is":"1"}]}]}]}`)
	l, err := d.Look(ctx, edda, "one", true, state)
	require.NoError(t, err)
	a, err := l.Widget("all", view.Drawing)
	require.NoError(t, err)
	require.Len(t, a.Drawing.Series, 2)
	assert.Equal(t, "others", a.Drawing.Series[1].Colour)
	for g, group := range a.Drawing.Groups {
		var chosen, rest string
		require.NoError(t, d.records.QueryRow(ctx, "select count(*) filter (where yard_id = 1)::text, count(*) filter (where yard_id <> 1)::text from job where kind = $1", group.Label).Scan(&chosen, &rest))
		assert.Equal(t, []string{chosen, rest}, []string{a.Drawing.Series[0].Marks[g].Exact, a.Drawing.Series[1].Marks[g].Exact}, group.Label)
	}
	change(workspace.ReachChange{Do: "highlight", From: "kinds", On: "yards"})
	set(`{"narrow":[{"widget":"kinds","words":"care","marks":[{"now":"2026-03-05T12:00:00Z","measure":0,"keys":[{"is":"care"}]}]}]}`)
	l, err = d.Look(ctx, edda, "one", true, state)
	require.NoError(t, err)
	a, err = l.Widget("yards", view.Drawing)
	require.NoError(t, err)
	require.NotEmpty(t, a.Notes)
	assert.Equal(t, "Narrowed by “care”: this chart cannot show a part within the whole.", a.Notes[0].Words)
	assert.Equal(t, 20, records("yards"))
	assert.Error(t, d.ChangeReach(ctx, edda, "one", workspace.ReachChange{Do: "overturn"}))
	x, err := d.Composing(ctx, edda, "one", "")
	require.NoError(t, err)
	_, err = x.ReachChoices("gone", "", "all")
	assert.Equal(t, problem.NotFound, code(err))
}

func TestPublishingIsToldInWords(t *testing.T) {
	d := open(t, "publishing")
	composed(t, d, "one", widget("a", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"boat"}],"form":"pie"}`))
	p, err := d.Publishing(ctx, edda, "one")
	require.NoError(t, err)
	assert.Equal(t, 1, p.Version)
	assert.Empty(t, p.Missing)
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)

	// What values were given as it was published is the draft's too, whoever writes the draft anew.
	published, err := d.Dashboard(ctx, edda, "one", false)
	require.NoError(t, err)
	require.NotEmpty(t, published.Doc.Colours["boat"])
	_, err = d.SaveDashboard(ctx, edda, "one", page("one", "Two", widget("a", grouped("kind")), widget("b", `{"version":2,"measures":[{"count":"records"}],"form":"columns"}`)), workspace.On{Revision: 1})
	require.NoError(t, err)
	changing, err := d.Changing(ctx, edda, "one")
	require.NoError(t, err)
	assert.Equal(t, published.Doc.Colours, changing.Doc.Colours)

	p, err = d.Publishing(ctx, edda, "one")
	require.NoError(t, err)
	assert.Equal(t, 2, p.Version)
	require.Len(t, p.Missing, 1)
	assert.Equal(t, "b", p.Missing[0].Widget)
	assert.Contains(t, p.Missing[0].Words, "no records yet")
	assert.Contains(t, p.Changes, "The title is “Two”, was “Composed”.")
	assert.Contains(t, strings.Join(p.Changes, " "), "as a table; was")
	_, err = d.Publish(ctx, edda, "one")
	assert.Equal(t, problem.Missing, code(err))
	assert.Equal(t, "b", problem.Of(err).Place)
	_, err = d.Publishing(ctx, viewer("one"), "one")
	assert.Equal(t, problem.Forbidden, code(err))
}

func TestWhoElseWorksOnADashboardIsTold(t *testing.T) {
	d := open(t, "company")
	composed(t, d, "one", widget("a", grouped("kind")))
	here := func(window string, revision int) *workspace.Company {
		c, err := d.Here(ctx, edda, "one", window, revision)
		require.NoError(t, err)
		return c
	}
	assert.Empty(t, here("w1", 1).Others)
	assert.Nil(t, here("w1", 1).Document)
	assert.Equal(t, []string{"you, in another window"}, here("w2", 1).Others)
	_, err := d.Here(ctx, mara, "one", "w3", 1)
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"Mara", "you, in another window"}, here("w1", 1).Others)
	_, err = d.SaveDashboard(ctx, mara, "one", page("one", "Two"), workspace.On{Revision: 1})
	require.NoError(t, err)
	now := here("w1", 1)
	assert.Equal(t, "Mara", now.By)
	assert.Equal(t, "Two", now.Document.Title)
	assert.Nil(t, here("w1", now.Revision).Document)
	for _, window := range []string{"", strings.Repeat("x", 41)} {
		_, err := d.Here(ctx, edda, "one", window, 1)
		assert.Equal(t, problem.Invalid, code(err))
	}
	require.NoError(t, d.Remove(ctx, edda, workspace.Dashboard, "one", workspace.On{}))
	_, err = d.Here(ctx, edda, "one", "w1", 1)
	assert.Equal(t, problem.NotFound, code(err))
}

func TestWidgetsArePlaced(t *testing.T) {
	d := open(t, "placing")
	composed(t, d, "one", widget("a", count(`"every row"`)), `{"id":"b","at":[4,0,4,4],"chart":`+grouped("kind")+`}`, `{"id":"c","at":[8,0,4,1],"text":"Hello"}`)
	place := func(p workspace.Placing) error { return d.Place(ctx, edda, "one", p) }
	at := func(id string) [4]int {
		o, err := d.Changing(ctx, edda, "one")
		require.NoError(t, err)
		w, err := o.Doc.Widget(id)
		require.NoError(t, err)
		return w.At
	}
	require.NoError(t, place(workspace.Placing{Do: "layout", Layout: dashboard.Headline}))
	words := at("c")
	assert.Equal(t, []int{0, 0}, words[:2], "words over the body")
	assert.Greater(t, at("b")[1], at("a")[1], "a table at the bottom")
	require.NoError(t, place(workspace.Placing{Do: "match", Widgets: []string{"a", "c"}, Wide: true, High: true}))
	first, second := at("a"), at("c")
	assert.Equal(t, first[2:], second[2:])
	require.NoError(t, place(workspace.Placing{Do: "later", Widgets: []string{"c"}}))
	require.NoError(t, place(workspace.Placing{Do: "hide", Widgets: []string{"b"}}))
	x, err := d.Composing(ctx, edda, "one", "")
	require.NoError(t, err)
	var rows []string
	for _, r := range x.Narrow() {
		rows = append(rows, r.ID+map[bool]string{true: " shown", false: " not"}[r.Shown])
	}
	assert.ElementsMatch(t, []string{"a shown", "c shown", "b not"}, rows)
	assert.Equal(t, "b not", rows[2])
	require.NoError(t, place(workspace.Placing{Do: "show", Widgets: []string{"b"}}))
	require.NoError(t, place(workspace.Placing{Do: "remove", Widgets: []string{"a", "b"}}))
	assert.Equal(t, []string{"c"}, widgets(t, d, "one"))
	assert.Equal(t, problem.NotFound, code(place(workspace.Placing{Do: "remove", Widgets: []string{"a"}})))
	assert.Equal(t, problem.Invalid, code(place(workspace.Placing{Do: "spin", Widgets: []string{"c"}})))
	assert.Equal(t, problem.NotFound, code(place(workspace.Placing{Do: "layout", Page: "Q"})))
}

func TestDashboardsAreFoundAtHome(t *testing.T) {
	d := open(t, "home")
	for i, name := range []string{"alpha", "beta", "gamma"} {
		_, err := d.SaveDashboard(ctx, edda, name, page(name, strings.ToUpper(name[:1])+name[1:], widget("a", grouped("kind"))), workspace.On{})
		require.NoError(t, err)
		if i > 0 {
			_, err = d.Publish(ctx, edda, name)
			require.NoError(t, err)
		}
	}
	groups := func(who *identity.Caller) (out []string) {
		rows, err := d.Dashboards(ctx, who, "")
		require.NoError(t, err)
		for _, g := range workspace.Home(rows) {
			var names []string
			for _, r := range g.Rows {
				names = append(names, r.Name)
			}
			out = append(out, g.Title+": "+strings.Join(names, " "))
		}
		return out
	}
	assert.Equal(t, []string{": alpha beta gamma"}, groups(edda))
	require.NoError(t, d.Favour(ctx, edda, "gamma", true))
	file := func(who *identity.Caller, folder string) error {
		return second(d.File(ctx, who, workspace.Dashboard, "beta", folder, ""))
	}
	require.NoError(t, file(edda, " Yards /  north "))
	assert.Equal(t, []string{"Favourites: gamma", "All: alpha", "Yards / north: beta"}, groups(edda))
	filing, err := d.Filing(ctx, edda, workspace.Standing{Kind: workspace.Dashboard, Name: "beta"})
	require.NoError(t, err)
	assert.Equal(t, []string{"Yards / north"}, filing.Folders)
	assert.Equal(t, []string{"All: alpha gamma", "Yards / north: beta"}, groups(mara), "favourites are one's own")
	require.NoError(t, d.Favour(ctx, edda, "gamma", false))
	assert.Equal(t, []string{"All: alpha gamma", "Yards / north: beta"}, groups(edda))
	assert.Equal(t, problem.Invalid, code(file(edda, strings.Repeat("x", 81))))
	assert.Equal(t, problem.Forbidden, code(file(person(3, "Orla", false), "mine")))
	assert.Equal(t, problem.NotFound, code(d.Favour(ctx, edda, "delta", true)))

	rows, err := d.Dashboards(ctx, edda, "NORTH bet")
	require.NoError(t, err)
	require.Len(t, rows, 1)
	hits, err := d.Find(ctx, edda, "kind")
	require.NoError(t, err)
	require.NotEmpty(t, hits)
	assert.Equal(t, workspace.Hit{What: "field", Title: "Kind", Note: "of Jobs", Href: "/data/datasets/jobs/fields/kind"}, hits[0])
	hits, err = d.Find(ctx, edda, "k")
	require.NoError(t, err)
	assert.Empty(t, hits, "a letter is too little")

	// What was opened lately is named where the list is long, the last first.
	var long []workspace.Row
	for i := range 12 {
		r := workspace.Row{Standing: workspace.Standing{Name: string(rune('a' + i))}}
		if i%2 == 1 {
			r.Opened = time.Unix(int64(i), 0)
		}
		long = append(long, r)
	}
	var last []string
	for _, r := range workspace.Lately(long) {
		last = append(last, r.Name)
	}
	assert.Equal(t, []string{"l", "j", "h", "f", "d"}, last)
	assert.Empty(t, workspace.Lately(long[:10]))
	o, err := d.Changing(ctx, edda, "alpha")
	require.NoError(t, err)
	o.Note(ctx, d.Workspace, edda)
	rows, err = d.Dashboards(ctx, edda, "alpha")
	require.NoError(t, err)
	assert.False(t, rows[0].Opened.IsZero())

	// A copy is one's own, with its filters or without.
	_, err = d.AddFilter(ctx, edda, "beta", "", "", "kind")
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "beta")
	require.NoError(t, err)
	for title, filters := range map[string]int{"With": 1, "Without": 0} {
		st, err := d.NewDashboard(ctx, mara, title, "beta", filters > 0)
		require.NoError(t, err)
		assert.Equal(t, "Mara", st.Keeper)
		o, err := d.Changing(ctx, mara, st.Name)
		require.NoError(t, err)
		assert.Len(t, o.Doc.Filters, filters)
		assert.Len(t, o.Doc.Widgets(), 1)
		assert.Equal(t, title, o.Doc.Title)
	}
	_, err = d.NewDashboard(ctx, edda, "Of a draft", "alpha", true)
	assert.NoError(t, err)
	_, err = d.NewDashboard(ctx, person(3, "Orla", false), "Of somebody's draft", "alpha", true)
	assert.Error(t, err)
	_, err = d.NewDashboard(ctx, edda, " ", "", false)
	assert.Equal(t, problem.Missing, code(err))
}
