package dataset

import (
	"fmt"
	"hash/fnv"
	"maps"
	"slices"
	"strings"

	"eskadel/core/problem"
)

// An OwnField is a field that a chart adds to its dataset for itself: a formula over the
// dataset's fields, or a column of a linked record that the builder offers.
type OwnField struct {
	Label   string `json:"label"`
	Formula string `json:"formula,omitempty"`
	Of      string `json:"of,omitempty"`     // the field with the linked record
	Column  string `json:"column,omitempty"` // of it
}

// Name is what the field goes by in the chart: it is made of what the field is, so that charts
// with the same field of their own narrow each other by it, and others do not.
func (o OwnField) Name() string {
	h := fnv.New64a()
	fmt.Fprintf(h, "%q %q %q", o.Formula, o.Of, o.Column)
	return fmt.Sprintf("own_%016x", h.Sum64())
}

// IsOwn tells whether the field is one that a chart added.
func (f *Field) IsOwn() bool { return f.own != nil }

// Own are the fields that a chart added to the dataset.
func (d *Dataset) Own() []OwnField { return d.own }

// Called is what a field that cannot be found is called: by its label where it is a chart's
// own, since whoever sees the chart may know that.
func (d *Dataset) Called(name string) string {
	for _, o := range d.own {
		if name == o.Name() {
			return o.Label
		}
	}
	return name
}

// Bare is the dataset without what a chart added.
func (d *Dataset) Bare() *Dataset {
	if d.bare != nil {
		return d.bare
	}
	return d
}

// With returns the dataset with a chart's own fields, and none else, at its end. Of a dataset
// as a viewer knows it, it keeps what they may not see from them: see For.
func (d *Dataset) With(own ...OwnField) (*Dataset, error) {
	d = d.Bare()
	if len(own) == 0 {
		return d, nil
	}
	out := *d
	out.own, out.bare = own, d
	if d.all != nil {
		all, err := d.all.With(own...)
		if err != nil {
			return nil, err
		}
		out.all = all
	}
	out.order, out.fields = slices.Clone(d.order), maps.Clone(d.fields)
	for i, o := range own {
		f, err := out.add(o)
		if err != nil {
			return nil, problem.At(fmt.Sprintf("own[%d]", i), err)
		}
		if out.guard.hides(&out, f) {
			continue
		}
		out.order, out.fields[f.Name] = append(out.order, f), f
	}
	out.tables = out.read()
	return &out, nil
}

// add makes a field of a chart's own.
func (d *Dataset) add(o OwnField) (*Field, error) {
	whole := d.everything()
	switch {
	case strings.TrimSpace(o.Label) == "":
		return nil, problem.New(problem.Missing, "label", "What is the field called?")
	case (o.Formula == "") == (o.Of == ""):
		return nil, problem.New(problem.Invalid, "", "A field of the chart's own is a formula, or a column of a linked record.")
	case d.fields[o.Name()] != nil:
		return nil, problem.New(problem.Invalid, "", "“%s” is what “%s” is already.", o.Label, d.fields[o.Name()].Label)
	}
	doc := FieldDocument{Name: o.Name(), Label: o.Label, Formula: o.Formula}
	if o.Of != "" {
		link := whole.fields[o.Of]
		if link == nil || link.Hidden || !link.IsLink() || !slices.Contains(link.Offers, o.Column) {
			return nil, problem.New(problem.NotFound, "column", "%s offers no “%s” of a linked record for “%s”.", d.Title, Tidy(o.Column), o.Label)
		}
		doc.Link, doc.Column = link.Link, o.Column
		f, err := whole.resolveField(&doc)
		if f != nil {
			f.own = &o
		}
		return f, err
	}
	f := &Field{FieldDocument: doc, own: &o}
	if err := whole.resolveFormula(f); err != nil {
		return nil, problem.At("formula", err)
	}
	return f, nil
}

// checkOffers checks that what is offered of a linked record is there.
func (d *Dataset) checkOffers(f *Field) error {
	if len(f.Offers) > 0 && !f.IsLink() {
		return problem.New(problem.Invalid, "offers", "Only a linked record offers fields of its own.")
	}
	for _, name := range f.Offers {
		if f.target.table.Column(name) == nil {
			return problem.New(problem.NotFound, "offers", "%s has no column “%s”.", f.target.table.Name, name)
		}
	}
	return nil
}
