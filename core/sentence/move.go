package sentence

import (
	"fmt"
	"slices"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/locale"
	"eskadel/core/query"
)

// moving carries a chart from one dataset to another.
type moving struct {
	from, to *dataset.Dataset
	lost     []string // what does not fit, in words
}

// Move returns the chart on another dataset, with everything that has a counterpart there,
// and in words what has none. A field's counterpart has its name or its label, and holds
// the same kind of thing; that of the dataset's date is the other's date.
func Move(d *chart.Document, from, to *dataset.Dataset) (*chart.Document, []string) {
	m := &moving{from: from, to: to}
	out := clone(d)
	out.Dataset = to.Name
	out.Own, out.Measures, out.By, out.Split, out.Across, out.Where, out.Show, out.Order, out.Edit, out.Also = nil, nil, nil, nil, nil, nil, nil, nil, nil, nil
	for _, o := range d.Own {
		m.own(out, o)
	}
	for _, measured := range d.Measures {
		if moved, ok := m.measure(measured); ok {
			out.Measures = append(out.Measures, moved)
		} else {
			m.lose(chart.MeasureLabel(measured, from))
		}
	}
	if len(out.Measures) == 0 && !d.Form.Lists() {
		out.Measures = []query.Measure{records()}
	}
	for _, dim := range d.By {
		if moved, ok := m.dimension(dim); ok {
			out.By = append(out.By, moved)
		}
	}
	if d.Split != nil {
		if moved, ok := m.dimension(*d.Split); ok {
			out.Split = &moved
		}
	}
	for _, dim := range d.Across {
		if moved, ok := m.dimension(dim); ok && out.Split != nil {
			out.Across = append(out.Across, moved)
		} else if ok {
			m.lose(m.from.Label(dim.Field))
		}
	}
	if d.Where != nil {
		out.Where, out.Instead = m.where(*d.Where), nil
		for _, name := range d.Instead {
			if f := m.field(name); f != nil && out.Where != nil && slices.ContainsFunc(out.Where.TopLevel(), func(c filter.Condition) bool { return c.Field == f.Name }) {
				out.Instead = append(out.Instead, f.Name)
			}
		}
	}
	for _, name := range d.Show {
		if name = m.named(name); name != "" {
			out.Show = append(out.Show, name)
		}
	}
	if d.Form.Lists() && len(out.Show) == 0 {
		out.Show = Start(to, d.Form).Show
	}
	if d.Order != nil {
		if name := m.named(d.Order.Field); name != "" {
			out.Order = &chart.Order{Field: name, Descending: d.Order.Descending}
		}
	}
	if f := out.Finish; f != nil {
		for _, role := range []*string{&f.From, &f.To, &f.Stage, &f.Heading, &f.Position, &f.Furthest} {
			*role = m.named(*role)
		}
		if d.Form == chart.Cards {
			f.Picture = m.named(f.Picture)
		}
	}
	m.keep(d, out)
	return out, m.lost
}

// own carries over a field of the chart's own.
func (m *moving) own(out *chart.Document, o dataset.OwnField) {
	was := o.Label
	if o.Of != "" {
		link := m.field(o.Of)
		if link == nil {
			m.lose(was)
			return
		}
		o.Of = link.Name
	}
	more := append(slices.Clone(out.Own), o)
	if suits(more, m.to.Bare()) != nil {
		m.lose(was)
		return
	}
	out.Own = more
	m.to = out.On(m.to)
}

// keep tries the parts that hang on others, one after the other.
func (m *moving) keep(d, out *chart.Document) {
	shed(out, m.to)
	whole := *out
	parts := []struct {
		words string
		has   func(*chart.Document) bool
		put   func(from *chart.Document)
	}{
		{"the comparison", func(d *chart.Document) bool { return d.Compare != nil }, func(from *chart.Document) { out.Compare = from.Compare }},
		{"the target", func(d *chart.Document) bool { return d.Target != nil }, func(from *chart.Document) { out.Target = from.Target }},
		{"the conditions on results", func(d *chart.Document) bool { return len(d.Results) > 0 }, func(from *chart.Document) { out.Results = from.Results }},
		{"the lines", func(d *chart.Document) bool { return len(d.Lines) > 0 }, func(from *chart.Document) { out.Lines = from.Lines }},
		{"the trend", func(d *chart.Document) bool { return d.Trend || d.Forecast > 0 }, func(from *chart.Document) { out.Trend, out.Forecast = from.Trend, from.Forecast }},
	}
	for _, p := range parts {
		p.put(&chart.Document{})
	}
	for _, p := range parts {
		if p.put(&whole); p.has(out) && out.Definition.Check(m.to) != nil {
			p.put(&chart.Document{})
		}
		if p.has(d) && !p.has(out) {
			m.lose(p.words)
		}
	}
	for i, b := range d.Also {
		out.Also = append(out.Also, b)
		if out.Definition.Check(m.to) != nil || out.Sets != nil && out.CheckBeside(m.to, out.Sets) != nil {
			out.Also = out.Also[:len(out.Also)-1]
			m.lose("what stands beside it from " + d.Also[i].Dataset)
		}
	}
	if out.Finish != nil && out.Definition.Check(m.to) == nil && out.Fits(out.Form, m.to) == nil && out.Check(m.to) != nil {
		out.Finish = nil
		m.lose("the finish")
	}
	before := out.Form
	for _, words := range settle(out, m.to) {
		m.lose(words)
	}
	if out.Form != before {
		m.lose("the form of " + before.Words())
	}
}

