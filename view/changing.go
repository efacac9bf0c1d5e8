package view

import (
	"slices"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/edit"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/sql"
	"eskadel/source"
)

// A Held is a record as whoever may change it looks at it.
type Held struct {
	Dataset *dataset.Dataset
	Key     []string
	Version string // of its row, which a change must name
	Title   string // what its first field shows
	Fields  []HeldField
	Zone    *time.Location
	plan    *sql.Record
}

// A HeldField is a field of a record.
type HeldField struct {
	*dataset.Field
	Shown string
	Edits bool        // it may be changed
	Value field.Value // of one that may be changed
}

// Find finds a field of the record that may be changed.
func (h *Held) Find(name string) (*HeldField, error) {
	for i := range h.Fields {
		if f := &h.Fields[i]; f.Field.Name == name && f.Edits {
			return f, nil
		}
	}
	return nil, problem.New(problem.Forbidden, "field", "This field is not changed here.")
}

// A changing is a widget's table of records for whoever may change some of their fields.
type changing struct {
	ds      *dataset.Dataset
	setting query.Setting
	edits   []*dataset.Field
	show    []string // the fields of the table; all of them when there are none
}

func (v *View) changing(id string) (c changing, err error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return c, err
	}
	doc, ds, err := v.Document(w)
	if err != nil {
		return c, err
	}
	if doc != nil && v.Changes {
		c.ds, c.edits, c.show = ds, doc.Edits(ds, v.Viewer.Roles), doc.Show
	}
	if len(c.edits) == 0 {
		return c, problem.New(problem.Forbidden, "", "Records are not changed by you here.")
	}
	c.setting, err = v.setting(ds, filter.Condition{}, time.Time{})
	c.setting = c.setting.In(ds)
	return c, err
}

// Hold reads a record of a widget's table, with the fields that the viewer may change.
func (v *View) Hold(id string, key []string) (*Held, error) {
	c, err := v.changing(id)
	if err != nil {
		return nil, err
	}
	plan := &sql.Record{Dataset: c.ds, Setting: c.setting, Key: key, Fields: c.edits}
	for _, f := range c.ds.Visible() {
		if !slices.Contains(c.edits, f) && (v.Whole || len(c.show) == 0 || slices.Contains(c.show, f.Name)) {
			plan.Beside = append(plan.Beside, f)
		}
	}
	row, err := v.record(plan)
	if err != nil {
		return nil, err
	}
	return held(plan, row), nil
}

// record asks for one record of which the source's own answer is wanted, not one that is kept.
func (v *View) record(plan *sql.Record) ([]field.Value, error) {
	sealed, err := rule.Seal(plan, v.Viewer)
	if err != nil {
		return nil, err
	}
	src, err := v.Engine.Source(plan.Dataset.Source)
	if err != nil {
		return nil, err
	}
	rows, err := src.Run(v.ctx, sealed)
	if err != nil {
		return nil, err
	}
	if len(rows[0]) != 1 {
		return nil, problem.New(problem.NotFound, "", "There is no such record, or none that you may see.")
	}
	return rows[0][0], nil
}

// held is a record as a plan of it was answered, its fields in the order of the dataset.
func held(plan *sql.Record, row []field.Value) *Held {
	h := &Held{Dataset: plan.Dataset, Key: plan.Key, Version: row[0].Exact(), Zone: plan.Setting.Calendar.Zone, plan: plan}
	for _, f := range plan.Dataset.Visible() {
		one := HeldField{Field: f}
		if i := slices.Index(plan.Fields, f); i >= 0 {
			if one.Edits, one.Value = true, row[1+3*i]; !one.Value.IsEmpty() {
				one.Shown = written(plan.Dataset, f, row[3+3*i], h.Zone)
			}
		} else if i := slices.Index(plan.Beside, f); i >= 0 {
			one.Shown = written(plan.Dataset, f, row[1+3*len(plan.Fields)+i], h.Zone)
		} else {
			continue
		}
		h.Fields = append(h.Fields, one)
	}
	h.Title = h.Fields[0].Shown
	return h
}

// mostOthers is how many records are offered that a link may lead to; the others are found by a search.
const mostOthers = 200

// Control is how a field of a record is changed by hand; find looks for records that a link may lead to,
// of which there are more than are offered where more is set.
func (v *View) Control(h *Held, name, find string) (c edit.Control, more bool, err error) {
	f, err := h.Find(name)
	if err != nil {
		return c, false, err
	}
	var others []edit.Option
	if f.IsLink() {
		if others, more, err = v.others(h.Dataset, f.Field, find); err != nil {
			return c, false, err
		}
	}
	if len([]rune(f.Value.Exact())) > edit.MostTyped {
		return c, false, problem.New(problem.TooMany, name, "This text is too long to be changed here.")
	}
	return edit.Of(h.Dataset, f.Field, f.Value, f.Shown, others, h.Zone), more, nil
}

