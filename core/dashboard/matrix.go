package dashboard

import (
	"slices"

	"eskadel/core/dataset"
	"eskadel/core/query"
)

// A Matrix shows what reaches which widgets of a page: each of its filters, and a click on each
// widget that has groups to choose.
type Matrix struct {
	Columns []*Seen
	Rows    []Row
}

// A Seen is a widget of a page with what it shows.
type Seen struct {
	*Widget
	Dataset *dataset.Dataset
	shows   query.Definition
	groups  []string // the fields that a click on it can choose by
	instead []string // those by which its chart is narrowed instead of by the dashboard
}

// A Row is a filter, or a click on a widget, with what it does to each widget.
type Row struct {
	Filter *Filter
	Widget *Seen
	Cells  []Cell
}

// A Cell says by which fields a widget answers, none where it does not.
type Cell struct {
	On      *Seen
	Self    bool     // a click does nothing to its own widget
	Spared  bool     // its author wants it so
	Within  bool     // what is chosen is drawn within the whole, which is not narrowed
	By      []string // labels of the fields by which it is narrowed
	Missing []string // labels of the fields of a click that do not reach it
	Instead bool     // its chart has a condition of its own instead
}

// Matrix shows what reaches what on a page. A widget whose chart cannot be read is left out.
func (d *Document) Matrix(page *Page, charts Charts) *Matrix {
	m := &Matrix{}
	for i := range page.Widgets {
		if s := see(&page.Widgets[i], charts); s != nil {
			m.Columns = append(m.Columns, s)
		}
	}
	for i := range d.Filters {
		f := &d.Filters[i]
		if !f.On(page.Title) {
			continue
		}
		r := Row{Filter: f}
		for _, s := range m.Columns {
			c := Cell{On: s}
			if name := f.FieldOf(s.Widget, s.Dataset); name != "" {
				c.By, c.Instead = []string{s.Dataset.Label(name)}, slices.Contains(s.instead, name)
			} else {
				c.Spared = f.unwanted(s.Widget, s.Dataset)
			}
			r.Cells = append(r.Cells, c)
		}
		m.Rows = append(m.Rows, r)
	}
	for _, from := range m.Columns {
		if len(from.groups) == 0 {
			continue
		}
		r := Row{Widget: from}
		for _, s := range m.Columns {
			r.Cells = append(r.Cells, from.cell(s))
		}
		m.Rows = append(m.Rows, r)
	}
	return m
}

func see(w *Widget, charts Charts) *Seen {
	definition, ds, err := charts.Chart(w)
	if err != nil || ds == nil {
		return nil
	}
	s := &Seen{Widget: w, Dataset: ds, shows: definition, instead: definition.Instead}
	for _, dim := range definition.Dimensions() {
		if f, err := ds.Field(dim.Field); err == nil && !f.Hidden && !slices.Contains(s.groups, dim.Field) {
			s.groups = append(s.groups, dim.Field)
		}
	}
	return s
}

// Clicked is a widget as a click on it sees it; nil where its chart cannot be read.
func (d *Document) Clicked(w *Widget, charts Charts) *Seen { return see(w, charts) }

// cell is what a click does to another widget.
func (s *Seen) cell(on *Seen) Cell {
	c := Cell{On: on, Self: on == s, Spared: s.spares(on.ID), Within: s.does(on.ID) == Highlights}
	for _, name := range s.groups {
		if !s.Click.selects(s.shows, []string{name}) {
			continue
		}
		if to := s.Click.answering(name, s.Dataset, on.Dataset); to != "" {
			c.By = append(c.By, on.Dataset.Label(to))
		} else {
			c.Missing = append(c.Missing, s.Dataset.Label(name))
		}
	}
	return c
}

// A Choice is a field that may be chosen, or that is.
type Choice struct {
	Name, Label string
	Chosen      bool
}

