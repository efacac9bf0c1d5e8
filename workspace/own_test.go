package workspace_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/workspace"
)

// What is kept to oneself, others neither find nor open, wherever they ask; builders do.
func TestWhatOnlyItsKeeperSees(t *testing.T) {
	d := open(t, "own")
	composed(t, d, "one", widget("kinds", grouped("kind")))
	_, err := d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	ivo := person(3, "Ivo", false)
	seen := func() (names []string) {
		rows, err := d.Dashboards(ctx, ivo, "")
		require.NoError(t, err)
		for _, r := range rows {
			names = append(names, r.Name)
		}
		return names
	}
	show := func(who *identity.Caller, audience string) error {
		return second(d.File(ctx, who, workspace.Dashboard, "one", "", audience))
	}
	assert.Contains(t, seen(), "one")
	assert.Equal(t, problem.Forbidden, code(show(ivo, "keeper")), "only its keeper, or a builder")
	require.NoError(t, show(edda, "keeper"))
	assert.NotContains(t, seen(), "one")
	for name, err := range map[string]error{
		"read":   second(d.Dashboard(ctx, ivo, "one", false)),
		"draft":  second(d.Dashboard(ctx, ivo, "one", true)),
		"look":   second(d.Look(ctx, ivo, "one", false, dashboard.State{})),
		"copy":   second(d.NewDashboard(ctx, ivo, "Copied", "one", true)),
		"favour": d.Favour(ctx, ivo, "one", true),
		"begin":  d.BeginWith(ctx, ivo, "one", true),
		"chart":  third(d.ChartAt(ctx, ivo, workspace.Place{Dashboard: "one", Widget: "kinds"})),
		"save":   second(d.SaveDashboard(ctx, ivo, "one", page("one", "Taken"), workspace.On{Revision: 1})),
	} {
		assert.Equal(t, problem.NotFound, code(err), name)
	}
	uses, err := d.Uses(ctx, ivo, workspace.Dataset, "jobs")
	require.NoError(t, err)
	for _, u := range uses {
		assert.NotEqual(t, "one", u.Name)
	}
	_, err = d.Dashboard(ctx, edda, "one", false)
	require.NoError(t, err)
	_, err = d.Dashboard(ctx, mara, "one", true)
	require.NoError(t, err, "who looks after the workspace")
	require.NoError(t, show(edda, ""))
	assert.Contains(t, seen(), "one")
}

func second[T any](_ T, err error) error { return err }

func third[T, U any](_ T, _ U, err error) error { return err }

