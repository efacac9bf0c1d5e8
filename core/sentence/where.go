package sentence

import (
	"slices"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/period"
)

// mostTicked is how many values are ticked without being looked for.
const mostTicked = 50

// A Counted is a value that a condition on a field can ask for, as whoever asks sees it.
type Counted struct {
	Key, Label string
	Count      string // of the records that have it
}

// conditions offers what holds now, to be taken away, the conditions that the dataset keeps by
// name, and each field, which unfolds what can be asked of it.
func (m *Menu) conditions(d *chart.Document, ds *dataset.Dataset) {
	v := NewVocabulary(ds, nil)
	var now []filter.Condition
	if d.Where != nil {
		now = d.Where.TopLevel()
	}
	for i := range now {
		m.add("no longer: "+v.condition(now[i]), d, func(c *chart.Document) { where(c, slices.Delete(slices.Clone(now), i, i+1)) })
	}
	if len(now) > 1 {
		m.add("every record", d, func(c *chart.Document) { where(c, nil) })
	}
	for _, kept := range ds.Conditions {
		named := filter.Condition{Named: kept.Name}
		if !slices.ContainsFunc(now, func(p filter.Condition) bool { return p.Named == kept.Name }) {
			m.add(kept.Title, d, func(c *chart.Document) { where(c, append(slices.Clone(now), named)) }).Kind = "kept by name"
		}
	}
	if f := ds.Find(ds.Date); f != nil && !f.Hidden && asked(d, f.Name) < 0 {
		for _, name := range []string{"this week", "this month", "this quarter", "this year"} {
			during := filter.During(f.Name, period.Relative{Named: name})
			m.add(v.condition(during), d, func(c *chart.Document) { where(c, append(slices.Clone(now), during)) })
		}
	}
	for _, f := range ds.Visible() {
		m.Choices = append(m.Choices, Choice{Label: f.Label, Kind: kind(f), Field: f.Name, Document: clone(d), Next: "where." + f.Name, Chosen: asked(d, f.Name) >= 0})
	}
	m.bringing(d, func(d *chart.Document, f *dataset.Field) {
		m.Choices = append(m.Choices, Choice{Label: f.Label, Kind: broughtIn, Document: d, Next: "where." + f.Name})
	})
}

// where sets the conditions of a chart, all of which must be met.
func where(c *chart.Document, all []filter.Condition) {
	if len(all) == 0 {
		c.Where, c.Instead = nil, nil
		return
	}
	one := filter.And(all...)
	c.Where = &one
	c.Instead = slices.DeleteFunc(slices.Clone(c.Instead), func(name string) bool { return asked(c, name) < 0 })
}

// asked is which of the conditions that a chart joins is on a field; less than 0 for none.
func asked(d *chart.Document, name string) int {
	if d.Where == nil {
		return -1
	}
	return slices.IndexFunc(d.Where.TopLevel(), func(p filter.Condition) bool { return p.Field == name && p.Part == 0 })
}

// LinkedKeys are, by field, the keys of the linked records that a chart's conditions ask for.
func LinkedKeys(d *chart.Document, ds *dataset.Dataset) map[string][]string {
	out := map[string][]string{}
	if d.Where == nil {
		return out
	}
	for _, c := range d.Where.TopLevel() {
		if f := ds.Find(c.Field); f == nil || !f.IsLink() {
			continue
		}
		for _, o := range c.Values {
			if o.Viewer == "" && o.Setting == "" {
				out[c.Field] = append(out[c.Field], o.Literal)
			}
		}
	}
	return out
}

// conditionRanges are the ranges of a date that a condition is offered with.
var conditionRanges = []period.Relative{
	{Named: "today"}, {Named: "this week"}, {Named: "last week"}, {Named: "this month"}, {Named: "last month"}, {Named: "this quarter"}, {Named: "last quarter"}, {Named: "this year"}, {Named: "last year"},
	{Last: 7, Unit: period.Day}, {Last: 30, Unit: period.Day}, {Last: 12, Unit: period.Week}, {Last: 3, Unit: period.Month}, {Last: 12, Unit: period.Month}, {Last: 24, Unit: period.Month}, {Last: 3, Unit: period.Year},
}

