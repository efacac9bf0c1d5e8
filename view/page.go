package view

import (
	"context"
	"fmt"
	"slices"
	"time"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/marks"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/sentence"
	"eskadel/live"
)

// A Page is a page of records as text.
type Page struct {
	Heading string          `json:"heading"`
	Head    []chart.Heading `json:"head"`
	Names   []string        `json:"names"` // of the fields, for sorting by them
	Rows    []Record        `json:"rows"`
	Number  int             `json:"number"` // from 0
	Pages   int             `json:"pages"`
	Count   int64           `json:"count"`
	Total   string          `json:"total"` // the measure over all records, "" for a count
	Exact   string          `json:"exact"`
	Sort    string          `json:"sort"`
	Down    bool            `json:"descending"`
	Columns []Column        `json:"-"` // that may be shown: those that are, in order, then the others
	Edits   []string        `json:"-"` // of Names, the fields that whoever looks may change
}

// A Column is a field that may be shown of records.
type Column struct {
	Name, Label string
	On          bool
}

// A Paging says which page of records is wanted, of which fields and in which order.
type Paging struct {
	Words   string // what the mark called itself
	Page    int    // from 0
	Sort    string
	Down    bool
	Columns []string // all visible ones when there are none
}

// A Record is one record as text, with its address in the host app.
type Record struct {
	Address string       `json:"address"` // in the host app; "" where it has none
	Key     []string     `json:"-"`       // by which it can be changed; nil where it cannot
	Cells   []chart.Cell `json:"cells"`
	// Choosable is what the record is chosen by, nil where it cannot be.
	*chart.Choosable
}

// NewPage writes a list of records as text.
func NewPage(l *live.List) *Page {
	p := l.Plan
	ds := p.Dataset
	page := &Page{Number: p.Page, Count: l.Count, Sort: p.Sort, Down: p.Descending, Exact: l.Value.Exact(), Pages: int(l.Count+planner.PageSize-1) / planner.PageSize}
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
			text := written(ds, f, v, p.Zone())
			c := chart.Cell{Text: text, Number: f.Type.Numeric() && !f.IsLink()}
			if exact := v.Exact(); exact != text {
				c.Exact = exact
			}
			r.Cells = append(r.Cells, c)
		}
		rest := row[len(links)+len(p.Fields):]
		if n := len(p.Told); n > 0 {
			var names []string
			for _, f := range p.Told {
				names = append(names, r.Cells[slices.Index(p.Fields, f)].Text)
			}
			r.Choosable, rest = chart.Choose(rest[:n], names), rest[n:]
		}
		for _, k := range rest {
			r.Key = append(r.Key, k.Exact())
		}
		page.Rows = append(page.Rows, r)
	}
	if p.Measure.Field != query.Records {
		page.Total = chart.MeasureLabel(p.Measure, ds) + " " + format.Of(p.Measure, ds).Value(l.Value)
	}
	page.Heading = format.Records(ds, l.Count)
	return page
}

// written is a value of a field as lists of records show it.
func written(ds *dataset.Dataset, f *dataset.Field, v field.Value, zone *time.Location) string {
	n := format.OfField(ds.Manner, f).In(f, zone)
	if from, to, ok := f.Bin(v); ok {
		return n.Value(from) + " to " + n.Value(to)
	}
	return n.Value(v)
}

// Edited tells whether whoever looks may change the values of a column.
func (p *Page) Edited(i int) bool { return slices.Contains(p.Edits, p.Names[i]) }

// merge joins cells that repeat the one above, from the left.
func (p *Page) merge() {
	rows := make([]chart.Row, len(p.Rows))
	for i, r := range p.Rows {
		rows[i].Cells = r.Cells
	}
	chart.Merge(rows, len(p.Head))
}

// Unlink takes the addresses of the records away, where nothing would open them.
func (p *Page) Unlink() {
	for i := range p.Rows {
		p.Rows[i].Address = ""
	}
}

