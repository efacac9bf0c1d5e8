package live

import (
	"context"
	"errors"
	"fmt"
	"sort"
	"strings"
	"time"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/sentence"
)

// A View is a dashboard as one viewer sees it in one state.
type View struct {
	Engine  *Engine
	Doc     *dashboard.Document
	Version int // 0 for the draft
	Viewer  rule.Viewer
	State   dashboard.State
	ctx     context.Context
}

// NewView checks the state against the document. ctx is that of the request.
func (e *Engine) NewView(ctx context.Context, d *dashboard.Document, version int, v rule.Viewer, s dashboard.State) (*View, error) {
	return &View{e, d, version, v, s, ctx}, s.Check(d)
}

// Document returns the chart document on a widget and its dataset; nil for a text.
func (v *View) Document(w *dashboard.Widget) (*chart.Document, *dataset.Dataset, error) {
	if w.Chart == nil {
		return nil, nil, nil
	}
	doc := w.Chart.Own
	if w.Chart.Library != "" {
		var err error
		if doc, err = v.Engine.Library(v.ctx, w.Chart.Library); err != nil {
			return nil, nil, err
		}
	}
	ds, err := v.Engine.Dataset(v.ctx, doc.Dataset)
	return doc, ds, err
}

// Chart is Document for dashboard.Reach.
func (v *View) Chart(w *dashboard.Widget) (query.Definition, *dataset.Dataset, error) {
	doc, ds, err := v.Document(w)
	if doc == nil {
		return query.Definition{}, nil, err
	}
	return doc.Definition, ds, err
}

// An Answer is what a widget shows.
type Answer struct {
	Title    string          `json:"title"`
	Form     string          `json:"form"`
	Sentence string          `json:"sentence"`
	Notes    []string        `json:"notes,omitempty"` // what is left out, and what does not reach it
	Fresh    string          `json:"fresh"`           // when its records were read
	Drawing  *chart.Drawing  `json:"drawing,omitempty"`
	Grid     *chart.Grid     `json:"grid,omitempty"`
	Figures  []chart.Figure  `json:"figures,omitempty"`
	Records  *Page           `json:"records,omitempty"`
	Nothing  string          `json:"nothing,omitempty"` // why there is nothing to show
	Whole    query.Reference `json:"whole"`             // leads to all records of the chart
	Text     string          `json:"text,omitempty"`
}

// Widget answers one widget.
func (v *View) Widget(id string) (*Answer, error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return nil, err
	}
	doc, ds, err := v.Document(w)
	if err != nil {
		return nil, err
	}
	if doc == nil {
		return &Answer{Form: "text", Text: w.Text}, nil
	}
	reach, err := v.Doc.Reach(w, ds, v.State, v.Viewer.Attributes, v, "")
	if err != nil {
		return nil, err
	}
	a, err := v.Engine.Answer(v.ctx, doc, ds, v.Viewer, v.Engine.Setting(ds, v.Viewer, reach.Condition, time.Time{}), v.Version)
	if a != nil {
		for _, m := range reach.Missed {
			a.Notes = append(a.Notes, "Not narrowed by “"+m+"”: "+ds.Title+" have no such field.")
		}
		if a.Nothing != "" && len(v.State.Narrow) > 0 {
			a.Nothing = "Nothing found for “" + v.State.Narrow[len(v.State.Narrow)-1].Words + "”."
		}
	}
	return a, err
}

// Answer computes a chart. An incomplete chart is answered with what is missing.
func (e *Engine) Answer(ctx context.Context, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting, version int) (*Answer, error) {
	a := &Answer{Title: sentence.Title(doc, ds), Form: doc.Form.Kind, Sentence: sentence.Text(doc, ds)}
	if missing := sentence.Missing(doc, ds); missing != "" {
		a.Nothing = missing
		return a, nil
	}
	if doc.Form == chart.Records {
		p := query.NewList(ds, s, query.PageSize)
		if err := p.Choose(doc.Show, doc.Where); err != nil {
			return nil, err
		}
		l, err := e.Records(ctx, p, v)
		if err != nil {
			return nil, err
		}
		a.Records = NewPage(l)
		a.Fresh = e.fresh(ds, l.At)
		a.Whole = query.Reference{Version: version, Now: s.Now}
		return a, nil
	}
	t, at, err := e.Table(ctx, doc.Definition, ds, v, s)
	if err != nil {
		return nil, err
	}
	a.Fresh = e.fresh(ds, at)
	a.Whole = t.Reference(version, 0, nil)
	a.Notes = append(a.Notes, notes(t)...)
	if t.IsEmpty() && doc.Form != chart.KeyFigures {
		a.Nothing = "Nothing found: no " + ds.Record[1] + " meet what is set."
		return a, nil
	}
	switch doc.Form {
	case chart.KeyFigures:
		a.Figures = chart.Figures(t)
	case chart.Table:
		a.Grid = chart.MakeGrid(t, version)
	default:
		if a.Drawing, err = chart.Draw(t, doc.Form, version); err != nil {
			if p := problem.Of(err); p != nil && p.Code == problem.TooMany {
				a.Nothing = p.Words
				return a, nil
			}
			return nil, err
		}
		a.Grid = chart.MakeGrid(t, version)
	}
	return a, nil
}