// WhereField offers what a condition on one field can ask: ranges of a date, yes and no, or its
// values to be ticked, as whoever asks may see them, or what whoever reads it has as one of their
// attributes; that it is filled or not; and to stand instead of what a dashboard says of the field.
func WhereField(d *chart.Document, ds *dataset.Dataset, f *dataset.Field, values []Counted, attributes []string) *Menu {
	m := &Menu{Part: "where." + f.Name, Heading: "Only where " + f.Label, ds: ds, Search: len(values) >= mostTicked}
	at := asked(d, f.Name)
	var now filter.Condition
	if at >= 0 {
		now = d.Where.TopLevel()[at]
	}
	set := func(label string, p filter.Condition) *Choice {
		chosen := asJSON(p) == asJSON(now) && at >= 0
		c := m.add(label, d, func(c *chart.Document) {
			var all []filter.Condition
			if c.Where != nil {
				all = c.Where.TopLevel()
			}
			switch {
			case at < 0 && !p.IsZero():
				all = append(slices.Clone(all), p)
			case at >= 0 && (chosen || p.IsZero()):
				all = slices.Delete(slices.Clone(all), at, at+1)
			case at >= 0:
				all = slices.Clone(all)
				all[at] = p
			}
			where(c, all)
		})
		c.Chosen = chosen
		return c
	}
	switch {
	case f.Type.Temporal():
		for _, r := range conditionRanges {
			set(r.Words(nil), filter.During(f.Name, r))
		}
	case f.Type == field.Boolean:
		set("yes", filter.Compare(f.Name, filter.Is, "true"))
		set("no", filter.Compare(f.Name, filter.Is, "false"))
	default:
		m.ticks(f, now, values, set)
		for _, name := range attributes {
			set("the "+name+" of whoever reads it", filter.Condition{Field: f.Name, Op: filter.Is, Values: []filter.Operand{{Viewer: name}}}).Kind = "viewer's attribute"
		}
	}
	if at >= 0 {
		set("any "+locale.Lower(f.Label), filter.Condition{})
	}
	set("is filled", filter.Compare(f.Name, filter.Filled))
	set("is empty", filter.Compare(f.Name, filter.Empty))
	if at >= 0 {
		instead := slices.Contains(d.Instead, f.Name)
		c := m.add(saysInstead.say()+" "+f.Label, d, func(c *chart.Document) {
			if instead {
				c.Instead = slices.DeleteFunc(slices.Clone(c.Instead), func(name string) bool { return name == f.Name })
			} else {
				c.Instead = append(slices.Clone(c.Instead), f.Name)
			}
		})
		c.Chosen, c.Next = instead, m.Part
	}
	return m
}

// ticks offers values of a field: each is ticked by itself, and what is ticked asked for or left
// out.
func (m *Menu) ticks(f *dataset.Field, now filter.Condition, values []Counted, set func(string, filter.Condition) *Choice) {
	out := now.Op == filter.IsNot || now.Op == filter.NoneOf
	var ticked []string
	if out || now.Op == filter.Is || now.Op == filter.OneOf {
		for _, o := range now.Values {
			if o.Viewer == "" {
				ticked = append(ticked, o.Literal)
			}
		}
	}
	of := func(keys []string, out bool) filter.Condition {
		op := map[bool]filter.Op{false: filter.OneOf, true: filter.NoneOf}[out]
		switch {
		case len(keys) == 0:
			return filter.Condition{}
		case len(keys) == 1:
			op = map[bool]filter.Op{false: filter.Is, true: filter.IsNot}[out]
		}
		return filter.Compare(f.Name, op, keys...)
	}
	for _, v := range values {
		on := slices.Contains(ticked, v.Key)
		next := slices.DeleteFunc(slices.Clone(ticked), func(k string) bool { return k == v.Key })
		if !on {
			next = append(next, v.Key)
		}
		c := set(format.Text(v.Label), of(next, out))
		c.Chosen, c.Kind, c.Next = on, v.Count, m.Part
	}
	if len(ticked) > 0 {
		label := "all but what is ticked"
		if out {
			label = "only what is ticked"
		}
		set(label, of(ticked, !out)).Next = m.Part
	}
}