// pageOf writes a computed table as a page.
func pageOf(t *calc.Table) *Page {
	g := chart.MakeGrid(t, &chart.Document{Definition: t.Plan.Definition}, 0)
	p := &Page{Head: g.Head}
	for _, r := range g.Rows {
		p.Rows = append(p.Rows, Record{Cells: r.Cells})
	}
	if g.Total != nil {
		p.Rows = append(p.Rows, Record{Cells: g.Total})
	}
	return p
}

// recorded is what a question about the records behind a mark of a widget needs.
func (v *View) recorded(id string, ref marks.Reference) (about, error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return about{}, err
	}
	q, err := v.about(w, ref.Now)
	if err == nil && q.doc == nil {
		err = problem.New(problem.NotFound, "widget", "A text has no records.")
	}
	return q, err
}

// Records lists the records behind a mark of a widget, or all of its records when the
// reference has no keys.
func (v *View) Records(id string, ref marks.Reference, of Paging) (*Page, error) {
	q, err := v.recorded(id, ref)
	if err != nil {
		return nil, err
	}
	return v.Engine.Drawer(v.ctx, q.doc, q.ds, v.Viewer, q.setting, ref, of)
}

// Behind is a list of the records behind a mark, as the dashboard is narrowed now, so that it
// lists them wherever it stands.
func (v *View) Behind(id string, ref marks.Reference) (*chart.Document, error) {
	q, err := v.recorded(id, ref)
	if err != nil {
		return nil, err
	}
	return v.behind(q, ref)
}

func (v *View) behind(q about, ref marks.Reference) (*chart.Document, error) {
	d, ds, s, ref, err := ref.Behind(q.doc.Computed(q.ds), q.ds, q.setting, v.Engine.Sets(v.ctx, v.Viewer))
	if err != nil {
		return nil, err
	}
	mark, err := ref.Condition(d, ds)
	if err != nil {
		return nil, err
	}
	out := sentence.Start(ds, chart.Records)
	out.Own, out.Where = d.Own, filter.With(d.Where, filter.And(s.Filters, mark))
	return out, nil
}

// listed plans the list of the records behind a mark of a chart, and finds the mark there.
func (e *Reader) listed(ctx context.Context, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting, ref marks.Reference, of Paging) (*planner.Records, marks.Reference, error) {
	d, ds, s, ref, err := ref.Behind(doc.Computed(ds), ds, s, e.Sets(ctx, v))
	if err != nil {
		return nil, ref, err
	}
	p, err := planner.NewRecords(d, ds, s, ref)
	if err == nil {
		err = p.By(of.Page, of.Sort, of.Down)
	}
	return p, ref, err
}

// Drawer lists the records behind a mark of a chart, with the mark's measure computed
// from them on the same snapshot. If that is no longer what the mark shows, it says so.
func (e *Reader) Drawer(ctx context.Context, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting, ref marks.Reference, of Paging) (*Page, error) {
	p, ref, err := e.listed(ctx, doc, ds, v, s, ref, of)
	if err != nil {
		return nil, err
	}
	all := p.Fields
	if err := p.Choose(of.Columns, nil); err != nil {
		return nil, err
	}
	l, err := e.Records(ctx, p, v)
	if err != nil {
		return nil, err
	}
	out := NewPage(l)
	for _, f := range p.Fields {
		out.Columns = append(out.Columns, Column{f.Name, f.Label, true})
	}
	for _, f := range all {
		if !slices.Contains(p.Fields, f) {
			out.Columns = append(out.Columns, Column{f.Name, f.Label, false})
		}
	}
	if out.Total != "" {
		out.Heading += ", " + locale.Lower(out.Total)
	}
	if of.Words != "" {
		out.Heading += ", " + of.Words
	}
	if was := ref.Was; was != "" && was != out.Exact && !(was == "0" && out.Exact == "") { // a sum over no records is shown as 0
		out.Heading += fmt.Sprintf(" — was %s when the chart was drawn", p.Dataset.Manner.Group(was))
	}
	return out, nil
}