// others are the records that a link may lead to, as far as the viewer may see them.
func (v *View) others(ds *dataset.Dataset, f *dataset.Field, find string) (out []edit.Option, more bool, err error) {
	target, err := ds.Target(f)
	if err != nil {
		return nil, false, err
	}
	var where filter.Condition
	if find != "" {
		where = filter.Compare("shown", filter.Contains, find)
	}
	plan := planner.NewList(rule.See(target, v.Viewer), v.Engine.Setting(target, v.Viewer, where, time.Time{}), mostOthers)
	plan.Keyed = true
	if err := plan.By(0, "shown", false); err != nil {
		return nil, false, err
	}
	l, err := v.Engine.Records(v.ctx, plan, v.Viewer)
	if err != nil {
		return nil, false, err
	}
	for _, r := range NewPage(l).Rows {
		if len(r.Key) == 1 {
			out = append(out, edit.Option{Value: r.Key[0], Label: r.Cells[0].Text})
		}
	}
	return out, l.Count > mostOthers || find != "", nil
}

// A Change is a change of a field of a record that is about to be made.
type Change struct {
	*Held
	Field *HeldField
	Value field.Value
	plan  *sql.Change
}

// Change reads what was typed for a field of a record, which must be as it was when version was read.
func (v *View) Change(h *Held, name, typed, version string) (*Change, error) {
	f, err := h.Find(name)
	if err != nil {
		return nil, err
	}
	value, err := edit.Read(h.Dataset, f.Field, typed, h.Zone)
	if err != nil {
		return nil, err
	}
	return v.Put(h, f, value, version)
}

// Put is Change for a value.
func (v *View) Put(h *Held, f *HeldField, value field.Value, version string) (*Change, error) {
	c := &Change{Held: h, Field: f, Value: value}
	if f.IsLink() && !value.IsEmpty() && !value.Equal(f.Value) {
		_, err := v.led(h.Dataset, f.Field, value.Exact())
		if problem.Is(err, problem.NotFound) {
			return nil, problem.New(problem.NotFound, f.Name, "%s cannot lead there: there is no such record, or none that you may see.", f.Label)
		}
		if err != nil {
			return nil, err
		}
	}
	c.plan = &sql.Change{Record: *h.plan, Field: f.Field, Version: version}
	if !value.IsEmpty() {
		c.plan.Value = value.Exact()
	}
	return c, nil
}

// led is what stands for the record that a link leads to, as far as the viewer may see it.
func (v *View) led(ds *dataset.Dataset, f *dataset.Field, key string) (string, error) {
	target, err := ds.Target(f)
	if err != nil {
		return "", err
	}
	target = rule.See(target, v.Viewer)
	plan := &sql.Record{Dataset: target, Setting: v.Engine.Setting(target, v.Viewer, filter.Condition{}, time.Time{}), Key: []string{key}, Beside: target.Visible()}
	row, err := v.record(plan)
	if err != nil || len(row) < 2 {
		return "", err
	}
	return row[1].Exact(), nil
}

// Make makes a change as the source's role for changes. kept is given what the field held and the record
// as it is then, just before it is kept.
func (v *View) Make(c *Change, kept func(was field.Value, now *Held) error) error {
	src, err := v.Engine.Source(c.Dataset.Source)
	if err != nil {
		return err
	}
	sealed, err := rule.SealChange(c.plan, v.Viewer)
	if err != nil {
		return err
	}
	var was field.Value
	err = src.Change(v.ctx, sealed, func(version string, value field.Value) error {
		if was = value; version != c.plan.Version {
			return problem.New(problem.Outdated, c.Field.Name, "This record was changed meanwhile.")
		}
		return nil
	}, func(again []field.Value) error { return kept(was, held(&c.plan.Record, again)) })
	if err == nil {
		v.Touched(c.Dataset)
	}
	return err
}

// Touched tells that records of a dataset were changed, where nothing else does.
func (v *View) Touched(ds *dataset.Dataset) {
	if !ds.Table.Watched {
		v.Engine.Hub.Changed(ds.Source, source.Change{Table: ds.Table.ID()})
	}
}

// Said is what a field of a record would show of a value that it had, as it is written exactly.
func (v *View) Said(h *Held, f *HeldField, exact *string) string {
	if exact == nil {
		return ""
	}
	if !f.IsLink() {
		value, err := field.Parse(f.Type, *exact)
		if err != nil {
			return *exact
		}
		return written(h.Dataset, f.Field, value, h.Zone)
	}
	shown, err := v.led(h.Dataset, f.Field, *exact)
	if err != nil {
		return "(not shown)"
	}
	return shown
}
