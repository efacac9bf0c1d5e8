package dashboard_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
)

// paged is a dashboard with pages, each with one text.
func paged(t *testing.T, titles ...string) *dashboard.Document {
	var pages []string
	for i, title := range titles {
		pages = append(pages, `{"title":"`+title+`","widgets":[{"id":"`+string(rune('a'+i))+`","at":[0,0,6,2],"text":"`+title+`"}]}`)
	}
	d, err := dashboard.Read([]byte(`{"version":1,"name":"pages","title":"Pages","pages":[` + strings.Join(pages, ",") + `]}`))
	require.NoError(t, err)
	return d
}

func titles(d *dashboard.Document) (out []string) {
	for _, p := range d.Pages {
		out = append(out, p.Title)
	}
	return out
}

func TestPagesAreArranged(t *testing.T) {
	for name, c := range map[string]struct {
		do   func(d *dashboard.Document) (string, error)
		want []string
		now  string
	}{
		"added at the end":            {func(d *dashboard.Document) (string, error) { return d.AddPage("") }, []string{"One", "Two", "Three", "Page"}, "Page"},
		"a name that is taken":        {func(d *dashboard.Document) (string, error) { return d.AddPage("Two") }, []string{"One", "Two", "Three", "Two 2"}, "Two 2"},
		"named":                       {func(d *dashboard.Document) (string, error) { return d.NamePage("Two", " Deux ") }, []string{"One", "Deux", "Three"}, "Deux"},
		"named as it is":              {func(d *dashboard.Document) (string, error) { return d.NamePage("Two", "Two") }, []string{"One", "Two", "Three"}, "Two"},
		"earlier":                     {func(d *dashboard.Document) (string, error) { return d.MovePage("Three", -1) }, []string{"One", "Three", "Two"}, "Three"},
		"no earlier than the first":   {func(d *dashboard.Document) (string, error) { return d.MovePage("One", -1) }, []string{"One", "Two", "Three"}, "One"},
		"later":                       {func(d *dashboard.Document) (string, error) { return d.MovePage("One", 1) }, []string{"Two", "One", "Three"}, "One"},
		"copied behind it":            {func(d *dashboard.Document) (string, error) { return d.CopyPage("One") }, []string{"One", "One 2", "Two", "Three"}, "One 2"},
		"taken off, the next follows": {func(d *dashboard.Document) (string, error) { return d.RemovePage("Two") }, []string{"One", "Three"}, "Three"},
		"the last one taken off":      {func(d *dashboard.Document) (string, error) { return d.RemovePage("Three") }, []string{"One", "Two"}, "Two"},
	} {
		d := paged(t, "One", "Two", "Three")
		now, err := c.do(d)
		require.NoError(t, err, name)
		assert.Equal(t, c.want, titles(d), name)
		assert.Equal(t, c.now, now, name)
		_, err = dashboard.Read(d.JSON())
		assert.NoError(t, err, "%s: it is a dashboard still, each widget with an id of its own", name)
	}
	d := paged(t, "One")
	_, err := d.CopyPage("One")
	require.NoError(t, err)
	assert.Equal(t, []string{"One", "One"}, []string{d.Pages[0].Widgets[0].Text, d.Pages[1].Widgets[0].Text})
	assert.NotEqual(t, d.Pages[0].Widgets[0].ID, d.Pages[1].Widgets[0].ID)
}

func TestWhatCannotBeDoneWithPages(t *testing.T) {
	full := paged(t, "One", "Two")
	for len(full.Pages) < dashboard.MostPages {
		_, err := full.AddPage("More")
		require.NoError(t, err)
	}
	for words, do := range map[string]func() (string, error){
		"no page “Four”":                           func() (string, error) { return paged(t, "One").NamePage("Four", "x") },
		"What is the page called?":                 func() (string, error) { return paged(t, "One").NamePage("One", " ") },
		"at most 60 letters":                       func() (string, error) { return paged(t, "One").NamePage("One", strings.Repeat("ö", 61)) },
		"There is a page called “Two” already.":    func() (string, error) { return paged(t, "One", "Two").NamePage("One", "Two") },
		"at least one page":                        func() (string, error) { return paged(t, "One").RemovePage("One") },
		"at most 20 pages":                         func() (string, error) { return full.CopyPage("One") },
		"at most 20 pages; what belongs together ": func() (string, error) { return full.AddPage("x") },
		"The dashboard has no page “Five”.":        func() (string, error) { return paged(t, "One").MovePage("Five", 1) },
		"The dashboard has no page “Six”.":         func() (string, error) { return paged(t, "One").RemovePage("Six") },
		"The dashboard has no page “Seven”.":       func() (string, error) { return paged(t, "One").CopyPage("Seven") },
	} {
		_, err := do()
		require.Error(t, err, words)
		assert.Contains(t, problem.Of(err).Words, words)
	}
}
