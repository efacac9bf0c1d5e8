package dashboard_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/marks"
)

// drilled is the dashboard of linked with its datasets, whose jobs have paths.
func drilled(t *testing.T, paths ...[]string) (*dashboard.Document, named) {
	doc := sample.Document()
	doc.DrillPaths = paths
	jobs, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	d, err := dashboard.Read([]byte(linked))
	require.NoError(t, err)
	return d, named{"jobs": jobs, "visits": visits(t)}
}

func TestDrillDown(t *testing.T) {
	d, charts := drilled(t, []string{"kind", "boat"}, []string{"boat", "yard", "kind"})
	down := func(id string) []string {
		w, err := d.Widget(id)
		require.NoError(t, err)
		definition, ds, err := charts.Chart(w)
		require.NoError(t, err)
		return w.Down(definition, ds)
	}
	assert.Equal(t, []string{"yard", "kind"}, down("b"), "the part of the first path that its group stands on")
	assert.Empty(t, down("a"), "a split is no group to drill from")
	assert.Empty(t, down("c"), "visits have no path")

	require.NoError(t, d.DrillDown("b", []string{"boat"}, false))
	assert.Equal(t, []string{"yard", "boat"}, down("b"), "its own path begins with its group")
	require.NoError(t, d.DrillDown("b", []string{"gone", "boat", "yard"}, false))
	assert.Equal(t, []string{"yard", "boat"}, down("b"), "past what is gone and what comes again")
	require.NoError(t, d.DrillDown("b", nil, false))
	assert.Empty(t, down("b"), "nowhere")
	again, err := dashboard.Read(d.JSON())
	require.NoError(t, err)
	w, _ := again.Widget("b")
	assert.NotNil(t, w.Drill, "nowhere is kept")
	require.NoError(t, d.DrillDown("b", nil, true))
	assert.Equal(t, []string{"yard", "kind"}, down("b"), "as its dataset again")
	assert.Error(t, d.DrillDown("b", make([]string, 8), false))
	assert.Error(t, d.DrillDown("gone", nil, true))
}

// on is a mark with a value for each of some dimensions.
func on(values ...string) marks.Reference {
	var r marks.Reference
	for _, v := range values {
		r.Keys = append(r.Keys, marks.Key{Is: &v})
	}
	return r
}

func TestThrough(t *testing.T) {
	d, charts := drilled(t)
	within := func(title string) dashboard.Through {
		return dashboard.Through{From: []string{"a", "b"}, To: dashboard.Target{Page: title}}
	}
	way := within("Q")
	way.Guess(d.Sources(way, charts), d)
	assert.Equal(t, map[string]string{"opened": "when", "kind": "of", "yard": "there"}, way.Fill, "what agrees in name")
	way.From = []string{"b"}
	way.Guess(d.Sources(way, charts), d)
	assert.Equal(t, map[string]string{"yard": "there"}, way.Fill, "nothing is said of fields that no mark has")
	way = within("P")
	way.Guess(d.Sources(way, charts), d)
	assert.Equal(t, map[string]string{"opened": "when", "kind": "of"}, way.Fill, "a filter of another page is none of this one")

	name, err := d.AddThrough(way)
	require.NoError(t, err)
	kept, err := d.ThroughOf(name)
	require.NoError(t, err)
	from := d.Sources(*kept, charts)
	require.Len(t, from, 2)
	assert.Empty(t, kept.Trouble(from, d))
	fillings := kept.Fillings(from, d)
	require.Len(t, fillings, 3)
	assert.Equal(t, "kind", fillings[1].Name)
	assert.Equal(t, dashboard.Choice{Name: "of", Label: "of", Chosen: true}, fillings[1].Fills[0])

	// A week and a kind are carried to a range and a list of values.
	monday := time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC)
	next := monday.AddDate(0, 0, 7)
	mark := on("", "care")
	mark.Keys[0] = marks.Key{From: &monday, To: &next}
	definition, ds := from[0].Chart.Own.Definition, from[0].Dataset
	carried, err := kept.Carry([]dashboard.At{{Mark: mark, Definition: definition}}, ds, d)
	require.NoError(t, err)
	assert.Equal(t, "2026-03-02", carried.Filters["when"].Range.From)
	assert.Equal(t, "2026-03-08", carried.Filters["when"].Range.To, "a day before the next begins")
	assert.Equal(t, "care", *carried.Filters["of"].Values[0].Is)
	assert.Empty(t, carried.Lost)
	require.NoError(t, dashboard.State{Page: "P", Filters: carried.Filters}.Check(d))
	mark.Keys[1] = marks.Key{Others: true}
	carried, err = kept.Carry([]dashboard.At{{Mark: mark, Definition: definition}}, ds, d)
	require.NoError(t, err)
	assert.NotContains(t, carried.Filters, "of")
	assert.Equal(t, []string{"Kind"}, carried.Lost, "others are not one value")
	_, err = kept.Carry([]dashboard.At{{Mark: on("a", "b", "c"), Definition: definition}}, ds, d)
	assert.Error(t, err, "a mark of another chart")

	// To an address of the host app.
	host := dashboard.Through{Name: name, Of: "jobs", To: dashboard.Target{Host: "/list?kind={kind}&since={from}"}}
	require.NoError(t, d.ChangeThrough(host))
	from = d.Sources(host, charts)
	host.Guess(from, nil)
	assert.Equal(t, map[string]string{"kind": "kind"}, host.Fill)
	assert.Contains(t, host.Trouble(from, nil), "“from”")
	host.Fill["opened"] = "from"
	assert.Empty(t, host.Trouble(from, nil))
	mark.Keys[1] = on("care & repair/1").Keys[0]
	carried, err = host.Carry([]dashboard.At{{Mark: mark, Definition: definition}}, ds, nil)
	require.NoError(t, err)
	assert.Equal(t, "/list?kind=care%20%26%20repair%2F1&since=2026-03-02", carried.Address)
	mark.Keys[1] = marks.Key{None: true}
	_, err = host.Carry([]dashboard.At{{Mark: mark, Definition: definition}}, ds, nil)
	assert.ErrorContains(t, err, "fills “kind”", "an address needs a value")
}

