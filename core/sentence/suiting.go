package sentence

import (
	"slices"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/locale"
	"eskadel/core/query"
)

// A suiting is a small change of a chart, which may make a form fit; it is nothing where the
// chart has no place for it.
type suiting struct {
	words  string
	change func(c *chart.Document) bool
}

// suited is a chart changed as little as it takes to fit a form, and in words what is changed;
// nil where no step or two would do.
func suited(d *chart.Document, ds *dataset.Dataset, f chart.Form) (*chart.Document, string) {
	steps := suitings(ds, f)
	try := func(list ...suiting) (*chart.Document, string) {
		own := *d // each step copies what it changes, since most tries lead to nothing
		c := &own
		c.Form = f
		var said []string
		for _, s := range list {
			if !s.change(c) {
				return nil, ""
			}
			said = append(said, s.words)
		}
		if c.Fits(f, ds) != nil {
			return nil, ""
		}
		c = clone(c)
		for _, lost := range shed(c, ds) {
			said = append(said, "leaves out "+lost)
		}
		if c.Fits(f, ds) != nil || c.Definition.Check(ds) != nil {
			return nil, ""
		}
		return c, locale.Upper(listed(said, saysAnd)) + "."
	}
	for _, s := range steps {
		if c, words := try(s); c != nil {
			return c, words
		}
	}
	for i, first := range steps {
		for j, then := range steps {
			if i == j {
				continue
			}
			if c, words := try(first, then); c != nil {
				return c, words
			}
		}
	}
	return nil, ""
}

// suitings are the steps that are tried for a form, the smallest first.
func suitings(ds *dataset.Dataset, f chart.Form) (out []suiting) {
	used := func(c *chart.Document, f *dataset.Field) bool {
		return slices.ContainsFunc(c.Dimensions(), func(dim query.Dimension) bool { return dim.Field == f.Name })
	}
	var fields []*dataset.Field // that divide into few: pick lists before linked records, and stages first of all for those who follow them
	for _, f := range ds.Visible() {
		if (len(f.List) > 0 || f.IsLink()) && !f.Several {
			fields = append(fields, f)
		}
	}
	rank := func(x *dataset.Field) int {
		switch {
		case f == chart.Funnel && len(x.Lost) > 0:
			return 0
		case len(x.List) > 0 && !x.IsLink():
			return 1
		case len(x.List) > 0:
			return 2
		}
		return 3
	}
	slices.SortStableFunc(fields, func(a, b *dataset.Field) int { return rank(a) - rank(b) })
	if ds.Date != "" && !f.Uses(chart.WithSlices) { // slices are of things, not of time
		out = append(out, suiting{"divides by " + ds.Label(ds.Date), func(c *chart.Document) bool {
			c.By = append(slices.Clone(c.By), query.Dimension{Field: ds.Date})
			return len(c.By) == 1
		}})
	}
	for i, f := range fields {
		if i == 3 {
			break
		}
		out = append(out, suiting{"divides by " + f.Label, func(c *chart.Document) bool {
			if used(c, f) || len(c.By) > 1 {
				return false
			}
			c.By = append(slices.Clone(c.By), few(ds, f))
			return true
		}}, suiting{"divides by " + f.Label + " instead", func(c *chart.Document) bool {
			if len(c.By) != 1 || used(c, f) {
				return false
			}
			c.By = []query.Dimension{few(ds, f)}
			return true
		}}, suiting{"splits by " + f.Label, func(c *chart.Document) bool {
			if c.Split != nil || used(c, f) {
				return false
			}
			dim := few(ds, f)
			c.Split = &dim
			return true
		}})
	}
	out = append(out, suiting{"adds the number of " + ds.Record[1], func(c *chart.Document) bool {
		c.Measures = append(slices.Clone(c.Measures), query.Measure{Aggregate: aggregate.Count, Field: query.Records})
		return len(c.Measures) < 4 && !slices.ContainsFunc(c.Measures[:len(c.Measures)-1], func(m query.Measure) bool { return m.Aggregate == aggregate.Count })
	}})
	for _, f := range ds.Visible() {
		if f.IsQuantity() && len(f.List) == 0 {
			out = append(out, suiting{"adds the average of " + f.Label, func(c *chart.Document) bool {
				c.Measures = append(slices.Clone(c.Measures), query.Measure{Aggregate: aggregate.Average, Field: f.Name})
				return len(c.Measures) < 4
			}})
			break
		}
	}
	out = append(out, suiting{"no longer splits", func(c *chart.Document) bool {
		had := c.Split != nil
		c.Split, c.Across = nil, nil
		return had
	}}, suiting{"keeps the first group only", func(c *chart.Document) bool {
		had := len(c.By) > 1
		if had {
			c.By = c.By[:1]
		}
		return had
	}}, suiting{"keeps the first measure only", func(c *chart.Document) bool {
		if len(c.Measures) < 2 {
			return false
		}
		*c = *clone(c)
		for len(c.Measures) > 1 {
			leave(c, len(c.Measures)-1)
		}
		return true
	}}, suiting{"no longer divides", func(c *chart.Document) bool {
		had := len(c.By) > 0
		c.By, c.Split, c.Across = nil, nil, nil
		return had
	}}, suiting{"leaves out the other datasets", func(c *chart.Document) bool {
		had := len(c.Also) > 0
		c.Also = nil
		return had
	}})
	return out
}

// Scale gives a gauge that is offered a scale from its own figure, which see finds.
func (m *Menu) Scale(see func(*chart.Document) *chart.Seen) {
	for i := range m.Choices {
		c := &m.Choices[i]
		if c.Why != "" || c.Document.Form != chart.Gauge || c.Document.Target != nil || c.Document.Finishing().High != "" {
			continue
		}
		figure := *c.Document
		figure.Form = chart.KeyFigures
		if seen := see(&figure); seen != nil && len(seen.Measures) > 0 && !seen.Measures[0].IsEmpty() {
			scale := c.Document.Finishing()
			scale.High = chart.Round(seen.Measures[0].Float())
			c.Document.Finish = &scale
		}
	}
}
