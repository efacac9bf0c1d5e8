// Package chart holds chart documents and turns computed tables into drawing models:
// series, axes, formatted labels and colours. Whoever draws adds nothing to them.
package chart

import (
	"encoding/json"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A Document is a chart as it is written down: a definition, its form and its finish.
type Document struct {
	query.Definition
	Title  string   `json:"title,omitempty"` // as written by hand; else it follows the sentence
	Form   Form     `json:"form"`
	Show   []string `json:"show,omitempty"`  // for records: the fields, in order
	Order  *Order   `json:"order,omitempty"` // for records: which come first
	Most   int      `json:"most,omitempty"`  // for records: only so many of them
	Finish *Finish  `json:"finish,omitempty"`
	// Shared are the colours that values have on every chart of the dashboard: field → value → colour.
	Shared map[string]map[string]string `json:"-"`
	// Sets finds the datasets beside the chart's own; nil where nobody looks at them.
	Sets query.Sets `json:"-"`
	// Now is the time that what is offered speaks of.
	Now time.Time `json:"-"`
}

// An Order says which records come first.
type Order struct {
	Field      string `json:"field"`
	Descending bool   `json:"descending,omitempty"`
}

// finish is the chart's finish, the usual one where it has none.
func (d *Document) finish() *Finish {
	if d.Finish == nil {
		return &Finish{}
	}
	return d.Finish
}

// Finishing is the chart's finish for those who show it.
func (d *Document) Finishing() Finish { return *d.finish() }

// stages is what a funnel knows of its stages that lie outside the sequence, and the field
// with how far those records had come: as the chart says it, or else the dataset.
func (d *Document) stages(ds *dataset.Dataset) (lost []string, furthest string) {
	lost, furthest = d.finish().Lost, d.finish().Furthest
	if len(lost) > 0 || furthest != "" || len(d.By) == 0 {
		return lost, furthest
	}
	f := ds.Find(d.By[0].Field)
	if f == nil {
		return nil, ""
	}
	if known := ds.Find(f.Furthest); known != nil && !known.Hidden {
		furthest = f.Furthest
	}
	return f.Lost, furthest
}

// Computed is the definition that is computed for the chart: its own, and for a funnel that
// knows how far lost records came, divided by that too.
func (d *Document) Computed(ds *dataset.Dataset) query.Definition {
	out := d.Definition
	if _, furthest := d.stages(ds); d.Form == Funnel && furthest != "" && out.Split == nil {
		out.Split = &query.Dimension{Field: furthest}
	}
	if d.finish().Least > 0 && (d.Form == Pie || d.Form == Donut) && len(out.By) > 0 {
		out.By = append([]query.Dimension{}, out.By...)
		out.By[0].Least = d.finish().Least
	}
	if d.Form == RiskGrid || d.Form == HeatMap {
		// Cells stand in the order of their scales, not of their size.
		out.By = append([]query.Dimension{}, out.By...)
		for i := range out.By {
			out.By[i] = d.scaled(out.By[i])
		}
		if out.Split != nil {
			split := d.scaled(*out.Split)
			out.Split = &split
		}
	}
	return out
}

// scaled orders the values of a dimension by their list or size where nothing else is said.
func (d *Document) scaled(dim query.Dimension) query.Dimension {
	if dim.Sort == nil && dim.Grain == 0 && dim.Part == 0 && dim.Largest == 0 && dim.Smallest == 0 {
		dim.Sort = &query.Sort{By: "list"}
	}
	return dim
}

// Other is the dataset beside with number i; nil where nobody looks at it, or may.
func (d *Document) Other(i int) *dataset.Dataset {
	if d.Sets == nil || i >= len(d.Also) {
		return nil
	}
	set, err := d.Sets.Dataset(d.Also[i].Dataset)
	if err != nil {
		return nil
	}
	return set
}

// Read reads a chart document, without looking at its dataset. One that an earlier version
// of the program wrote is read as it would be written now.
func Read(data []byte) (*Document, error) {
	data, err := query.Upgrade(data)
	if err != nil {
		return nil, err
	}
	var d Document
	if err := problem.Decode(data, &d); err != nil {
		return nil, err
	}
	return &d, nil
}

// JSON writes the document as files and the API carry it.
func (d *Document) JSON() []byte {
	b, _ := json.MarshalIndent(d, "", "  ")
	return b
}

// Datasets names the datasets that the chart speaks of: its own, those beside it and the one
// of the plan that its target is taken from.
func (d *Document) Datasets() (out []string) {
	if d.Dataset != "" {
		out = append(out, d.Dataset)
	}
	return append(out, d.Others()...)
}

// Check tells in words what is wrong with the chart, or still missing.
func (d *Document) Check(ds *dataset.Dataset) error {
	if err := d.Definition.Check(ds); err != nil {
		return err
	}
	if d.Sets != nil {
		if err := d.CheckBeside(ds, d.Sets); err != nil {
			return err
		}
	}
	for _, name := range d.Show {
		if f, err := ds.Field(name); err != nil || f.Hidden {
			return problem.New(problem.NotFound, "show", "%s has no field “%s”.", ds.Title, name)
		}
	}
	if d.Order != nil {
		if f, err := ds.Field(d.Order.Field); err != nil || f.Hidden {
			return problem.New(problem.NotFound, "order.field", "%s has no field “%s”.", ds.Title, d.Order.Field)
		}
	}
	if d.Most < 0 || d.Most > MostPoints {
		return problem.New(problem.Invalid, "most", "A list shows 1 to %d records.", MostPoints)
	}
	if d.Finish != nil {
		if err := d.Finish.check(d, ds); err != nil {
			return problem.At("finish", err)
		}
	}
	return problem.At("form", d.Fits(d.Form, ds))
}

// Fits tells in words why the chart cannot be drawn in a form.
func (d *Document) Fits(f Form, ds *dataset.Dataset) error {
	no := func(words string, args ...any) error { return problem.New(problem.Invalid, "", words, args...) }
	drawn := d.drawn()
	dims, name := d.Dimensions(), locale.Upper(f.Words())
	additive := func() error {
		if x := d.Overlaps(ds); x != nil {
			return no("%s show parts of a whole, and parts by %s overlap: it can hold several values.", name, x.Label)
		}
		for _, m := range d.Measures {
			if !m.Additive() && !m.Aside {
				return no("%s show parts of a whole, and parts of a %s do not add up.", name, strings.ToLower(m.Aggregate.Is().Words))
			}
		}
		return nil
	}
	switch {
	case len(d.Also) > 0 && !f.besides():
		return no("%s shows one dataset: take away the others, or take columns, lines, bars, a table or key figures.", name)
	case f.Lists():
		if len(dims) > 0 || len(d.Measures) > 1 {
			return no("%s shows single records: take away the groups and all measures but one first.", name)
		}
		return d.fitsRecords(f, ds)
	case f == KeyFigures && len(dims) > 0:
		return no("Key figures are of all records together: take away the groups first.")
	case f == KeyFigures || f == Table:
		return nil
	case f == Gauge && len(dims) > 0:
		return no("A gauge shows one figure: take away the groups first.")
	case f == Gauge:
		return d.fitsGauge()
	case len(d.By) == 0:
		return problem.New(problem.Missing, "", "Choose what to divide by, so that there is something to draw.")
	case f == Pivot:
		if d.Split == nil && len(d.By) < 2 {
			return no("A pivot crosses or nests groups: split by another field, or divide by a second one.")
		}
		return nil
	case f == Grouped && len(d.By) < 2:
		return no("A grouped table folds details into groups: divide by a second field.")
	case f == Grouped && d.Split != nil:
		return no("A grouped table has no split; a pivot has.")
	case f == Grouped:
		return nil
	case len(d.Across) > 0:
		return no("Only a pivot has several levels of a split.")
	case len(d.By) > 1:
		return no("%s shows one group; a table or a pivot shows several.", name)
	case f == Scatter:
		if drawn < 2 || drawn > 3 || d.Measures[1].Aside || len(d.Measures) > 2 && d.Measures[2].Aside && drawn > 2 {
			return no("A scatter needs two measures, one for each axis, and may have a third for the size.")
		}
		return nil
	case f == HeatMap || f == RiskGrid:
		if d.Split == nil {
			return no("%s crosses two divisions: split by another field.", name)
		}
		if f == RiskGrid && !onList(d.By[0], ds) {
			return no("A risk grid stands on two scales of numbers or lists, such as likelihood and severity.")
		}
		return nil
	case d.Split != nil && drawn > 1:
		return no("A chart that is split shows one measure; a table shows several.")
	case f == Pie || f == Donut:
		if drawn > 1 {
			return no("%s shows one measure.", name)
		}
		return additive()
	case f == Funnel:
		if drawn > 1 || d.Split != nil {
			return no("A funnel shows one measure of stages, without a split.")
		}
		if x := ds.Find(d.By[0].Field); x == nil || len(x.List) < 2 {
			return no("A funnel follows stages in order: divide by a field that has a pick list.")
		}
		return additive()
	case f == Combined && d.Split != nil && d.Overlaps(ds) != nil:
		return no("Columns stand on each other here, and parts by %s overlap: it can hold several values. A line does not stack.", d.Overlaps(ds).Label)
	case f == Combined && drawn < 2 && d.Split == nil:
		return no("Columns and lines draw two measures or more: add another.")
	case f == Radar && d.Split == nil && drawn > 1 && len(d.By) == 0:
		return no("A radar needs a group for its spokes.")
	case f.stacks() && d.Split == nil && drawn == 1:
		return no("There is nothing to stack: split by another field first.")
	case f.stacks():
		if x := d.Overlaps(ds); x != nil {
			return no("Stacked parts must add up, and parts by %s overlap: it can hold several values.", x.Label)
		}
		for _, m := range d.Measures {
			if m.Aside {
				continue
			}
			if !m.Additive() || m.Then != nil && m.Then.RunningTotal == nil && m.Then.Share == "" {
				return no("Stacked parts must add up, and parts of a %s do not.", strings.ToLower(m.Aggregate.Is().Words))
			}
		}
	}
	return nil
}

// drawn is how many measures are drawn, not only written on marks.
func (d *Document) drawn() (n int) {
	for _, m := range d.Measures {
		if !m.Aside {
			n++
		}
	}
	for _, b := range d.Also {
		for _, m := range b.Measures {
			if !m.Aside {
				n++
			}
		}
	}
	return n
}

// onList tells whether a dimension's values have an order of their own.
func onList(dim query.Dimension, ds *dataset.Dataset) bool {
	f := ds.Find(dim.Field)
	return f != nil && (len(f.List) > 0 || f.Type.Numeric())
}

func (d *Document) fitsGauge() error {
	f := d.finish()
	high, target := limit(f.High), d.Target
	switch {
	case d.drawn() != 1:
		return problem.New(problem.Invalid, "", "A gauge shows one measure.")
	case high == nil && target == nil:
		return problem.New(problem.Missing, "", "A gauge needs the end of its scale, or a target: how much is full?")
	case high != nil && limit(f.Low) != nil && *limit(f.Low) >= *high, high != nil && f.Low == "" && *high <= 0:
		return problem.New(problem.Invalid, "", "The gauge's scale ends before it begins.")
	}
	return nil
}

// fitsRecords tells what a form that lists records still needs to know.
func (d *Document) fitsRecords(form Form, ds *dataset.Dataset) error {
	f := d.finish()
	need := func(name, words string, fits func(*dataset.Field) bool) error {
		x := ds.Find(name)
		if x == nil {
			for _, candidate := range ds.Visible() {
				if fits(candidate) {
					return nil // the first that suits is taken
				}
			}
			return problem.New(problem.Invalid, "", "%s", words)
		}
		if !fits(x) {
			return problem.New(problem.Invalid, "", "%s", words)
		}
		return nil
	}
	dated := func(x *dataset.Field) bool { return x.Type.Temporal() }
	switch form {
	case Board:
		return need(f.Stage, "A board needs a field with a pick list, whose values are its columns.", func(x *dataset.Field) bool { return len(x.List) > 0 })
	case Calendar, Timeline, Latest:
		return need(f.From, form.Words()+" needs a date.", dated)
	case Plan:
		return need(f.Position, "Points need a field that holds positions.", func(x *dataset.Field) bool { return x.Type == field.Position })
	}
	return nil
}

// Field finds the field that a form which lists records takes for a role: the one named,
// or else the first that suits; nil for none.
func Field(name string, ds *dataset.Dataset, fits func(*dataset.Field) bool) *dataset.Field {
	if x := ds.Find(name); x != nil && !x.Hidden {
		return x
	}
	for _, x := range ds.Visible() {
		if fits(x) {
			return x
		}
	}
	return nil
}
