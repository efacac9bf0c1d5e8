package query

import (
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/problem"
)

// A Reference leads from a mark to its records: the clock of the request that drew it,
// what was kept, and the mark's keys. It carries no right: the row rules apply anew.
type Reference struct {
	Version int        `json:"version"` // of the published dashboard; 0 for a draft
	Now     time.Time  `json:"now"`
	From    *time.Time `json:"from,omitempty"` // what the time axis could place
	To      *time.Time `json:"to,omitempty"`
	Kept    [][]string `json:"kept,omitempty"` // per dimension that is cut
	Measure int        `json:"measure"`
	// Beside is the number, from 1, of the dataset beside that the reference is of, whose
	// measure and keys it names then.
	Beside int      `json:"beside,omitempty"`
	Keys   []KeyRef `json:"keys"`          // per dimension; none at all for the whole chart
	Was    string   `json:"was,omitempty"` // the exact value that the mark shows
	// Then is the span that a mark of a comparison lies in, instead of the range that the
	// chart's date is filtered by.
	Then *Spell `json:"then,omitempty"`
	// Unreadable is the field of which the records that measures leave out are meant.
	Unreadable string `json:"unreadable,omitempty"`
}

// A Spell is a span of time in a reference, half open.
type Spell struct {
	From time.Time `json:"from"`
	To   time.Time `json:"to"`
}

// A KeyRef is a mark's key in one dimension; the zero KeyRef is any.
type KeyRef struct {
	Is     *string    `json:"is,omitempty"`
	From   *time.Time `json:"from,omitempty"` // a step
	To     *time.Time `json:"to,omitempty"`
	Others bool       `json:"others,omitempty"`
	Not    []string   `json:"not,omitempty"` // of Others within a group: what was kept there
	None   bool       `json:"none,omitempty"`
	// Any stands for any of several values; or, of those that are Lost, for those whose
	// field Furthest has one of them.
	Any      []string `json:"any,omitempty"`
	Lost     []string `json:"lost,omitempty"`
	Furthest string   `json:"furthest,omitempty"`
	// Outside stands for what lies outside the span that the reference names.
	Outside bool `json:"outside,omitempty"`
	// NotShown stands for links to records that the viewer may not see.
	NotShown bool `json:"not_shown,omitempty"`
	// Unreadable stands for what cannot be placed, since it cannot be read or lies in no bin.
	Unreadable bool `json:"unreadable,omitempty"`
	// Run is the keys that a running figure goes over, and stands for all of their records.
	Run []KeyRef `json:"run,omitempty"`
}

func stamp(f *dataset.Field, t time.Time) string {
	if f.Type == field.Date {
		return t.UTC().Format(time.DateOnly)
	}
	return t.UTC().Format(time.RFC3339Nano)
}

// Keyed returns the condition that a mark's keys stand for, which is what a click on it
// chooses: without what the axis could place and without the measure's own condition.
func (r Reference) Keyed(d Definition, ds *dataset.Dataset) (filter.Condition, error) {
	parts, err := r.KeyedBy(d, ds)
	return filter.And(parts...), err
}

// KeyedBy returns Keyed by each of the chart's dimensions apart.
func (r Reference) KeyedBy(d Definition, ds *dataset.Dataset) (parts []filter.Condition, err error) {
	dims := d.Dimensions()
	if len(r.Keys) > len(dims) || r.Measure < 0 || r.Measure >= d.Width() {
		return nil, problem.New(problem.Conflict, "reference", "The chart has changed since this mark was drawn; load it again.")
	}
	for i, k := range r.Keys {
		c, err := r.keyed(k, i, dims[i], ds)
		if err != nil {
			return nil, err
		}
		parts = append(parts, c)
	}
	return parts, nil
}

// keyed is the condition that a key of dimension i stands for.
func (r Reference) keyed(k KeyRef, i int, dim Dimension, ds *dataset.Dataset) (filter.Condition, error) {
	f, err := ds.Field(dim.Field)
	if err != nil {
		return filter.Condition{}, err
	}
	compare := func(op filter.Op, values ...string) filter.Condition {
		c := filter.Compare(dim.Field, op, values...)
		if len(values) > 0 {
			c.Part = dim.Part
		}
		return c
	}
	switch {
	case len(k.Run) > 0:
		var any filter.Condition
		for _, one := range k.Run {
			one.Run = nil // a run is over single keys
			c, err := r.keyed(one, i, dim, ds)
			if err != nil {
				return c, err
			}
			any.Any = append(any.Any, c)
		}
		return any, nil
	case k.Is != nil:
		return compare(filter.Is, *k.Is), nil
	case len(k.Any) > 0:
		c := compare(filter.OneOf, k.Any...)
		if k.Furthest != "" && len(k.Lost) > 0 {
			if _, err := visible(ds, k.Furthest); err != nil {
				return filter.Condition{}, err
			}
			c = filter.Condition{Any: []filter.Condition{c, filter.And(filter.Compare(dim.Field, filter.OneOf, k.Lost...), filter.Compare(k.Furthest, filter.OneOf, k.Any...))}}
		}
		return c, nil
	case k.Unreadable:
		return filter.Compare(dim.Field, filter.Unreadable), nil
	case k.NotShown:
		return compare(filter.NotShown), nil
	case k.None:
		return compare(filter.Empty), nil
	case k.Others && f.Several:
		return compare(filter.OtherThan, r.Kept[i]...), nil
	case k.Others:
		parts := []filter.Condition{compare(filter.Filled)}
		if f.IsLink() {
			parts = append(parts, filter.Negate(compare(filter.NotShown)))
		}
		if f.Unplaceable() {
			parts = append(parts, filter.Negate(filter.Compare(dim.Field, filter.Unreadable)))
		}
		kept := k.Not
		if kept == nil && i < len(r.Kept) {
			kept = r.Kept[i]
		}
		if len(kept) > 0 {
			parts = append(parts, compare(filter.NoneOf, kept...))
		}
		return filter.And(parts...), nil
	case k.Outside && (r.From == nil || r.To == nil): // the axis has no steps at all
		return dated(f), nil
	case k.Outside:
		return filter.Condition{Any: append(between(f, nil, r.From), between(f, r.To, nil)...)}, nil
	case r.Then != nil: // the span stands for the step
	case k.From != nil || k.To != nil:
		return filter.And(between(f, k.From, k.To)...), nil
	}
	return filter.Condition{}, nil
}

