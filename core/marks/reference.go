// Package marks leads from a mark of a chart to the records behind it.
package marks

import (
	"time"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
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
	Beside int    `json:"beside,omitempty"`
	Keys   []Key  `json:"keys"`          // per dimension; none at all for the whole chart
	Was    string `json:"was,omitempty"` // the exact value that the mark shows
	// Then is the span that a mark of a comparison lies in, instead of the range that the
	// chart's date is filtered by.
	Then *query.Spell `json:"then,omitempty"`
	// Unreadable is the field of which the records that measures leave out are meant.
	Unreadable string `json:"unreadable,omitempty"`
}

// A Key is a mark's key in one dimension; the zero Key is any.
type Key struct {
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
	Run []Key `json:"run,omitempty"`
}

// IsAny tells whether the key stands for no value in particular.
func (k Key) IsAny() bool {
	return k.Is == nil && k.From == nil && k.To == nil && !k.Others && !k.None && len(k.Any) == 0 && !k.Outside && !k.NotShown && !k.Unreadable && len(k.Run) == 0
}

// Upto is the reference as far as the group goes that has a number: what it is split by, and its
// measure, are any.
func (r Reference) Upto(place int) Reference {
	keys := make([]Key, min(place+1, len(r.Keys)))
	if place < len(r.Keys) {
		keys[place] = r.Keys[place]
	}
	r.Keys, r.Measure, r.Unreadable, r.Beside = keys, 0, "", 0
	return r
}

// Grain is the step of an axis that the key stands for, by how long it is; none where it is no step.
func (k Key) Grain() period.Grain {
	if k.From == nil || k.To == nil {
		return 0
	}
	switch long := k.To.Sub(*k.From); {
	case long > 200*24*time.Hour:
		return period.Year
	case long > 40*24*time.Hour:
		return period.Quarter
	case long > 10*24*time.Hour:
		return period.Month
	case long > 36*time.Hour:
		return period.Week
	case long > 12*time.Hour:
		return period.Day
	}
	return period.Hour
}

// Keyed returns the condition that a mark's keys stand for, which is what a click on it
// chooses: without what the axis could place and without the measure's own condition.
func (r Reference) Keyed(d query.Definition, ds *dataset.Dataset) (filter.Condition, error) {
	parts, err := r.KeyedBy(d, ds)
	return filter.And(parts...), err
}

// KeyedBy returns Keyed by each of the chart's dimensions apart.
func (r Reference) KeyedBy(d query.Definition, ds *dataset.Dataset) (parts []filter.Condition, err error) {
	dims := d.Dimensions()
	if len(r.Keys) > len(dims) || r.Measure < 0 || r.Measure >= d.Width() || r.Unreadable != "" && r.Measure >= len(d.Measures) {
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
func (r Reference) keyed(k Key, i int, dim query.Dimension, ds *dataset.Dataset) (filter.Condition, error) {
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
			if _, err := query.Visible(ds, k.Furthest); err != nil {
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
	case k.Others && f.Several && (i >= len(r.Kept) || len(r.Kept[i]) == 0): // of which nothing was kept
		return compare(filter.Filled), nil
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
		return query.Dated(f), nil
	case k.Outside:
		return filter.Condition{Any: append(query.Between(f, nil, r.From), query.Between(f, r.To, nil)...)}, nil
	case r.Then != nil: // the span stands for the step
	case k.From != nil || k.To != nil:
		return filter.And(query.Between(f, k.From, k.To)...), nil
	}
	return filter.Condition{}, nil
}

// Unplaced tells whether the reference leads to records that dimension i cannot place; axis
// is set where that is the time axis.
func (r Reference) Unplaced(i int, axis bool) bool {
	if i >= len(r.Keys) {
		return false
	}
	k := r.Keys[i]
	return k.Unreadable || axis && (k.None || k.Outside || (k.From == nil) != (k.To == nil))
}

// Condition returns what a record of the mark meets besides the chart's own conditions.
func (r Reference) Condition(d query.Definition, ds *dataset.Dataset) (filter.Condition, error) {
	keyed, err := r.Keyed(d, ds)
	if err != nil {
		return keyed, err
	}
	parts := []filter.Condition{keyed}
	axis, placed := query.TimeAxis(d, ds), true
	var able []filter.Condition // to be placed in groups
	for i, dim := range d.Dimensions() {
		along := axis != nil && axis.Place == i
		placed = placed && !r.Unplaced(i, along)
		if f := ds.Find(dim.Field); f != nil && f.Unplaceable() && !along {
			able = append(able, filter.Negate(filter.Compare(dim.Field, filter.Unreadable)))
		}
	}
	if placed {
		parts = append(parts, able...)
	}
	switch {
	case r.Then != nil:
		f, _, err := d.Compared(ds)
		if err != nil || d.Compare == nil {
			return keyed, problem.New(problem.Conflict, "reference", "The chart has changed since this mark was drawn; load it again.")
		}
		parts = append(parts, query.Between(f, &r.Then.From, &r.Then.To)...)
	case axis != nil && placed && r.From == nil && r.To == nil: // the axis has no steps at all
		parts = append(parts, query.Dated(axis.Field))
	case axis != nil && placed:
		parts = append(parts, query.Between(axis.Field, r.From, r.To)...)
	}
	if r.Unreadable != "" {
		_, where := query.Unreadable(d, ds, true)
		c, known := where[r.Unreadable]
		if per := d.Per(); per != nil && per.Field == r.Unreadable {
			c, known = d.Undated(), true
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

// Behind is what a reference's records are asked of: for a mark of a dataset beside that
// dataset, with its own definition, filters and keys.
func (r Reference) Behind(d query.Definition, ds *dataset.Dataset, s query.Setting, sets query.Sets) (query.Definition, *dataset.Dataset, query.Setting, Reference, error) {
	i, m := d.Of(r.Measure)
	own := r.Beside > 0 && r.Beside <= len(d.Also) // it speaks of that dataset already
	if own {
		i, m, r.Beside = r.Beside-1, r.Measure, 0
	}
	if i < 0 {
		return d, ds, s, r, nil
	}
	other, set, err := d.With(i, ds, sets, period.Month)
	if err != nil {
		return d, ds, s, r, err
	}
	r.Measure = m
	there := s.Besides(i)
	if len(other.By) == 0 || own {
		return other, set, there, r, nil
	}
	f, g := ds.Find(d.By[0].Field), set.Find(other.By[0].Field)
	move := s.Mover(ds, set, f, g)
	keys := append([]Key{}, r.Keys...)
	for k := range keys {
		for _, t := range []**time.Time{&keys[k].From, &keys[k].To} {
			if *t != nil {
				at := move(**t)
				*t = &at
			}
		}
	}
	r.Keys = keys
	if query.TimeAxis(d, ds) == nil {
		return other, set, there, r, nil
	}
	// The other dataset's own date says what can be placed, within the chart's range.
	if err := d.Check(ds); err != nil {
		return other, set, there, r, err
	}
	s = s.In(ds)
	if span, _, fixed := query.Conditions(d, ds, s).Span(f.Name, query.Column(f), s.Env(nil)); fixed && !span.From.IsZero() && !span.To.IsZero() {
		there.Filters = filter.And(there.Filters, query.Stamped(g, period.Range{From: move(span.From), To: move(span.To)}))
	}
	r.From, r.To = nil, nil
	if !g.Planned() {
		end := s.In(set).Placeable(g)
		r.To = &end
	}
	return other, set, there, r, nil
}