func (e *Engine) fresh(ds *dataset.Dataset, at time.Time) string {
	words := "as of " + at.In(e.Calendar.Zone).Format("15:04:05")
	if !e.Hub.Heard(ds.Source) || !ds.Table.Watched {
		return words + ", not live"
	}
	return words + ", live"
}

// notes says what a chart leaves out.
func notes(t *calc.Table) []string {
	var out []string
	ds := t.Plan.Dataset
	for _, u := range t.Unplaced {
		records, are := ds.Record[1], "are"
		if u.Count == 1 {
			records, are = ds.Record[0], "is"
		}
		label := strings.ToLower(ds.Label(u.Field))
		why := map[string]string{
			"none":    "%s %s without a date in “%s” %s not shown.",
			"outside": "%s %s whose “%s” lies far outside the others %s not shown.",
			"later":   "%s %s whose “%s” lies in the future %s not shown.",
		}[u.Why]
		out = append(out, fmt.Sprintf(why, format.Count(u.Count), records, label, are))
	}
	return out
}

// A Page is a page of records as text.
type Page struct {
	Heading string
	Head    []chart.Heading
	Names   []string // of the fields, for sorting by them
	Rows    []Record
	Number  int // from 0
	Pages   int
	Count   int64
	Total   string // the measure over all records, "" for a count
	Exact   string
	Sort    string
	Down    bool
}

// A Record is one record as text, with its address in the host app.
type Record struct {
	Address string
	Cells   []chart.Cell
}

// NewPage writes a list of records as text.
func NewPage(l *List) *Page {
	p := l.Plan
	ds := p.Dataset
	page := &Page{Number: p.Page, Count: l.Count, Sort: p.Sort, Down: p.Descending, Exact: l.Value.Exact(), Pages: int(l.Count+query.PageSize-1) / query.PageSize}
	links := ds.LinkColumns()
	for _, f := range p.Fields {
		page.Head = append(page.Head, chart.Heading{Label: f.Label, Number: f.Type.Numeric() && !f.IsLink()})
		page.Names = append(page.Names, f.Name)
	}
	for _, row := range l.Rows {
		var r Record
		if ds.OpenRecord != "" {
			var values []string
			for i := range links {
				values = append(values, row[i].Exact())
			}
			r.Address = ds.Address(values)
		}
		for i, f := range p.Fields {
			v := row[len(links)+i]
			n := format.ParseNumber(f.Format, f.Unit, -1)
			if f.Unit != "" && f.Format == "" && f.Type.Numeric() {
				n = format.ParseNumber("0.00", f.Unit, -1)
			}
			text := n.Value(v)
			if f.Zoned && !v.IsEmpty() {
				text = format.Time(v.Time().In(p.Zone()))
			}
			r.Cells = append(r.Cells, chart.Cell{Text: text, Number: f.Type.Numeric() && !f.IsLink()})
		}
		page.Rows = append(page.Rows, r)
	}
	if p.Measure.Field != query.Records {
		f, _ := ds.Field(p.Measure.Field)
		page.Total = chart.MeasureLabel(p.Measure, ds) + " " + format.Of(p.Measure, f).Value(l.Value)
	}
	record := ds.Record[1]
	if l.Count == 1 {
		record = ds.Record[0]
	}
	page.Heading = format.Count(l.Count) + " " + record
	return page
}

// Records lists the records behind a mark of a widget, or all of its records when the
// reference has no keys. words is what the mark called itself.
func (v *View) Records(id string, ref query.Reference, words string, page int, sort string, down bool) (*Page, error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return nil, err
	}
	doc, ds, err := v.Document(w)
	if err != nil {
		return nil, err
	}
	if doc == nil {
		return nil, problem.New(problem.NotFound, "widget", "A text has no records.")
	}
	reach, err := v.Doc.Reach(w, ds, v.State, v.Viewer.Attributes, v, "")
	if err != nil {
		return nil, err
	}
	return v.Engine.Drawer(v.ctx, doc, ds, v.Viewer, v.Engine.Setting(ds, v.Viewer, reach.Condition, ref.Now), ref, words, page, sort, down)
}

