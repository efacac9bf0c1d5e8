package chart

import (
	"slices"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// Fits tells in words why the chart cannot be drawn in a form.
func (d *Document) Fits(f Form, ds *dataset.Dataset) error {
	t := &trying{d: d, ds: ds, form: f.shape(), name: locale.Upper(f.Words()), drawn: d.drawn()}
	switch {
	case len(d.Also) > 0 && !t.form.besides:
		return t.no("%s shows one dataset: take away the others, or take columns, lines, bars, a table or key figures.", t.name)
	case f.Lists() && (len(d.Dimensions()) > 0 || len(d.Measures) > 1):
		return t.no("%s shows single records: take away the groups and all measures but one first.", t.name)
	case t.form.fits == nil:
		return nil
	}
	return t.form.fits(t)
}

// Settled is the chart in its form, or in the nearest one that it fits in.
func (d *Document) Settled(ds *dataset.Dataset) *Document {
	out := *d
	for _, f := range []Form{d.Form, {Kind: d.Form.Kind}, Bars, Columns, StackedBars, StackedColumns, Line, Table} {
		if out.Form = f; d.Fits(f, ds) == nil {
			break
		}
	}
	return &out
}

// Sorted is the chart as a reader has sorted it: a list by a field of its records, a table by the
// figures of a measure within its last group. What cannot be sorted so stays as it is.
func (d *Document) Sorted(name string, measure int, descending bool, ds *dataset.Dataset) *Document {
	out := *d
	switch {
	case d.Form.Laid().Own && name != "":
		if _, err := query.Visible(ds, name); err != nil {
			return d
		}
		out.Order = &Order{name, descending}
	case name == "" && len(d.By) > 0 && measure < d.Width():
		out.By = slices.Clone(d.By)
		out.By[len(d.By)-1].Sort = &query.Sort{By: "measure", Measure: measure, Descending: descending}
		if out.Check(ds) != nil {
			return d
		}
	}
	return &out
}

// trying is a chart that is tried in a form.
type trying struct {
	d     *Document
	ds    *dataset.Dataset
	form  *shape
	name  string // of the form, at the beginning of a sentence
	drawn int    // measures
}

func (t *trying) no(words string, args ...any) error {
	return problem.New(problem.Invalid, "", words, args...)
}

// grouped asks for something to divide by.
func (t *trying) grouped() error {
	if len(t.d.By) == 0 {
		return problem.New(problem.Missing, "", "Choose what to divide by, so that there is something to draw.")
	}
	return nil
}

// single asks for one group, and one level of a split.
func (t *trying) single() error {
	switch err := t.grouped(); {
	case err != nil:
		return err
	case len(t.d.Across) > 0:
		return t.no("Only a pivot has several levels of a split.")
	case len(t.d.By) > 1:
		return t.no("%s shows one group; a table or a pivot shows several.", t.name)
	}
	return nil
}

// sides is what stands side by side: one group, and either a split or several measures.
func (t *trying) sides() error {
	if err := t.single(); err != nil {
		return err
	}
	if t.d.Split != nil && t.drawn > 1 {
		return t.no("A chart that is split shows one measure; a table shows several.")
	}
	return nil
}

func (t *trying) stacked() error {
	if err := t.sides(); err != nil {
		return err
	}
	if t.d.Split == nil && t.drawn == 1 {
		return t.no("There is nothing to stack: split by another field first.")
	}
	if x := t.d.Overlaps(t.ds); x != nil {
		return t.no("Stacked parts must add up, and parts by %s overlap: it can hold several values.", x.Label)
	}
	for _, m := range t.d.Measures {
		if !m.Aside && (!m.Additive() || m.Then != nil && m.Then.RunningTotal == nil && m.Then.Share == "") {
			return t.no("Stacked parts must add up, and parts of a %s do not.", strings.ToLower(m.Aggregate.Is().Words))
		}
	}
	return nil
}

func (t *trying) combined() error {
	if err := t.sides(); err != nil {
		return err
	}
	if x := t.d.Overlaps(t.ds); x != nil && t.d.Split != nil {
		return t.no("Columns stand on each other here, and parts by %s overlap: it can hold several values. A line does not stack.", x.Label)
	}
	if t.drawn < 2 && t.d.Split == nil {
		return t.no("Columns and lines draw two measures or more: add another.")
	}
	return nil
}

// additive asks that parts add up to a whole.
func (t *trying) additive() error {
	if x := t.d.Overlaps(t.ds); x != nil {
		return t.no("%s show parts of a whole, and parts by %s overlap: it can hold several values.", t.name, x.Label)
	}
	for _, m := range t.d.Measures {
		if !m.Additive() && !m.Aside {
			return t.no("%s show parts of a whole, and parts of a %s do not add up.", t.name, strings.ToLower(m.Aggregate.Is().Words))
		}
	}
	return nil
}

func (t *trying) shares() error {
	if err := t.sides(); err != nil {
		return err
	}
	if t.drawn > 1 {
		return t.no("%s shows one measure.", t.name)
	}
	return t.additive()
}

func (t *trying) stages() error {
	if err := t.sides(); err != nil {
		return err
	}
	if t.drawn > 1 || t.d.Split != nil {
		return t.no("A funnel shows one measure of stages, without a split.")
	}
	if x := t.ds.Find(t.d.By[0].Field); x == nil || len(x.List) < 2 {
		return t.no("A funnel follows stages in order: divide by a field that has a pick list.")
	}
	return t.additive()
}

func (t *trying) scatter() error {
	if err := t.single(); err != nil {
		return err
	}
	if m := t.d.Measures; t.drawn < 2 || t.drawn > 3 || m[1].Aside || len(m) > 2 && m[2].Aside && t.drawn > 2 {
		return t.no("A scatter needs two measures, one for each axis, and may have a third for the size.")
	}
	return nil
}

func (t *trying) crossed() error {
	if err := t.single(); err != nil {
		return err
	}
	if t.d.Split == nil {
		return t.no("%s crosses two divisions: split by another field.", t.name)
	}
	return nil
}

func (t *trying) risks() error {
	if err := t.crossed(); err != nil {
		return err
	}
	if !onList(t.d.By[0], t.ds) {
		return t.no("A risk grid stands on two scales of numbers or lists, such as likelihood and severity.")
	}
	return nil
}

// onList tells whether a dimension's values have an order of their own.
func onList(dim query.Dimension, ds *dataset.Dataset) bool {
	f := ds.Find(dim.Field)
	return f != nil && (len(f.List) > 0 || f.Type.Numeric())
}

func (t *trying) headline() error {
	if len(t.d.Dimensions()) > 0 {
		return t.no("Key figures are of all records together: take away the groups first.")
	}
	return nil
}

func (t *trying) gauge() error {
	if len(t.d.Dimensions()) > 0 {
		return t.no("A gauge shows one figure: take away the groups first.")
	}
	f := t.d.finish()
	high, target := limit(f.High), t.d.Target
	switch {
	case t.drawn != 1:
		return t.no("A gauge shows one measure.")
	case high == nil && target == nil:
		return problem.New(problem.Missing, "", "A gauge needs the end of its scale, or a target: how much is full?")
	case high != nil && limit(f.Low) != nil && *limit(f.Low) >= *high, high != nil && f.Low == "" && *high <= 0:
		return t.no("The gauge's scale ends before it begins.")
	}
	return nil
}

func (t *trying) nested() error {
	if err := t.grouped(); err != nil {
		return err
	}
	if t.d.Split == nil && len(t.d.By) < 2 {
		return t.no("A pivot crosses or nests groups: split by another field, or divide by a second one.")
	}
	return nil
}

func (t *trying) folded() error {
	switch err := t.grouped(); {
	case err != nil:
		return err
	case len(t.d.By) < 2:
		return t.no("A grouped table folds details into groups: divide by a second field.")
	case t.d.Split != nil:
		return t.no("A grouped table has no split; a pivot has.")
	}
	return nil
}
