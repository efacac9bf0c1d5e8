package query

import (
	"fmt"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/problem"
)

// A Beside is measures of another dataset, on the axis of the chart: in JSON
//
//	{"dataset": "invoices", "measures": [{"sum": "net"}], "by": "issued"}
type Beside struct {
	Dataset  string            `json:"dataset"`
	Measures []Measure         `json:"measures"`
	By       string            `json:"by,omitempty"` // its field that answers to the chart's group; see Answering
	Where    *filter.Condition `json:"where,omitempty"`
}

// MostBeside is how many datasets a chart may set beside its own.
const MostBeside = 4

// Sets finds the datasets that a chart speaks of besides its own.
type Sets interface {
	Dataset(name string) (*dataset.Dataset, error)
}

// Answering is the field of another dataset that answers to a group: the one named, or
// else for a date the dataset's own, for anything else the one of the same name.
func (b Beside) Answering(ds *dataset.Dataset, group *dataset.Field) string {
	switch {
	case b.By != "":
		return b.By
	case group.Type.Temporal():
		return ds.Date
	}
	return group.Name
}

// Width is how many measures a definition has with those of the datasets beside.
func (d Definition) Width() int {
	n := len(d.Measures)
	for _, b := range d.Also {
		n += len(b.Measures)
	}
	return n
}

// Of tells whose measure number m is: that of the dataset beside with number beside, -1
// for the chart's own, and its number there.
func (d Definition) Of(m int) (beside, measure int) {
	if m < len(d.Measures) {
		return -1, m
	}
	m -= len(d.Measures)
	for i, b := range d.Also {
		if m < len(b.Measures) {
			return i, m
		}
		m -= len(b.Measures)
	}
	return -1, m + len(d.Measures)
}

// Figure is measure number m of a definition, those of the datasets beside counted on.
func (d *Definition) Figure(m int) *Measure {
	if beside, at := d.Of(m); beside >= 0 {
		return &d.Also[beside].Measures[at]
	}
	return &d.Measures[m]
}

// Beside is the definition of what stands beside with number i; ds is the chart's dataset,
// set the other. Its step is the chart's.
func (d Definition) Beside(i int, ds, set *dataset.Dataset, grain period.Grain) (Definition, error) {
	b := d.Also[i]
	out := Definition{Version: Version, Dataset: b.Dataset, Measures: b.Measures, Where: b.Where, Compare: d.Compare, Gaps: d.Gaps}
	if len(d.By) == 1 {
		f, err := ds.Field(d.By[0].Field)
		if err != nil {
			return out, err
		}
		dim := d.By[0]
		dim.Field, dim.Sort, dim.Empty = b.Answering(set, f), nil, false
		if dim.Grain == 0 && f.Type.Temporal() && dim.Part == 0 {
			dim.Grain = grain
		}
		g, err := Visible(set, dim.Field)
		if err != nil {
			return out, problem.New(problem.Missing, "by", "Which field of %s answers to %s?", set.Title, f.Label)
		}
		if f.Type.Temporal() != g.Type.Temporal() || !f.Type.Temporal() && f.KeyType() != g.KeyType() || f.IsLink() != g.IsLink() {
			return out, problem.New(problem.Invalid, "by", "%s of %s is another kind of thing than %s of %s: they do not share an axis.", g.Label, set.Title, f.Label, ds.Title)
		}
		out.By = []Dimension{dim}
	}
	return out, out.Check(set)
}

// checkBeside checks what can be known of the datasets beside without looking at them.
func (d Definition) checkBeside() error {
	if len(d.Also) == 0 {
		return nil
	}
	switch {
	case len(d.Also) > MostBeside:
		return problem.New(problem.TooMany, "also", "A chart sets at most %d datasets beside its own.", MostBeside)
	case len(d.By) > 1 || d.Split != nil:
		return problem.New(problem.Invalid, "also", "Datasets stand beside each other on one axis: keep one group and no split.")
	case d.Width() > Most:
		return problem.New(problem.TooMany, "also", "A chart has at most %d measures, those of other datasets among them.", Most)
	}
	for i, b := range d.Also {
		if len(b.Measures) == 0 || b.Dataset == "" {
			return problem.New(problem.Missing, fmt.Sprintf("also[%d]", i), "What of the other dataset is measured?")
		}
	}
	return nil
}

// CheckBeside tells in words what does not suit the datasets that stand beside.
func (d Definition) CheckBeside(ds *dataset.Dataset, sets Sets) error {
	for i := range d.Also {
		if _, _, err := d.With(i, ds, sets, period.Month); err != nil {
			return err
		}
	}
	return nil
}

// beside finds the dataset beside with number i, and is its definition.
func (d Definition) With(i int, ds *dataset.Dataset, sets Sets, grain period.Grain) (Definition, *dataset.Dataset, error) {
	set, err := sets.Dataset(d.Also[i].Dataset)
	var out Definition
	if err == nil {
		out, err = d.Beside(i, ds, set, grain)
	}
	return out, set, problem.At(fmt.Sprintf("also[%d]", i), err)
}
