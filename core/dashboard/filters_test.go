package dashboard_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/dataset/sample"
	"eskadel/core/problem"
)

func filters(d *dashboard.Document) (out []string) {
	for _, f := range d.Filters {
		out = append(out, f.Name)
	}
	return out
}

// two is a dashboard of two pages, whose charts are of the sample dataset.
func two(t *testing.T, of string) *dashboard.Document {
	d, err := dashboard.Read([]byte(`{"version":1,"name":"two","title":"Two","filters":[` + of + `],"pages":[
		{"title":"One","widgets":[{"id":"a","at":[0,0,6,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"form":"bars"}}]},
		{"title":"Two","widgets":[{"id":"b","at":[0,0,6,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"key figures"}}]}]}`))
	require.NoError(t, err)
	return d
}

func TestFiltersAreArranged(t *testing.T) {
	d := read(t)
	added, err := d.AddFilter(dashboard.Filter{Field: "yard", Label: "in"})
	require.NoError(t, err)
	assert.Equal(t, "yard", added)
	added, err = d.AddFilter(dashboard.Filter{Field: "yard"})
	require.NoError(t, err)
	assert.Equal(t, "yard-2", added, "a name of its own")
	added, err = d.AddFilter(dashboard.Filter{Kind: dashboard.Dates})
	require.NoError(t, err)
	assert.Equal(t, "when-2", added)
	require.NoError(t, d.MoveFilter("yard", -1))
	require.NoError(t, d.MoveFilter("when", -5))
	require.NoError(t, d.MoveFilter("late", 50))
	assert.Equal(t, []string{"when", "where", "port", "dear", "yard", "yard-2", "when-2", "late"}, filters(d))
	require.NoError(t, d.RemoveFilter("when"))
	assert.Equal(t, []string{"where", "port", "dear", "yard", "yard-2", "when-2", "late"}, filters(d))
	for _, w := range d.Widgets() {
		assert.NotContains(t, w.AnswersTo, "when", "nothing answers to what is gone")
	}
	c, err := d.Widget("c")
	require.NoError(t, err)
	assert.Contains(t, c.AnswersTo, "where")
	for _, err := range []error{d.MoveFilter("when", 1), d.RemoveFilter("when"), d.ChangeFilter(dashboard.Filter{Name: "when"})} {
		assert.Equal(t, problem.NotFound, problem.Of(err).Code)
	}
	_, err = dashboard.Read(d.JSON())
	assert.NoError(t, err, "what is made by hand can be read")
	for range dashboard.MostFilters - len(d.Filters) {
		_, err = d.AddFilter(dashboard.Filter{Field: "yard"})
		require.NoError(t, err)
	}
	_, err = d.AddFilter(dashboard.Filter{Field: "yard"})
	assert.Equal(t, problem.TooMany, problem.Of(err).Code)
}

func TestFiltersThatDoNotSuit(t *testing.T) {
	for of, words := range map[string]string{
		`{"name":"x","field":"yard","pages":["Two"],"one":true,"default":["3"]}`: "",
		`{"name":"x","field":"yard","shown":"offered"}`:                          "",
		`{"name":"x","field":"yard","shown":"hidden","default":["3"]}`:           "",
		`{"name":"x","field":"yard"},{"name":"x","field":"kind"}`:                "Two filters are called “x”",
		`{"name":"x","field":"yard","one":true,"default":["3","4"]}`:             "one value at a time",
		`{"name":"x","field":"yard","shown":"offered","default":["3"]}`:          "begins with nothing",
		`{"name":"x","field":"yard","shown":"seldom"}`:                           "offered, hidden, or stands in",
		`{"name":"x","field":"yard","pages":["Three"]}`:                          "no page “Three”",
		`{"name":"x","field":"yard","label":"` + strings.Repeat("é", 60) + `"}`:  "",
		`{"name":"x","field":"yard","label":"` + strings.Repeat("é", 61) + `"}`:  "at most 60 letters",
		`{"name":"x"}`:                           "names a field",
		`{"name":"x","kind":"date"}`:             "",
		`{"name":"X","field":"yard"}`:            "A filter has a name",
		`{"name":"x","kind":"y","field":"yard"}`: "A filter has a name",
	} {
		_, err := dashboard.Read([]byte(`{"version":1,"name":"two","title":"Two","filters":[` + of + `],"pages":[{"title":"One","widgets":[]},{"title":"Two","widgets":[]}]}`))
		if words == "" {
			assert.NoError(t, err, of)
			continue
		}
		assert.ErrorContains(t, err, words, of)
	}
}

