package sentence

import (
	"fmt"
	"strconv"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// beside offers what a phrase about another dataset may become: its own menus, put back
// into the chart. path is the dataset's number and, after a point, the part.
func (m *Menu) beside(d *chart.Document, path string) error {
	number, rest, _ := strings.Cut(path, ".")
	i, err := strconv.Atoi(number)
	set := d.Other(i)
	if err != nil || i < 0 || i >= len(d.Also) || set == nil {
		return problem.New(problem.NotFound, "part", "There is no such dataset beside the chart's own.")
	}
	if rest == "by" {
		m.answering(d, i, set)
		return nil
	}
	b := d.Also[i]
	menu, err := Choices(alone(b), set, rest)
	if err != nil {
		return err
	}
	m.Heading, m.Of = menu.Heading, set
	if m.Reckoning = menu.Reckoning; m.Reckoning != nil {
		m.Reckoning.Part = m.Part
	}
	for _, c := range menu.Choices {
		if len(c.Document.Own) > 0 || strings.HasPrefix(c.Next, Those) {
			continue // only the chart's own dataset has such fields, and measures of only some of its records
		}
		changed := clone(d)
		changed.Also[i].Measures, changed.Also[i].Where = c.Document.Measures, c.Document.Where
		c.Document = changed
		if c.Next != "" {
			c.Next = "also." + number + "." + c.Next
		}
		m.Choices = append(m.Choices, c)
	}
	return nil
}

// alone is what a dataset beside computes as a chart of its own.
func alone(b query.Beside) *chart.Document {
	return &chart.Document{Definition: query.Definition{Version: query.Version, Dataset: b.Dataset, Measures: b.Measures, Where: b.Where}, Form: chart.Table}
}

// answering offers the fields by which another dataset could answer to the chart's group.
func (m *Menu) answering(d *chart.Document, i int, set *dataset.Dataset) {
	m.Heading = set.Title + " by"
	for _, f := range set.Visible() {
		c := clone(d)
		c.Also[i].By = f.Name
		if c.CheckBeside(m.ds, d.Sets) == nil {
			m.Choices = append(m.Choices, Choice{Label: f.Label, Kind: kind(f), Chosen: d.Also[i].By == f.Name, Document: c})
		}
	}
}

// Others offers the datasets that could stand beside the chart's own with number i.
func Others(d *chart.Document, ds *dataset.Dataset, i int, sets []*dataset.Dataset) *Menu {
	m := &Menu{Part: fmt.Sprintf("also.%d", i), Heading: "Which records beside them?", ds: ds}
	for _, set := range sets {
		if set.Name == ds.Name && (i >= len(d.Also) || d.Also[i].Dataset != set.Name) && len(d.By) == 0 {
			continue
		}
		c := clone(d)
		b := query.Beside{Dataset: set.Name, Measures: []query.Measure{records()}}
		if i < len(c.Also) {
			c.Also[i] = b
		} else {
			c.Also = append(c.Also, b)
		}
		fits(c, ds, len(c.Also)-1, set)
		choice := Choice{Label: set.Title, Kind: set.Record[1], Chosen: i < len(d.Also) && d.Also[i].Dataset == set.Name, Document: c}
		if err := c.Definition.Check(ds); err != nil {
			choice.Why = problem.Of(err).Words
		} else if err := c.CheckBeside(ds, d.Sets); err != nil {
			choice.Why = problem.Of(err).Words
		}
		choice.Lost = leavesOut(settle(c, ds))
		m.Choices = append(m.Choices, choice)
	}
	if i < len(d.Also) {
		m.add("Not beside it", d, func(c *chart.Document) { c.Also = append(c.Also[:i:i], c.Also[i+1:]...) })
	}
	return m
}

// fits names the field by which a dataset answers, where the usual one does not do: the
// first of the same kind.
func fits(d *chart.Document, ds *dataset.Dataset, i int, set *dataset.Dataset) {
	if len(d.By) == 0 {
		return
	}
	f := ds.Find(d.By[0].Field)
	if f == nil {
		return
	}
	if g := set.Find(d.Also[i].Answering(set, f)); g != nil && !g.Hidden {
		d.Also[i].By = g.Name
		return
	}
	for _, g := range set.Visible() {
		if g.Type == f.Type && g.KeyType() == f.KeyType() && g.IsLink() == f.IsLink() {
			d.Also[i].By = g.Name
			return
		}
	}
}
