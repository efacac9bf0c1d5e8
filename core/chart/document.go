// Package chart holds chart documents and turns computed tables into drawing models:
// series, axes, formatted labels and colours. Whoever draws adds nothing to them.
package chart

import (
	"encoding/json"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A Document is a chart as it is written down: a definition, its form and its finish.
type Document struct {
	query.Definition
	Title string   `json:"title,omitempty"` // as written by hand; else it follows the sentence
	Form  Form     `json:"form"`
	Show  []string `json:"show,omitempty"`  // for records: the fields, in order
	Order *Order   `json:"order,omitempty"` // for records: which come first
	Most  int      `json:"most,omitempty"`  // for records: only so many of them
	// Edit are, for a table of records, the fields that may be changed there.
	Edit   []Editable `json:"edit,omitempty"`
	Finish *Finish    `json:"finish,omitempty"`
	// Shared are the colours that values have on every chart of the dashboard: field → value → colour.
	Shared map[string]map[string]string `json:"-"`
	// Without are the names in its legend that whoever looks has hidden: what is left is worked out anew.
	Without []string `json:"-"`
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
	if d.finish().Least > 0 && d.Form.Uses(WithSlices) && len(out.By) > 0 {
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
	ds = d.On(ds)
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
	if err := d.checkEdits(ds); err != nil {
		return err
	}
	if d.Finish != nil {
		if err := d.Finish.check(d, ds); err != nil {
			return problem.At("finish", err)
		}
	}
	return problem.At("form", d.Fits(d.Form, ds))
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