// A filter governs the pages that it stands on, and follows them as they are named, copied and
// taken off.
func TestFiltersOfPages(t *testing.T) {
	ds := sample.Jobs()
	d := two(t, `{"name":"here","field":"yard","pages":["One"],"default":["3"]},{"name":"all","field":"kind","default":["rework"]}`)
	reached := func(id string) string {
		w, err := d.Widget(id)
		require.NoError(t, err)
		r, err := d.Reach(w, ds, dashboard.State{}, nil, charts{ds}, "")
		require.NoError(t, err)
		assert.Empty(t, r.Missed)
		return strings.Join(r.Condition.Fields(), " ")
	}
	assert.Equal(t, "kind yard", reached("a"))
	assert.Equal(t, "kind", reached("b"), "of another page")
	page, err := d.Page("Two")
	require.NoError(t, err)
	r, err := d.ReachAll(page, &dashboard.Widget{}, ds, dashboard.State{}, nil, charts{ds})
	require.NoError(t, err)
	assert.Equal(t, []string{"kind"}, r.Condition.Fields())

	_, err = d.NamePage("One", "Uno")
	require.NoError(t, err)
	assert.Equal(t, []string{"Uno"}, d.Filter("here").Pages)
	_, err = d.CopyPage("Uno")
	require.NoError(t, err)
	assert.Equal(t, []string{"Uno", "Uno 2"}, d.Filter("here").Pages)
	_, err = d.RemovePage("Uno")
	require.NoError(t, err)
	assert.Equal(t, []string{"Uno 2"}, d.Filter("here").Pages)
	assert.Nil(t, d.Filter("all").Pages)
	_, err = d.RemovePage("Uno 2")
	require.NoError(t, err)
	assert.Equal(t, []string{"all"}, filters(d), "a filter of no page is gone with it")
	require.NoError(t, d.ChangeFilter(dashboard.Filter{Name: "all", Field: "kind", Label: " of ", Pages: []string{"Two"}}))
	assert.Equal(t, dashboard.Filter{Name: "all", Field: "kind", Label: "of"}, *d.Filter("all"), "on every page means on those to come, too")
}

// By which field a dataset answers is said of the dataset, and by a widget for itself.
func TestFieldsByWhichDatasetsAnswer(t *testing.T) {
	ds := sample.Jobs()
	f := dashboard.Filter{Name: "when", Kind: dashboard.Dates}
	w := &dashboard.Widget{}
	assert.Equal(t, "opened", f.FieldOf(w, ds))
	f.Answer(ds, "promised")
	assert.Equal(t, "promised", f.FieldOf(w, ds))
	assert.Equal(t, "opened", f.FieldOf(&dashboard.Widget{AnswersTo: map[string]string{"when": "opened"}}, ds))
	f.Answer(ds, "")
	assert.Empty(t, f.FieldOf(w, ds))
	f.Answer(ds, "opened")
	assert.Empty(t, f.Fields, "what is so by itself is not written down")
	f.Field = "promised"
	assert.Equal(t, "promised", f.FieldOf(w, ds))
	other := dashboard.Filter{Name: "x", Field: "elsewhere"}
	other.Answer(ds, "")
	assert.Empty(t, other.Fields)
	other.Answer(ds, "kind")
	assert.Equal(t, map[string]string{"jobs": "kind"}, other.Fields)

	names := func(f dashboard.Filter, like string) (out []string) {
		for _, x := range f.Could(ds, ds.Find(like)) {
			out = append(out, x.Name)
		}
		return out
	}
	assert.Contains(t, names(dashboard.Filter{Kind: dashboard.Dates}, ""), "promised")
	assert.NotContains(t, names(dashboard.Filter{Kind: dashboard.Dates}, ""), "kind")
	assert.Equal(t, []string{"late"}, names(dashboard.Filter{Kind: dashboard.YesNo}, "yard"))
	assert.Contains(t, names(dashboard.Filter{Field: "yard"}, "yard"), "yard")
	assert.NotContains(t, names(dashboard.Filter{Field: "yard"}, "yard"), "kind", "of other values")
	assert.NotContains(t, names(dashboard.Filter{Field: "x"}, ""), "secret")
}

// The most likely comes first: dates, then what charts divide by, then fields of few values.
func TestFiltersThatMayBeAdded(t *testing.T) {
	ds := sample.Jobs()
	d := two(t, "")
	said := func(page string) (out []string) {
		p, err := d.Page(page)
		require.NoError(t, err)
		all, err := d.Candidates(p, charts{ds})
		require.NoError(t, err)
		for _, c := range all {
			assert.Equal(t, []string{ds.Title}, c.Of)
			assert.Equal(t, 1, c.Widgets)
			out = append(out, fmt.Sprint(c.Kind, " ", c.Answers()))
		}
		return out
	}
	all := said("One")
	assert.Equal(t, []string{"date opened", " kind"}, all[:2])
	assert.NotContains(t, all, "date secret")
	assert.Contains(t, all, "date promised")
	assert.Contains(t, all, "number cost")
	assert.Contains(t, all, "yes or no late")
	_, err := d.AddFilter(dashboard.Filter{Kind: dashboard.Dates, Pages: []string{"One"}})
	require.NoError(t, err)
	_, err = d.AddFilter(dashboard.Filter{Kind: "values", Field: "kind"})
	require.NoError(t, err)
	assert.NotContains(t, said("One"), "date opened", "that is there already")
	assert.NotContains(t, said("One"), " kind")
	assert.Equal(t, "date opened", said("Two")[0], "it stands on the other page only")
}

func TestHiddenFiltersAreTheAuthors(t *testing.T) {
	d := two(t, `{"name":"x","field":"yard","shown":"hidden","default":["3"]},{"name":"y","field":"kind","one":true}`)
	assert.ErrorContains(t, state(t, `{"filters":{"x":null}}`).Check(d), "set by the dashboard's author")
	assert.ErrorContains(t, state(t, `{"filters":{"y":["a","b"]}}`).Check(d), "one value at a time")
	assert.NoError(t, state(t, `{"filters":{"y":["a"]}}`).Check(d))
}
