package dashboard_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
)

// told calls a chart by its title, and has it say what it groups by.
type told struct{}

func (told) Called(w *dashboard.Widget) string {
	if w.Chart == nil {
		return w.Text
	}
	return w.Chart.Own.Title
}

func (told) Says(w *dashboard.Widget) string {
	if w.Chart == nil {
		return ""
	}
	var by []string
	for _, d := range w.Chart.Own.Dimensions() {
		by = append(by, d.Field)
	}
	return "jobs by " + strings.Join(by, " and ")
}

func TestChangesInWords(t *testing.T) {
	const chart = `"chart":{"version":2,"dataset":"jobs","title":"Jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"form":"bars"}`
	base := `{"version":1,"name":"d","title":"D","filters":[{"name":"when","kind":"date","label":"opened","default":"this year"},{"name":"where","field":"yard"}],
		"pages":[{"title":"One","widgets":[{"id":"a","at":[0,0,6,4],` + chart + `},{"id":"t","at":[6,0,6,1],"text":"Hello"}]},{"title":"Two","widgets":[{"id":"b","at":[0,0,6,4],` + strings.Replace(chart, "Jobs", "More", 1) + `}]}],"viewers_may":["records"]}`
	for _, c := range []struct {
		was, is string // what is put in the place of what, over and over
		want    []string
	}{
		{"", "", nil},
		{`"title":"D"`, `"title":"E","answers":"What is late"`, []string{"The title is “E”, was “D”.", "What it answers is added: “What is late”."}},
		{`"title":"One"`, `"title":"Uno"`, []string{"The page One is called Uno."}},
		{`{"title":"Two"`, `{"title":"Between","widgets":[]},{"title":"Two"`, []string{"The page Between is added."}},
		{`"by":[{"field":"kind"}],"form":"bars"}},{"id":"t"`, `"by":[{"field":"yard"}],"form":"bars"}},{"id":"t"`, []string{"“Jobs” is jobs by yard; was jobs by kind."}},
		{`"title":"Jobs"`, `"title":"Jobs by kind"`, []string{"“Jobs” is called “Jobs by kind”."}},
		{`"form":"bars"}},{"id":"t"`, `"form":"columns"}},{"id":"t"`, []string{"“Jobs” is finished otherwise."}},
		{`,{"id":"t","at":[6,0,6,1],"text":"Hello"}`, ``, []string{"“Hello” is taken off One."}},
		{`"text":"Hello"}`, `"text":"Hello"},{"id":"c","at":[0,9,6,4],` + chart + `}`, []string{"“Jobs” is added to One: jobs by kind."}},
		{`"text":"Hello"`, `"text":"Hi"`, []string{"“Hi” says something else."}},
		{`"at":[6,0,6,1]`, `"at":[6,0,5,2]`, []string{"Widgets of One are placed or sized anew."}},
		{`"at":[6,0,6,1]`, `"at":[6,0,6,1],"scale":"s"`, []string{"“Hello” shares the scale “s”."}},
		{`"default":"this year"`, `"default":"last year","pages":["One"]`, []string{"The filter “opened” begins with something else.", "The filter “opened” stands on other pages."}},
		{`"label":"opened"`, `"label":"from"`, []string{"The filter “opened” is called “from”."}},
		{`"field":"yard"`, `"field":"yard","one":true`, []string{"The filter “where” narrows otherwise."}},
		{`"field":"yard"`, `"field":"yard","shown":"hidden"`, []string{"The filter “where” is hidden from readers."}},
		{`,{"name":"where","field":"yard"}`, ``, []string{"The filter “where” is taken off."}},
		{`{"name":"where"`, `{"name":"of","field":"kind"},{"name":"where"`, []string{"The filter “of” is added."}},
		{`{"name":"when","kind":"date","label":"opened","default":"this year"},{"name":"where","field":"yard"}`, `{"name":"where","field":"yard"},{"name":"when","kind":"date","label":"opened","default":"this year"}`, []string{"The filters stand in another order."}},
		{`["records"]`, `["ask"]`, []string{"Readers may no longer list the records behind marks.", "Readers may ask questions of their own."}},
		{`"at":[6,0,6,1]`, `"at":[6,0,6,1],"waits":true,"click":{"selects":["kind"]},"answers_to":{"when":""}`, []string{"“Hello” answers to filters otherwise.", "A click on “Hello” does something else to others.", "“Hello” shows nothing until a click reaches it."}},
	} {
		was, err := dashboard.Read([]byte(base))
		require.NoError(t, err)
		changed := base
		if c.was != "" {
			changed = strings.Replace(base, c.was, c.is, 1)
			require.NotEqual(t, base, changed, c.was)
		}
		is, err := dashboard.Read([]byte(changed))
		require.NoError(t, err, c.is)
		assert.Equal(t, c.want, dashboard.Changes(was, is, told{}, told{}), c.is)
	}

	was, err := dashboard.Read([]byte(base))
	require.NoError(t, err)
	is, err := dashboard.Read([]byte(base))
	require.NoError(t, err)
	is.Pages[0], is.Pages[1] = is.Pages[1], is.Pages[0]
	assert.Equal(t, []string{"The pages stand in another order: Two, One."}, dashboard.Changes(was, is, told{}, told{}))
	is.Pages[0].Widgets, is.Pages[1].Widgets = []dashboard.Widget{}, append(is.Pages[1].Widgets, is.Pages[0].Widgets...)
	assert.Equal(t, []string{"The pages stand in another order: Two, One.", "“More” stands on One, no longer on Two."}, dashboard.Changes(was, is, told{}, told{}))
	is.Pages = is.Pages[1:]
	assert.Contains(t, dashboard.Changes(was, is, told{}, told{}), "The page Two is taken off.")
	is.Pages[0].Widgets[0].Chart = &dashboard.Chart{Library: "x", Version: 2}
	is.Pages[0].Widgets[0].Text = ""
	was.Pages[0].Widgets[0].Chart = &dashboard.Chart{Library: "x", Version: 1}
	is.Pages[0].Widgets = is.Pages[0].Widgets[:1]
	was.Pages = was.Pages[:1]
	was.Pages[0].Widgets = was.Pages[0].Widgets[:1]
	assert.Equal(t, []string{"“of the library” is version 2 of the library's, was 1."}, dashboard.Changes(was, is, ofLibrary{}, ofLibrary{}))
}

type ofLibrary struct{ told }

func (ofLibrary) Called(*dashboard.Widget) string { return "of the library" }
