package sentence

import (
	"slices"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/locale"
)

// shown offers each field of a list of records: to show it last, or no longer.
func (m *Menu) shown(d *chart.Document, ds *dataset.Dataset) {
	m.Heading = "Show"
	for _, f := range ds.Visible() {
		at := slices.Index(d.Show, f.Name)
		c := m.add(f.Label, d, func(c *chart.Document) {
			if at >= 0 {
				c.Show = slices.Delete(c.Show, at, at+1)
			} else {
				c.Show = append(c.Show, f.Name)
			}
		})
		c.Kind, c.Field, c.Chosen, c.Next = kind(f), f.Name, at >= 0, m.Part // one after the other
	}
	m.bringing(d, func(d *chart.Document, f *dataset.Field) {
		m.add(f.Label, d, func(c *chart.Document) { c.Show = append(c.Show, f.Name) }).Kind = broughtIn
	})
}

// ordered offers what a list of records begins with.
func (m *Menu) ordered(d *chart.Document, ds *dataset.Dataset) {
	m.Heading = locale.Upper(saysOrder.say())
	m.add("as usual", d, func(c *chart.Document) { c.Order = nil }).Chosen = d.Order == nil
	for _, f := range ds.Visible() {
		for _, last := range []bool{false, true} {
			order := chart.Order{Field: f.Name, Descending: last}
			label := f.Label
			if last {
				label += ", " + saysLast.say()
			}
			c := m.add(label, d, func(c *chart.Document) { c.Order = &order })
			c.Kind, c.Chosen = kind(f), d.Order != nil && *d.Order == order
		}
	}
}

// most offers how many records a list has.
func (m *Menu) most(d *chart.Document) {
	m.Heading = "How many"
	for _, n := range m.numbers(5, 10, 20, 50, 100) {
		m.add(saysFirst.say(count(n)), d, func(c *chart.Document) { c.Most = n }).Chosen = d.Most == n
	}
	m.add("All", d, func(c *chart.Document) { c.Most = 0 }).Chosen = d.Most == 0
}