func TestWhatOneBeginsWith(t *testing.T) {
	d := open(t, "begins")
	assert.Empty(t, d.Begins(ctx, edda))
	composed(t, d, "one", widget("head", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"key figures"}`), widget("kinds", grouped("kind")))
	assert.Equal(t, problem.Conflict, code(d.BeginWith(ctx, edda, "one", true)), "a draft only")
	_, err := d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	require.NoError(t, d.BeginWith(ctx, edda, "one", true))
	assert.Equal(t, "one", d.Begins(ctx, edda))
	assert.Empty(t, d.Begins(ctx, mara), "each their own")

	// A page of one's own begins with the headlines of what there is, and is one's own.
	own, err := d.OwnPage(ctx, edda)
	require.NoError(t, err)
	assert.Equal(t, own, d.Begins(ctx, edda))
	o, err := d.Dashboard(ctx, edda, own, false)
	require.NoError(t, err)
	assert.True(t, o.Seen == "keeper")
	require.Len(t, o.Doc.Widgets(), 1)
	l, err := d.Look(ctx, edda, own, false, dashboard.State{})
	require.NoError(t, err)
	a, err := l.Widget(o.Doc.Widgets()[0].ID, 0)
	require.NoError(t, err)
	assert.Equal(t, "Composed", a.Title, "called like the dashboard that it is of")
	again, err := d.OwnPage(ctx, edda)
	require.NoError(t, err)
	assert.Equal(t, own, again, "there is one")
	require.NoError(t, d.BeginWith(ctx, edda, "", false))
	assert.Empty(t, d.Begins(ctx, edda))

	// What may no longer be seen leads nobody astray.
	require.NoError(t, d.BeginWith(ctx, mara, "one", true))
	require.NoError(t, d.BeginWith(ctx, edda, "one", true))
	ivo := person(2, "Ivo", false) // sits where Edda did
	require.NoError(t, second(d.File(ctx, mara, workspace.Dashboard, "one", "", "keeper")))
	ivo.PersonID = 1
	assert.Empty(t, d.Begins(ctx, ivo))
}

// What is kept for a team is seen by those in it: dashboards, charts of the library and datasets alike.
func TestWhatATeamSees(t *testing.T) {
	d := open(t, "teams")
	composed(t, d, "one", widget("kinds", grouped("kind")))
	_, err := d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	_, err = d.SaveChart(ctx, edda, "kinds", "Engines", []byte(grouped("kind")), workspace.On{})
	require.NoError(t, err)
	assert.Equal(t, problem.Forbidden, code(d.KeepTeam(ctx, edda, 0, "Engines", nil)), "builders say who is in a team")
	all, err := d.People(ctx, mara)
	require.NoError(t, err)
	require.Len(t, all, 2)
	ids := []int64{all[0].ID, all[1].ID}
	require.NoError(t, d.KeepTeam(ctx, mara, 0, " Engines  and hulls ", []int64{ids[0], ids[1]}))
	assert.Equal(t, problem.Conflict, code(d.KeepTeam(ctx, mara, 0, "Engines and hulls", nil)))
	assert.Equal(t, problem.Missing, code(d.KeepTeam(ctx, mara, 0, " ", nil)))
	require.NoError(t, d.KeepTeam(ctx, mara, 0, "Quay", nil))
	teams, err := d.Teams(ctx, mara)
	require.NoError(t, err)
	require.Len(t, teams, 2)
	engines, quay := teams[0].ID, teams[1].ID
	assert.Equal(t, "Engines and hulls", teams[0].Name)
	assert.Len(t, teams[0].Members, 2)

	in := func(name string, teams ...int64) *identity.Caller {
		c := person(9, name, false)
		c.Teams = teams
		return c
	}
	of := fmt.Sprint("team/", engines)
	keeper := *edda
	keeper.Teams = []int64{engines}
	filing, err := d.Filing(ctx, &keeper, workspace.Standing{Kind: workspace.Chart, Name: "kinds", Keeper: "Edda"})
	require.NoError(t, err)
	assert.Equal(t, []workspace.Audience{{"", "all who sign in"}, {"keeper", "only its keeper"}, {of, "the team Engines and hulls"}}, filing.Audiences)
	assert.Equal(t, problem.Invalid, code(second(d.File(ctx, &keeper, workspace.Dashboard, "one", "", fmt.Sprint("team/", quay)))), "a team that one is in")
	assert.Equal(t, problem.Invalid, code(second(d.File(ctx, mara, workspace.Dataset, "jobs", "", "keeper"))), "nobody keeps it")
	said, err := d.File(ctx, &keeper, workspace.Dashboard, "one", "Yards", of)
	require.NoError(t, err)
	assert.Equal(t, "It stands in Yards; the team Engines and hulls sees it.", said)
	require.NoError(t, second(d.File(ctx, &keeper, workspace.Chart, "kinds", "Engines", of)))
	require.NoError(t, second(d.File(ctx, mara, workspace.Dataset, "jobs", "Yard desk", of)))

	sees := func(who *identity.Caller) (out []string) {
		if rows, err := d.Dashboards(ctx, who, ""); assert.NoError(t, err) {
			for _, g := range workspace.Home(rows) {
				out = append(out, g.Title+": "+g.Rows[0].Name)
			}
		}
		charts, err := d.Library(ctx, who)
		require.NoError(t, err)
		for _, r := range charts {
			out = append(out, r.Name+": "+r.Only)
		}
		sets, err := d.DatasetRows(ctx, who)
		require.NoError(t, err)
		for _, r := range sets {
			out = append(out, r.Name)
		}
		found, err := d.Search(ctx, who, "kinds")
		require.NoError(t, err)
		for _, f := range found {
			out = append(out, "found "+f.Name)
		}
		return out
	}
	both := []string{"The team Engines and hulls sees, in Yards: one", "kinds: the team Engines and hulls sees it", "jobs", "found kinds"}
	assert.Equal(t, both, sees(in("Ivo", engines)))
	assert.Equal(t, both, sees(mara), "who looks after the workspace")
	assert.Empty(t, sees(in("Orla", quay)))
	assert.Equal(t, problem.NotFound, code(third(d.ChartAt(ctx, in("Orla"), workspace.Place{Library: "kinds"}))))

	// Its name alone puts the chart on nobody's dashboard; where it is already, it stays.
	apart := person(mara.PersonID, "Orla", false)
	within := *apart
	within.Teams = []int64{engines}
	require.NoError(t, second(d.SaveDashboard(ctx, apart, "two", page("two", "Two", widget("own", grouped("kind"))), workspace.On{})))
	add := func(who *identity.Caller) error {
		_, _, err := d.AddWidget(ctx, who, "two", "", "library/kinds")
		return err
	}
	assert.Equal(t, problem.NotFound, code(add(apart)))
	require.NoError(t, add(&within))
	require.NoError(t, third(d.AddWidget(ctx, apart, "two", "", "text")), "where it is already, it stays")

	err = d.RemoveTeam(ctx, mara, engines)
	assert.Equal(t, problem.Conflict, code(err))
	assert.ErrorContains(t, err, "“Composed”, “Jobs”, “Jobs, by kind”")
	require.NoError(t, d.RemoveTeam(ctx, mara, quay))
	assert.Equal(t, problem.NotFound, code(d.RemoveTeam(ctx, mara, quay)))
	require.NoError(t, second(d.File(ctx, mara, workspace.Dataset, "jobs", "", "")))
	assert.Contains(t, sees(in("Orla")), "jobs")
}

func TestNamesAreMadeOfTitles(t *testing.T) {
	for title, name := range map[string]string{"Yard today, 2026": "yard-today-2026", "3 yards": "c-3-yards", "لوحة": "untitled", " – ": "untitled"} {
		assert.Equal(t, name, workspace.Slug(title))
	}
}