func TestThroughTrouble(t *testing.T) {
	for name, way := range map[string]struct {
		t     dashboard.Through
		words string
	}{
		"from":      {dashboard.Through{From: []string{"t", "gone"}, To: dashboard.Target{Page: "Q"}}, "leads from nothing"},
		"of":        {dashboard.Through{Of: "gone", To: dashboard.Target{Page: "Q"}}, "leads from nothing"},
		"page":      {dashboard.Through{From: []string{"a"}, To: dashboard.Target{Page: "R"}}, "“R” is gone"},
		"filter":    {dashboard.Through{From: []string{"a"}, Fill: map[string]string{"kind": "kinds"}, To: dashboard.Target{Page: "Q"}}, "no longer there"},
		"dashboard": {dashboard.Through{From: []string{"a"}, To: dashboard.Target{Dashboard: "other"}}, "dashboard that it leads to is gone"},
	} {
		t.Run(name, func(t *testing.T) {
			d, charts := drilled(t)
			target := d
			if !way.t.To.Within() {
				target = nil
			}
			assert.Contains(t, way.t.Trouble(d.Sources(way.t, charts), target), way.words)
		})
	}
	d, _ := drilled(t)
	for _, refused := range []dashboard.Through{
		{To: dashboard.Target{Page: "Q"}},
		{From: []string{"a"}, Of: "jobs", To: dashboard.Target{Page: "Q"}},
		{From: []string{"a"}},
		{From: []string{"a"}, To: dashboard.Target{Page: "Q", Host: "/x"}},
		{From: []string{"a"}, To: dashboard.Target{Host: "https://elsewhere.example/"}},
		{From: []string{"a"}, To: dashboard.Target{Host: "//elsewhere.example/"}},
	} {
		_, err := d.AddThrough(refused)
		assert.Error(t, err)
		_, err = dashboard.Read(d.JSON())
		assert.Error(t, err, "nor is it read")
		require.NoError(t, d.RemoveThrough("way-1"))
	}
	for range dashboard.MostThroughs {
		_, err := d.AddThrough(dashboard.Through{From: []string{"a"}, To: dashboard.Target{Page: "Q"}})
		require.NoError(t, err)
	}
	_, err := d.AddThrough(dashboard.Through{From: []string{"a"}, To: dashboard.Target{Page: "Q"}})
	assert.Error(t, err)
}

// Ways follow the pages and widgets that they lead from and to.
func TestThroughFollowsPages(t *testing.T) {
	d, _ := drilled(t)
	name, err := d.AddThrough(dashboard.Through{From: []string{"a"}, To: dashboard.Target{Page: "Q"}})
	require.NoError(t, err)
	_, err = d.NamePage("Q", "Quays")
	require.NoError(t, err)
	_, err = d.CopyPage("P")
	require.NoError(t, err)
	way, err := d.ThroughOf(name)
	require.NoError(t, err)
	assert.Equal(t, "Quays", way.To.Page)
	require.Len(t, way.From, 2)
	assert.Equal(t, "P 2", d.PageOf(way.From[1]).Title)
}