// Selects are the fields by which a click on the widget can choose, and does.
func (s *Seen) Selects() (out []Choice) {
	for _, name := range s.groups {
		out = append(out, Choice{name, s.Dataset.Label(name), s.Click.selects(s.shows, []string{name})})
	}
	return out
}

// An Answered is a field that a click chooses by, and the fields of a dataset that can answer to it.
type Answered struct {
	Choice
	None bool // none of them does
	By   []Choice
}

// Answers are the fields that a click on the widget chooses by, with what answers of a dataset.
func (s *Seen) Answers(ds *dataset.Dataset) (out []Answered) {
	for _, by := range s.Selects() {
		here, err := s.Dataset.Field(by.Name)
		if err != nil || !by.Chosen {
			continue
		}
		now := s.Click.answering(by.Name, s.Dataset, ds)
		a := Answered{Choice: by, None: now == ""}
		for _, x := range ds.Visible() {
			if alike(x, here) {
				a.By = append(a.By, Choice{x.Name, x.Label, x.Name == now})
			}
		}
		out = append(out, a)
	}
	return out
}

// Have has a click on one widget do something to another: "" to narrow it, Nothing or Highlights.
func (d *Document) Have(from, id, do string) error {
	w, err := d.Widget(from)
	if err == nil {
		_, err = d.Widget(id)
	}
	if err != nil {
		return err
	}
	k := w.click()
	delete(k.Does, id)
	if do != "" {
		if k.Does == nil {
			k.Does = map[string]string{}
		}
		k.Does[id] = do
	}
	w.tidy()
	return nil
}

// Select has a click on a widget, which is seen so, choose by a field, or no longer; it chooses by
// one at least.
func (d *Document) Select(of *Seen, name string, on bool) error {
	w, err := d.Widget(of.ID)
	if err != nil {
		return err
	}
	var now []string
	for _, c := range of.Selects() {
		if c.Name == name && on || c.Name != name && c.Chosen {
			now = append(now, c.Name)
		}
	}
	k, usual := w.click(), of.groups
	if of.shows.Listed {
		usual = usual[:1]
	}
	if k.Selects = now; slices.Equal(now, usual) {
		k.Selects = nil
	}
	w.tidy()
	return nil
}

// AnswerClick says by which field of a dataset one answers that a click on a widget, which is seen so,
// chooses by, "" for none.
func (d *Document) AnswerClick(from *Seen, ds *dataset.Dataset, name, to string) error {
	w, err := d.Widget(from.ID)
	if err != nil {
		return err
	}
	k := w.click()
	delete(k.Fields[ds.Name], name)
	if to != k.answering(name, from.Dataset, ds) {
		if k.Fields == nil {
			k.Fields = map[string]map[string]string{}
		}
		if k.Fields[ds.Name] == nil {
			k.Fields[ds.Name] = map[string]string{}
		}
		k.Fields[ds.Name][name] = to
	}
	w.tidy()
	return nil
}

// AnswerTo says by which field a widget answers to a filter, "" for none; with usual it answers
// as its dataset does.
func (d *Document) AnswerTo(id, filter, name string, usual bool) error {
	w, err := d.Widget(id)
	if err == nil {
		_, err = d.named(filter)
	}
	if err != nil {
		return err
	}
	delete(w.AnswersTo, filter)
	if !usual {
		if w.AnswersTo == nil {
			w.AnswersTo = map[string]string{}
		}
		w.AnswersTo[filter] = name
	}
	return nil
}

func (w *Widget) click() *Click {
	if w.Click == nil {
		w.Click = &Click{}
	}
	return w.Click
}

// tidy takes away what says nothing.
func (w *Widget) tidy() {
	for dataset, fields := range w.Click.Fields {
		if len(fields) == 0 {
			delete(w.Click.Fields, dataset)
		}
	}
	if len(w.Click.Selects)+len(w.Click.Does)+len(w.Click.Fields) == 0 {
		w.Click = nil
	}
}