// unplaced tells whether the reference leads to records that dimension i cannot place; axis
// is set where that is the time axis.
func (r Reference) unplaced(i int, axis bool) bool {
	if i >= len(r.Keys) {
		return false
	}
	k := r.Keys[i]
	return k.Unreadable || axis && (k.None || k.Outside || (k.From == nil) != (k.To == nil))
}

// axisField is the date that divides a chart, and its place among the dimensions.
type axisField struct {
	field *dataset.Field
	place int
}

// timeAxis finds the date that divides a chart, of which there is at most one; nil for none.
func timeAxis(d Definition, ds *dataset.Dataset) *axisField {
	for i, dim := range d.Dimensions() {
		if f, err := ds.Field(dim.Field); err == nil && f.Type.Temporal() && dim.Part == 0 {
			return &axisField{f, i}
		}
	}
	return nil
}

// dated is met by records with a date that can be read.
func dated(f *dataset.Field) filter.Condition {
	return filter.And(filter.Compare(f.Name, filter.Filled), filter.Negate(filter.Compare(f.Name, filter.Unreadable)))
}

func between(f *dataset.Field, from, to *time.Time) (parts []filter.Condition) {
	if from != nil {
		parts = append(parts, filter.Compare(f.Name, filter.AtLeast, stamp(f, *from)))
	}
	if to != nil {
		parts = append(parts, filter.Compare(f.Name, filter.Below, stamp(f, *to)))
	}
	return parts
}

// Condition returns what a record of the mark meets besides the chart's own conditions.
func (r Reference) Condition(d Definition, ds *dataset.Dataset) (filter.Condition, error) {
	keyed, err := r.Keyed(d, ds)
	if err != nil {
		return keyed, err
	}
	parts := []filter.Condition{keyed}
	axis, placed := timeAxis(d, ds), true
	var able []filter.Condition // to be placed in groups
	for i, dim := range d.Dimensions() {
		along := axis != nil && axis.place == i
		placed = placed && !r.unplaced(i, along)
		if f := ds.Find(dim.Field); f != nil && f.Unplaceable() && !along {
			able = append(able, filter.Negate(filter.Compare(dim.Field, filter.Unreadable)))
		}
	}
	if placed {
		parts = append(parts, able...)
	}
	switch {
	case r.Then != nil:
		f, _, err := d.compared(ds)
		if err != nil || d.Compare == nil {
			return keyed, problem.New(problem.Conflict, "reference", "The chart has changed since this mark was drawn; load it again.")
		}
		parts = append(parts, between(f, &r.Then.From, &r.Then.To)...)
	case axis != nil && placed && r.From == nil && r.To == nil: // the axis has no steps at all
		parts = append(parts, dated(axis.field))
	case axis != nil && placed:
		parts = append(parts, between(axis.field, r.From, r.To)...)
	}
	if r.Unreadable != "" {
		_, where := unread(d, ds, true)
		c, known := where[r.Unreadable]
		if per := d.per(); per != nil && per.Field == r.Unreadable {
			c, known = d.undated(), true
		}
		if !known {
			return keyed, problem.New(problem.Conflict, "reference", "The chart has changed since this was drawn; load it again.")
		}
		parts = append(parts, c)
	} else if r.Measure >= len(d.Measures) {
		return keyed, problem.New(problem.Conflict, "reference", "This mark is of another dataset.")
	} else if m := d.Measures[r.Measure]; m.Where != nil && placed {
		parts = append(parts, *m.Where)
	}
	return filter.And(parts...), nil
}

// PlacedRange returns the span that the plan's axis can place, nil without an axis.
func (p *Plan) PlacedRange() (r period.Range, ok bool) {
	for _, d := range p.Dims {
		if a := d.Axis; a != nil && len(a.Placed) > 0 {
			return period.Range{From: a.Placed[0], To: a.Placed[len(a.Placed)-1]}, true
		}
	}
	return r, false
}
