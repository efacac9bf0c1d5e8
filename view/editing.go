package view

import (
	"regexp"
	"slices"
	"strings"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/sentence"
)

// An EditedFilter is a filter as its author sees it.
type EditedFilter struct {
	dashboard.Filter
	Text    string // as a phrase: "opened in the last 12 months"
	Begins  string // what it is set to at first, alone: "in the last 12 months"
	Trouble string // why it does nothing here, and how that is mended
	Answers []Answering
}

// An Answering is a dataset that a filter may govern, with the field by which it answers.
type Answering struct {
	Dataset, Title string
	Now            string // "" for none
	Fields         []dashboard.Choice
}

// Editing are the filters of a page as their author sees them, under whose rules lists and
// numbers stand.
func (v *View) Editing(page *dashboard.Page) (out []EditedFilter, err error) {
	for i := range v.Doc.Filters {
		if f := &v.Doc.Filters[i]; f.On(page.Title) {
			e, err := v.edited(f)
			if err != nil {
				return nil, err
			}
			out = append(out, e)
		}
	}
	return out, nil
}

func (v *View) edited(f *dashboard.Filter) (e EditedFilter, err error) {
	e = EditedFilter{Filter: *f}
	if e.Text, e.Begins, err = v.begun(f); err != nil {
		return e, err
	}
	if e.Answers, err = v.answering(f); err != nil {
		return e, err
	}
	e.Trouble, err = v.trouble(f, e.Answers)
	return e, err
}

// begun says a filter as its author sees it, and alone what it begins with.
func (v *View) begun(f *dashboard.Filter) (text, begins string, err error) {
	called, err := v.called(f)
	switch {
	case err != nil || f.Shown == dashboard.Offered:
		return called, "", err
	case f.Default != nil && f.Default.Viewer != "":
		begins = "the viewer's " + f.Default.Viewer
		return called + " " + begins, begins, nil
	}
	text, err = v.phrase(f)
	return text, strings.TrimPrefix(text, called+" "), err
}

// governable are the datasets of a filter's pages.
func (v *View) governable(f *dashboard.Filter) (out []*dataset.Dataset, err error) {
	for _, p := range v.Doc.Pages {
		if !f.On(p.Title) {
			continue
		}
		on, err := v.datasets(&p)
		if err != nil {
			return nil, err
		}
		for _, s := range on {
			if !slices.ContainsFunc(out, func(ds *dataset.Dataset) bool { return ds.Name == s.ds.Name }) {
				out = append(out, s.ds)
			}
		}
	}
	return out, nil
}

// like is the field that a filter names, of the first dataset that has it; nil for none.
func like(f *dashboard.Filter, sets []*dataset.Dataset) *dataset.Field {
	for _, ds := range sets {
		if x := ds.Find(f.Field); x != nil {
			return x
		}
	}
	return nil
}

// answering are the datasets of a filter's pages that could answer to it.
func (v *View) answering(f *dashboard.Filter) (out []Answering, err error) {
	sets, err := v.governable(f)
	if err != nil {
		return nil, err
	}
	of := like(f, sets)
	for _, ds := range sets {
		a := Answering{Dataset: ds.Name, Title: ds.Title, Now: f.FieldOf(&dashboard.Widget{}, ds)}
		for _, x := range f.Could(ds, of) {
			a.Fields = append(a.Fields, dashboard.Choice{Name: x.Name, Label: x.Label, Chosen: x.Name == a.Now})
		}
		if len(a.Fields) > 0 {
			out = append(out, a)
		}
	}
	return out, nil
}

// trouble tells what keeps a filter from doing what it says.
func (v *View) trouble(f *dashboard.Filter, answers []Answering) (string, error) {
	_, ds, name, err := v.governed(f)
	if err != nil {
		return "", err
	}
	switch {
	case ds == nil && len(answers) == 0:
		return "Nothing on its pages has such a field any more: take this filter off.", nil
	case ds == nil:
		return "Nothing on its pages answers to it: choose by which field, or take it off.", nil
	case f.Default == nil || len(f.Default.Values) == 0 || f.Kind == dashboard.YesNo:
		return "", nil
	}
	values, err := v.Values(f.Name, "")
	if err != nil {
		return "", err
	}
	var gone []string
	for _, k := range f.Default.Values {
		if k.Is != nil && !slices.ContainsFunc(values, func(l ListedValue) bool { return l.Key == *k.Is }) {
			gone = append(gone, *k.Is)
		}
	}
	if len(gone) == 0 {
		return "", nil
	}
	return "It begins with “" + strings.Join(gone, "”, “") + "”, which no " + ds.Record[0] + " has as its " + locale.Lower(ds.Label(name)) + " any more: choose again what it begins with.", nil
}

// A Reaching is what reaches what on a page, in words.
type Reaching struct {
	Columns []Reached
	Rows    []ReachRow
}

// A Reached is a widget of a page.
type Reached struct {
	ID, Title string
	Waits     bool
}

// A ReachRow is a filter, or a click on a widget.
type ReachRow struct {
	Filter, Widget string // its name, or its id
	Says           string // the filter's phrase, or the widget's title
	Selects        []dashboard.Choice
	Cells          []ReachCell
}

// A ReachCell is what a filter, or a click, does to a widget.
type ReachCell struct {
	On     string
	Says   string // the fields by which it is narrowed; "" where it is not
	Why    string // why it is not, or not by all
	Self   bool
	Part   bool // not by all that is chosen
	Within bool // highlighted instead of narrowed
	Title  string
}

