package workspace_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/workspace"
)

// What a dashboard shows as it is narrowed is kept by a name and shows the same by itself.
func TestWhatIsFoundIsKeptAsItWasSeen(t *testing.T) {
	d := open(t, "found")
	narrowed := strings.TrimSuffix(string(page("one", "One", widget("kinds", count(`{"field":"kind","is":"care"}`)), widget("all", count(`"every row"`)), `{"id":"words","at":[0,0,4,4],"text":"hello"}`)), "}") +
		`,"filters":[{"name":"boat","label":"Boat","field":"boat"}]}`
	_, err := d.SaveDashboard(ctx, edda, "one", []byte(narrowed), workspace.On{})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	boat := "boat 3"
	l, err := d.Look(ctx, edda, "one", false, dashboard.State{Filters: map[string]*dashboard.Setting{"boat": {Values: []marks.Key{{Is: &boat}}}}})
	require.NoError(t, err)
	assert.True(t, l.MayKeep())

	st, err := l.Find("kinds", "  Tern needs care ")
	require.NoError(t, err)
	assert.Equal(t, []string{"Tern needs care", workspace.Findings, "edda"}, []string{st.Title, st.Folder, strings.ToLower(strings.Fields(st.Keeper)[0])})
	found, _, err := d.Chart(ctx, edda, st.Name)
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"kind", "boat"}, found.Where.Fields(), "its own condition and the dashboard's")
	assert.Contains(t, found.Finishing().Caption, "Found ")
	assert.Contains(t, found.Finishing().Caption, "umber of jobs", "what was found is said")

	again, err := l.Find("all", "Tern needs care")
	require.NoError(t, err)
	assert.NotEqual(t, st.Name, again.Name, "two may be called the same")
	for _, wrong := range []struct{ widget, name, code string }{{"kinds", " ", problem.Missing}, {"kinds", strings.Repeat("x", 121), problem.Invalid}, {"words", "Hello", problem.Invalid}, {"none", "None", problem.NotFound}} {
		_, err := l.Find(wrong.widget, wrong.name)
		assert.Equal(t, wrong.code, code(err), wrong)
	}
	seen, err := d.Look(ctx, viewer("one"), "one", false, dashboard.State{})
	require.NoError(t, err)
	assert.False(t, seen.MayKeep())
	care := "care"
	list, err := l.FindRecords("kinds", marks.Reference{Now: d.Now(), Keys: []marks.Key{{Is: &care}}}, "Those that need care")
	require.NoError(t, err)
	doc, _, err := d.Chart(ctx, edda, list.Name)
	require.NoError(t, err)
	assert.Equal(t, chart.Records, doc.Form)
	assert.Equal(t, "kind", doc.Where.TopLevel()[len(doc.Where.TopLevel())-1].Field, "the mark's condition stands in it")
	_, err = l.FindRecords("nothing", marks.Reference{}, "Mine")
	assert.Equal(t, problem.NotFound, code(err))
	_, err = seen.FindRecords("kinds", marks.Reference{}, "Mine")
	assert.Equal(t, problem.Forbidden, code(err))
	_, err = seen.Find("kinds", "Mine")
	assert.Equal(t, problem.Forbidden, code(err), "who only reads keeps nothing")
}