// Drawer lists the records behind a mark of a chart, with the mark's measure computed
// from them on the same snapshot. If that is no longer what the mark shows, it says so.
func (e *Engine) Drawer(ctx context.Context, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting, ref query.Reference, words string, page int, sort string, down bool) (*Page, error) {
	p, err := query.NewRecords(doc.Definition, ds, s, ref)
	if err != nil {
		return nil, err
	}
	if err := p.By(page, sort, down); err != nil {
		return nil, err
	}
	l, err := e.Records(ctx, p, v)
	if err != nil {
		return nil, err
	}
	out := NewPage(l)
	if out.Total != "" {
		out.Heading += ", " + strings.ToLower(out.Total[:1]) + out.Total[1:]
	}
	if words != "" {
		out.Heading += ", " + words
	}
	if was := ref.Was; was != "" && was != out.Exact {
		out.Heading += fmt.Sprintf(" — was %s when the chart was drawn", format.Group(was))
	}
	return out, nil
}

// Tables returns what the widgets of a page, or one widget, depend on: widget → tables.
func (v *View) Tables(widgets []dashboard.Widget) (map[string]map[string]bool, error) {
	out := map[string]map[string]bool{}
	var failed error
	for i := range widgets {
		_, ds, err := v.Document(&widgets[i])
		if err != nil {
			failed = errors.Join(failed, err)
			continue
		}
		if ds == nil {
			continue
		}
		tables := map[string]bool{}
		for _, t := range ds.Tables() {
			tables[id(ds.Source, t)] = true
		}
		out[widgets[i].ID] = tables
	}
	return out, failed
}

// A Line is the reading line.
type Line struct {
	Record  string // what is counted: "jobs"
	Filters []LineFilter
	Rules   string // the row rule in words, "" when all records may be seen
	Narrow  []string
	Some    string
	All     string
	Changed bool // the state differs from the standard view
}

// A LineFilter is a phrase of the reading line that a filter makes.
type LineFilter struct {
	Name string
	Text string
}

// main is the dataset that the reading line counts: that of most widgets, the first of equals.
func (v *View) main() (*dashboard.Widget, *dataset.Dataset, error) {
	count := map[string]int{}
	var widgets []*dashboard.Widget
	var sets []*dataset.Dataset
	for p := range v.Doc.Pages {
		for w := range v.Doc.Pages[p].Widgets {
			widget := &v.Doc.Pages[p].Widgets[w]
			_, ds, err := v.Document(widget)
			if err != nil {
				return nil, nil, err
			}
			if ds != nil {
				count[ds.Name]++
				widgets, sets = append(widgets, widget), append(sets, ds)
			}
		}
	}
	if len(sets) == 0 {
		return nil, nil, nil
	}
	best := 0
	for i := range sets {
		if count[sets[i].Name] > count[sets[best].Name] {
			best = i
		}
	}
	return widgets[best], sets[best], nil
}

// Line makes the reading line: what is shown, and of how many records.
func (v *View) Line() (*Line, error) {
	l := &Line{Changed: len(v.State.Filters)+len(v.State.Narrow) > 0}
	w, ds, err := v.main()
	if err != nil || ds == nil {
		return l, err
	}
	l.Record, l.Rules = ds.Record[1], rule.Words(ds, v.Viewer)
	for i := range v.Doc.Filters {
		text, err := v.phrase(&v.Doc.Filters[i])
		if err != nil {
			return nil, err
		}
		l.Filters = append(l.Filters, LineFilter{v.Doc.Filters[i].Name, text})
	}
	for _, n := range v.State.Narrow {
		l.Narrow = append(l.Narrow, n.Words)
	}
	// The click on a widget narrows the others: the count follows the others.
	reach, err := v.Doc.Reach(&dashboard.Widget{ID: "", AnswersTo: w.AnswersTo}, ds, v.State, v.Viewer.Attributes, v, "")
	if err != nil {
		return nil, err
	}
	some, all, err := v.Engine.Count(v.ctx, ds, v.Viewer, reach.Condition)
	if err != nil {
		return nil, err
	}
	l.Some, l.All = format.Count(some), format.Count(all)
	return l, nil
}

