package sentence

import (
	"reflect"
	"strconv"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// divided is what a number of a part stands for: a group, the split, which has none or its
// word, or one of its further levels; nil where there is no such.
func divided(c *chart.Document, number string) *query.Dimension {
	if number == "" || number == "split" {
		return c.Split
	}
	list := c.By
	if further, ok := strings.CutPrefix(number, across); ok {
		list, number = c.Across, further
	}
	if i, err := strconv.Atoi(number); err == nil && i >= 0 && i < len(list) {
		return &list[i]
	}
	return nil
}

// sorts offers the orders of the split, or of group number.
func (m *Menu) sorts(d *chart.Document, number string) {
	m.Heading = locale.Upper(saysOrder.say())
	at := func(c *chart.Document) *query.Dimension { return divided(c, number) }
	now := at(d)
	if now == nil {
		return
	}
	set := func(label string, s *query.Sort) {
		m.add(label, d, func(c *chart.Document) { at(c).Sort = s }).Chosen = reflect.DeepEqual(now.Sort, s)
	}
	set("as usual", nil)
	named := func(s query.Sort) {
		set(find(orders, func(o query.Sort) bool { return o.By == s.By && o.Descending == s.Descending }).say(), &s)
	}
	named(query.Sort{By: "label"})
	named(query.Sort{By: "label", Descending: true})
	if f := m.ds.Find(now.Field); f != nil && len(f.List) > 0 {
		named(query.Sort{By: "list"})
		own := &query.Sort{By: "hand", Order: f.List}
		if now.Sort != nil && now.Sort.By == "hand" {
			own = now.Sort
		}
		set("your own: put in order under finish, Groups and gaps", own)
	}
	v := NewVocabulary(m.ds, nil)
	for i := range d.Measures {
		for _, by := range []string{"measure", "change", "percent", "before"} {
			for _, largest := range []bool{true, false} {
				if s := (query.Sort{By: by, Measure: i, Descending: largest}); d.Compare != nil || !s.Compared() {
					set(v.order(s, d), &s)
				}
			}
		}
	}
}

// few divides by a field, with a cut to the largest few where its values are many.
func few(ds *dataset.Dataset, f *dataset.Field) query.Dimension {
	dim := query.Dimension{Field: f.Name}
	if ds.Many(f, 12) {
		dim.Largest, dim.Others = 10, true
	}
	return dim
}

// dimensions offers every field that can divide records; a field whose values are many
// comes with a cut to the largest few.
func (m *Menu) dimensions(d *chart.Document, ds *dataset.Dataset, set func(*chart.Document, query.Dimension), chosen func(*dataset.Field) bool) {
	offer := func(d *chart.Document, ds *dataset.Dataset, f *dataset.Field) *Choice {
		dim := few(ds, f)
		for _, by := range d.By {
			if by.Field == f.Name && by.Part != 0 {
				dim.Grain = period.Year // years laid over each other
			}
		}
		c := m.add(f.Label, d, func(c *chart.Document) { set(c, dim) })
		if err := c.Document.Definition.Check(ds); err != nil && !chosen(f) && len(d.Measures) > 0 && d.Definition.Check(ds) == nil {
			c.Why = problem.Of(err).Words
		}
		return c
	}
	for _, f := range ds.Visible() {
		c := offer(d, ds, f)
		c.Kind, c.Field, c.Chosen = kind(f), f.Name, chosen(f)
	}
	m.bringing(d, func(d *chart.Document, f *dataset.Field) { offer(d, m.ds, f).Kind = broughtIn })
	m.fitting()
}

func (m *Menu) grains(d *chart.Document, ds *dataset.Dataset, number string) {
	m.Heading = locale.Upper(saysPer.say())
	now := divided(d, number)
	if now == nil {
		return
	}
	set := func(label string, g period.Grain, p period.Part) *Choice {
		c := m.add(label, d, func(c *chart.Document) { dim := divided(c, number); dim.Grain, dim.Part = g, p })
		c.Chosen = now.Grain == g && now.Part == p
		return c
	}
	f, _ := ds.Field(now.Field)
	set(strings.TrimPrefix(saysFitting.say(), saysPer.say()+" "), 0, 0)
	for _, g := range append(period.Grains(), period.Accounting) {
		if f == nil || f.Type != field.Date || g >= period.Day {
			set(g.String(), g, 0)
		}
	}
	for _, p := range period.Parts() {
		if f == nil || f.Type != field.Date || p != period.HourOfDay {
			set(p.String(), 0, p).Kind = "repeats"
		}
	}
}

// cuts changes how many of the largest are kept, of the split or of group number.
func (m *Menu) cuts(d *chart.Document, number string) {
	m.Heading = "Keep"
	at := func(c *chart.Document) *query.Dimension { return divided(c, number) }
	now := at(d)
	if now == nil {
		return
	}
	for _, n := range m.numbers(3, 5, 6, 8, 10, 15, 20) {
		for _, others := range []bool{true, false} {
			c := m.add(cut(query.Dimension{Largest: n, Others: others}), d, func(c *chart.Document) { dim := at(c); dim.Largest, dim.Smallest, dim.Others = n, 0, others })
			c.Chosen = now.Largest == n && now.Others == others
		}
	}
	for _, n := range m.numbers(5, 10) {
		m.add(cut(query.Dimension{Smallest: n, Others: true}), d, func(c *chart.Document) { dim := at(c); dim.Largest, dim.Smallest, dim.Others = 0, n, true }).Chosen = now.Smallest == n
	}
	if i, err := strconv.Atoi(number); err == nil && i > 0 && now.Largest+now.Smallest > 0 {
		if f := m.ds.Find(d.By[i-1].Field); f != nil && !f.Type.Temporal() {
			label := "so many within each " + locale.Lower(f.Label)
			if now.Within {
				label = "so many over all"
			}
			m.add(label, d, func(c *chart.Document) { dim := at(c); dim.Within = !dim.Within })
		}
	}
	m.add("All", d, func(c *chart.Document) {
		dim := at(c)
		dim.Largest, dim.Smallest, dim.Others, dim.Within = 0, 0, false, false
	}).Chosen = now.Largest+now.Smallest == 0
}