func TestTheLibraryTellsWhereItsChartsStand(t *testing.T) {
	d := open(t, "library")
	_, err := d.SaveDashboard(ctx, edda, "one", page("one", "One", widget("kinds", count(`"every row"`))), workspace.On{})
	require.NoError(t, err)
	kept, err := d.IntoLibrary(ctx, edda, "one", "kinds")
	require.NoError(t, err)
	_, err = d.IntoLibrary(ctx, edda, "one", "kinds")
	assert.Equal(t, problem.Conflict, code(err), "it is there already")
	_, err = d.SaveChart(ctx, edda, "loose", strings.Repeat("Drawer", 20), []byte(count(`"every row"`)), workspace.On{})
	assert.Equal(t, problem.Invalid, code(err), "no folder is called so")
	_, err = d.SaveChart(ctx, edda, "loose", workspace.Findings, []byte(count(`"every row"`)), workspace.On{})
	require.NoError(t, err)
	rows, err := d.Library(ctx, mara)
	require.NoError(t, err)
	require.Len(t, rows, 2)
	by := map[string]workspace.ChartRow{rows[0].Name: rows[0], rows[1].Name: rows[1]}
	require.Len(t, by[kept.Name].On, 1)
	assert.Equal(t, "One", by[kept.Name].On[0].Title)
	assert.Empty(t, by["loose"].On)
	assert.Equal(t, []string{"", workspace.Findings}, []string{by[kept.Name].Folder, by["loose"].Folder})
	assert.NotNil(t, by["loose"].Document)
	assert.Contains(t, by["loose"].Words, "Jobs", "it is found by its dataset")
	assert.Contains(t, by["loose"].Words, "Kind", "and by its fields")

	_, err = d.OwnCopy(ctx, edda, "one", "kinds")
	require.NoError(t, err, "and back")
	assert.NoError(t, d.Remove(ctx, edda, workspace.Chart, kept.Name, workspace.On{}), "nothing shows it any more")
	_, err = d.Library(ctx, viewer("one"))
	assert.Equal(t, problem.Forbidden, code(err))
}

// What is added to a dashboard begins with the records of the chart before it.
func TestWhatIsAddedBeginsWithTheDatasetOfTheLast(t *testing.T) {
	d := open(t, "adding")
	_, err := d.SaveDashboard(ctx, edda, "one", page("one", "One", `{"id":"words","at":[0,0,4,4],"text":"hello"}`), workspace.On{})
	require.NoError(t, err)
	added := func(to string) *chart.Document {
		id, make, err := d.AddWidget(ctx, edda, to, "", chart.Table.Kind)
		require.NoError(t, err)
		assert.True(t, make)
		doc, _, err := d.ChartAt(ctx, edda, workspace.Place{Dashboard: to, Widget: id})
		require.NoError(t, err)
		return doc
	}
	assert.Empty(t, added("one").Dataset, "there is none yet")
	_, err = d.SaveDashboard(ctx, edda, "two", page("two", "Two", widget("kinds", count(`"every row"`)), `{"id":"words","at":[0,4,4,4],"text":"hello"}`), workspace.On{})
	require.NoError(t, err)
	again := added("two")
	assert.Equal(t, "jobs", again.Dataset)
	assert.Equal(t, chart.Table, again.Form)
}

func TestPagesOfADraftAreChanged(t *testing.T) {
	d := open(t, "pages")
	_, err := d.SaveDashboard(ctx, edda, "one", page("one", "One", widget("kinds", count(`"every row"`))), workspace.On{})
	require.NoError(t, err)
	kept, err := d.Changing(ctx, edda, "one")
	require.NoError(t, err)
	first := kept.Doc.Pages[0].Title
	for _, step := range []struct{ do, page, title, now string }{
		{"add", "", "Hours", "Hours"}, {"name", "Hours", "Days", "Days"}, {"earlier", "Days", "", "Days"}, {"later", "Days", "", "Days"}, {"copy", first, "", first + " 2"}, {"remove", first + " 2", "", "Days"},
	} {
		now, err := d.ChangePages(ctx, edda, "one", step.do, step.page, step.title)
		require.NoError(t, err, step)
		assert.Equal(t, step.now, now, step)
	}
	_, err = d.ChangePages(ctx, edda, "one", "burn", "Days", "")
	assert.Equal(t, problem.Invalid, code(err))
	_, err = d.ChangePages(ctx, viewer("one"), "one", "add", "", "Mine")
	assert.Equal(t, problem.Forbidden, code(err), "who only reads changes nothing")
}