// Reaching shows what reaches what on a page.
func (v *View) Reaching(page *dashboard.Page) (*Reaching, error) {
	m, out := v.Doc.Matrix(page, v), &Reaching{}
	for _, c := range m.Columns {
		out.Columns = append(out.Columns, Reached{c.ID, v.Called(c.Widget), c.Waits})
	}
	for _, r := range m.Rows {
		row, err := v.reachRow(r)
		if err != nil {
			return nil, err
		}
		for i, c := range r.Cells {
			row.Cells = append(row.Cells, reachCell(c, out.Columns[i].Title))
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// reachRow says what a row is of, without its cells.
func (v *View) reachRow(r dashboard.Row) (row ReachRow, err error) {
	if r.Filter == nil {
		return ReachRow{Widget: r.Widget.ID, Says: v.Called(r.Widget.Widget), Selects: r.Widget.Selects()}, nil
	}
	row.Filter = r.Filter.Name
	row.Says, _, err = v.begun(r.Filter)
	return row, err
}

func reachCell(c dashboard.Cell, title string) ReachCell {
	var missing []string
	for _, label := range c.Missing {
		missing = append(missing, locale.Lower(label))
	}
	out := ReachCell{On: c.On.ID, Title: title, Self: c.Self, Says: strings.Join(c.By, ", "), Part: len(c.Missing) > 0}
	switch {
	case c.Self:
		out.Says = ""
	case c.Spared:
		out.Says, out.Part, out.Why = "", false, "as you want it"
	case c.Instead:
		out.Says, out.Why = "", "its own condition on "+locale.Lower(c.By[0])+" stands instead"
	case c.Within && len(c.By) > 0:
		out.Within = true
	case len(c.By) == 0 && len(c.Missing) > 0:
		out.Part, out.Why = false, c.On.Dataset.Title+" have no "+strings.Join(missing, ", no ")
	case len(c.By) == 0:
		out.Why = c.On.Dataset.Title + " have no such field"
	case out.Part:
		out.Why = "not by " + strings.Join(missing, ", ")
	}
	return out
}

// A ReachChoice is what may be chosen for one cell of what reaches what.
type ReachChoice struct {
	Row     ReachRow
	Cell    ReachCell
	Dataset string               // the title of what the widget shows
	Name    string               // and its name
	Fields  []dashboard.Choice   // of a filter: by which it may answer
	Usual   string               // of a filter: the field by which the dataset answers, "" for none
	Own     bool                 // and whether the widget says otherwise
	Answers []dashboard.Answered // of a click: by which fields it answers
}

// ReachChoices are the choices for a cell: of a filter by its name, or of a click by the widget's id.
func (v *View) ReachChoices(page *dashboard.Page, filter, from, on string) (*ReachChoice, error) {
	for _, r := range v.Doc.Matrix(page, v).Rows {
		if r.Filter != nil && r.Filter.Name != filter || r.Widget != nil && r.Widget.ID != from {
			continue
		}
		if n := slices.IndexFunc(r.Cells, func(c dashboard.Cell) bool { return c.On.ID == on }); n >= 0 {
			return v.reachChoice(r, r.Cells[n])
		}
	}
	return nil, problem.New(problem.NotFound, "", "This has changed meanwhile: look at it again.")
}

func (v *View) reachChoice(r dashboard.Row, c dashboard.Cell) (*ReachChoice, error) {
	row, err := v.reachRow(r)
	if err != nil {
		return nil, err
	}
	out := &ReachChoice{Row: row, Cell: reachCell(c, v.Called(c.On.Widget)), Dataset: c.On.Dataset.Title, Name: c.On.Dataset.Name}
	if r.Filter == nil {
		out.Answers = r.Widget.Answers(c.On.Dataset)
		return out, nil
	}
	sets, err := v.governable(r.Filter)
	if err != nil {
		return nil, err
	}
	now := r.Filter.FieldOf(c.On.Widget, c.On.Dataset)
	for _, x := range r.Filter.Could(c.On.Dataset, like(r.Filter, sets)) {
		out.Fields = append(out.Fields, dashboard.Choice{Name: x.Name, Label: x.Label, Chosen: x.Name == now})
	}
	if _, out.Own = c.On.AnswersTo[r.Filter.Name]; out.Own {
		if name := r.Filter.FieldOf(&dashboard.Widget{}, c.On.Dataset); name != "" {
			out.Usual = c.On.Dataset.Label(name)
		}
	}
	return out, nil
}

// Called is what a widget is called: a chart by its title, words by how they begin.
func (v *View) Called(w *dashboard.Widget) string {
	if w.Chart == nil {
		return begins(w.Text)
	}
	doc, ds, err := v.Document(w)
	if err == nil {
		return sentence.Title(doc, ds)
	}
	if own := w.Chart.Own; own != nil && own.Title != "" {
		return own.Title
	}
	return "a chart"
}

// Says is what the chart of a widget says of itself, "" for words and for what cannot be read.
func (v *View) Says(w *dashboard.Widget) string {
	doc, ds, err := v.Document(w)
	if err != nil || doc == nil {
		return ""
	}
	return v.Engine.says(v.ctx, doc, ds, v.Viewer)
}

var (
	linked  = regexp.MustCompile(`!?\[([^\]]*)\]\([^)]*\)`)
	markers = strings.NewReplacer("*", "", "#", "", "`", "", "_", "", ">", "")
)

// begins is how a text begins, without its Markdown.
func begins(text string) string {
	first, _, _ := strings.Cut(strings.TrimSpace(markers.Replace(linked.ReplaceAllString(text, "$1"))), "\n")
	if r := []rune(strings.TrimSpace(first)); len(r) > 40 {
		return strings.TrimSpace(string(r[:40])) + " …"
	} else if len(r) > 0 {
		return string(r)
	}
	return "Text"
}