// phrase says what a filter is set to.
func (v *View) phrase(f *dashboard.Filter) (string, error) {
	label := f.Label
	if label == "" {
		label = f.Name
	}
	set := f.Setting(v.State)
	if set != nil && set.Range != nil {
		return label + " " + set.Range.Words(), nil
	}
	chosen := v.chosen(set)
	if len(chosen) == 0 {
		if f.IsDate() {
			return label + " at any time", nil
		}
		_, ds, _, err := v.governed(f)
		if err != nil || ds == nil {
			return label + " any", err
		}
		return label + " any " + strings.ToLower(ds.Label(f.Field)), nil
	}
	values, err := v.Values(f.Name, "")
	if err != nil {
		return "", err
	}
	var names []string
	for _, value := range values {
		if value.Chosen {
			names = append(names, value.Label)
		}
	}
	sort.Strings(names)
	return label + " " + strings.Join(names, " or "), nil
}

// chosen returns the keys that a setting chooses, with the viewer's attributes put in.
func (v *View) chosen(set *dashboard.Setting) []query.KeyRef {
	if set == nil {
		return nil
	}
	if set.Viewer == "" {
		return set.Values
	}
	var out []query.KeyRef
	for _, value := range v.Viewer.Attributes.Values(set.Viewer) {
		out = append(out, query.KeyRef{Is: &value})
	}
	return out
}

// governed finds the first widget that a filter reaches.
func (v *View) governed(f *dashboard.Filter) (*dashboard.Widget, *dataset.Dataset, string, error) {
	for p := range v.Doc.Pages {
		for i := range v.Doc.Pages[p].Widgets {
			w := &v.Doc.Pages[p].Widgets[i]
			_, ds, err := v.Document(w)
			if err != nil {
				return nil, nil, "", err
			}
			if ds == nil {
				continue
			}
			if name := f.FieldOf(w, ds); name != "" {
				return w, ds, name, nil
			}
		}
	}
	return nil, nil, "", nil
}

// A ListedValue is one value in a filter's list.
type ListedValue struct {
	Key    string
	None   bool
	Label  string
	Count  string
	Chosen bool
}

// Values lists the values of a filter: those that the other filters leave, under the
// viewer's rules, with their numbers of records. Values already chosen stay listed.
func (v *View) Values(name, search string) ([]ListedValue, error) {
	var f *dashboard.Filter
	for i := range v.Doc.Filters {
		if v.Doc.Filters[i].Name == name {
			f = &v.Doc.Filters[i]
		}
	}
	if f == nil || f.IsDate() {
		return nil, problem.New(problem.NotFound, "filter", "The dashboard has no such list of values.")
	}
	w, ds, fieldName, err := v.governed(f)
	if err != nil || ds == nil {
		return nil, err
	}
	chosen := v.chosen(f.Setting(v.State))
	is := func(key string, none bool) bool {
		for _, c := range chosen {
			if c.None == none && (none || c.Is != nil && *c.Is == key) {
				return true
			}
		}
		return false
	}
	ask := func(c filter.Condition) ([]ListedValue, error) {
		p, err := query.NewValues(ds, fieldName, v.Engine.Setting(ds, v.Viewer, c, time.Time{}), search)
		if err != nil {
			return nil, err
		}
		rows, err := v.Engine.Values(v.ctx, p, v.Viewer)
		if err != nil {
			return nil, err
		}
		var out, last []ListedValue
		for _, r := range rows {
			n, _ := r[2].Decimal().Int64()
			value := ListedValue{Key: r[0].Exact(), Label: format.Number{Decimals: -1}.Value(r[1]), Count: format.Count(n), Chosen: is(r[0].Exact(), r[0].IsEmpty())}
			if r[0].IsEmpty() {
				value.None, value.Label = true, "(none)"
				last = append(last, value)
				continue
			}
			out = append(out, value)
		}
		return append(out, last...), nil
	}
	reach, err := v.Doc.Reach(w, ds, v.State, v.Viewer.Attributes, v, name)
	if err != nil {
		return nil, err
	}
	out, err := ask(reach.Condition)
	if err != nil {
		return nil, err
	}
	listed := map[string]bool{}
	for _, value := range out {
		listed[value.Key] = true
	}
	var missing []string
	for _, c := range chosen {
		if c.Is != nil && !listed[*c.Is] {
			missing = append(missing, *c.Is)
		}
	}
	if len(missing) > 0 {
		more, err := ask(filter.Compare(fieldName, filter.OneOf, missing...))
		if err != nil {
			return nil, err
		}
		for _, value := range more {
			value.Count = "0"
			out = append(out, value)
		}
	}
	return out, nil
}
