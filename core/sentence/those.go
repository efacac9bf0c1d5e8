package sentence

import (
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
)

// Those is the part of the sentence that says of which records a measure is: "those.0" and, for what
// is asked of one field, "those.0.kind".
const Those = "those."

// those is a chart of the records of measure i alone, whose own condition is the chart's.
func those(d *chart.Document, i int) *chart.Document {
	out := clone(d)
	out.Where, out.Instead = d.Measures[i].Where, nil
	return out
}

// asThose puts what a menu offers for a condition of a chart into measure i: what a chart says instead
// of a dashboard it cannot say.
func (m *Menu) asThose(of *Menu, d *chart.Document, i int) {
	m.Heading, m.Search = strings.Replace(of.Heading, "Only", "Of those", 1), of.Search
	for _, c := range of.Choices {
		if len(c.Document.Instead) > 0 {
			continue
		}
		changed := clone(d)
		changed.Own, changed.Measures[i].Where = c.Document.Own, c.Document.Where
		if c.Document = changed; c.Next != "" {
			c.Next = Those + count(i) + strings.TrimPrefix(c.Next, "where")
		}
		m.Choices = append(m.Choices, c)
	}
}

// ThoseField offers what the own condition of measure i can ask of a field, as WhereField does for
// that of a chart.
func ThoseField(d *chart.Document, i int, ds *dataset.Dataset, f *dataset.Field, values []Counted, attributes []string) *Menu {
	m := &Menu{Part: Those + count(i) + "." + f.Name, ds: ds}
	m.asThose(WhereField(those(d, i), ds, f, values, attributes), d, i)
	return m
}