func (m *moving) lose(words string) {
	if words = locale.Lower(words); words != "" && !slices.Contains(m.lost, words) {
		m.lost = append(m.lost, words)
	}
}

// field finds a field's counterpart; nil for none.
func (m *moving) field(name string) *dataset.Field {
	f := m.from.Find(name)
	if f == nil {
		return nil
	}
	alike := func(g *dataset.Field) bool {
		numbers := f.Type.Numeric() && g.Type.Numeric() && !f.IsLink() && !g.IsLink()
		return !g.Hidden && (numbers || f.Type.Temporal() && g.Type.Temporal() || f.Type == g.Type && f.KeyType() == g.KeyType() && f.IsLink() == g.IsLink())
	}
	if g := m.to.Find(name); g != nil && alike(g) {
		return g
	}
	for _, g := range m.to.Visible() {
		if strings.EqualFold(g.Label, f.Label) && alike(g) {
			return g
		}
	}
	if g := m.to.Find(m.to.Date); g != nil && name == m.from.Date && alike(g) {
		return g
	}
	return nil
}

// named is a counterpart's name, "" for none.
func (m *moving) named(name string) string {
	if name == "" {
		return ""
	}
	if f := m.field(name); f != nil {
		return f.Name
	}
	m.lose(m.from.Label(name))
	return ""
}

func (m *moving) measure(in query.Measure) (query.Measure, bool) {
	if in.Where != nil {
		if in.Where = m.where(*in.Where); in.Where == nil {
			return in, false
		}
	}
	switch {
	case in.Name != "":
		_, err := m.to.Measure(in.Name)
		return in, err == nil
	case in.Formula != "" || in.Field == query.Records:
	case in.Of != nil:
		of, fits := m.measure(*in.Of)
		f := m.field(in.Per.Field)
		if !fits || f == nil {
			return in, false
		}
		in.Of, in.Per = &of, &query.Per{Field: f.Name, Grain: in.Per.Grain}
	default:
		f := m.field(in.Field)
		if f == nil {
			return in, false
		}
		in.Field = f.Name
	}
	probe := query.Definition{Version: query.Version, Dataset: m.to.Name, Measures: []query.Measure{in}}
	probe.Measures[0].Then = nil
	return in, probe.Check(m.to) == nil
}

func (m *moving) dimension(in query.Dimension) (query.Dimension, bool) {
	f := m.field(in.Field)
	if f == nil {
		m.lose(m.from.Label(in.Field))
		return in, false
	}
	in.Field = f.Name
	probe := query.Definition{Version: query.Version, Dataset: m.to.Name, Measures: []query.Measure{records()}, By: []query.Dimension{in}}
	probe.By[0].Within, probe.By[0].Sort = false, nil
	if probe.Check(m.to) != nil {
		in.Grain, in.Part = 0, 0
	}
	return in, true
}

// where carries over the conditions of which every field has a counterpart.
func (m *moving) where(c filter.Condition) *filter.Condition {
	var kept []filter.Condition
next:
	for _, part := range c.TopLevel() {
		words := m.from.Words(part)
		for _, name := range part.Fields() {
			f := m.field(name)
			if f == nil {
				m.lose("only where " + words)
				continue next
			}
			part = part.Renamed(name, f.Name)
		}
		if query.CheckCondition(part, m.to) != nil {
			m.lose("only where " + words)
			continue
		}
		kept = append(kept, part)
	}
	if len(kept) == 0 {
		return nil
	}
	all := filter.And(kept...)
	return &all
}

// Datasets offers the datasets that a chart could be of; each keeps what fits and names
// what does not.
func Datasets(d *chart.Document, ds *dataset.Dataset, all []*dataset.Dataset) *Menu {
	m := &Menu{Part: "dataset", Heading: "Which records?"}
	for _, to := range all {
		c := Choice{Label: to.Title, Kind: to.Record[1], Chosen: d.Dataset == to.Name, Document: d}
		switch {
		case ds == nil:
			c.Document = Start(to, d.Form)
			c.Document.Title = d.Title
		case !c.Chosen:
			var lost []string
			if c.Document, lost = Move(d, ds, to); len(lost) > 0 {
				c.Lost = fmt.Sprintf("Does not fit %s and is left out: %s.", to.Title, strings.Join(lost, "; "))
			}
		}
		m.Choices = append(m.Choices, c)
	}
	return m
}
