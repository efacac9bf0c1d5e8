package query

import (
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
)

// A Spell is a span of time in a reference, half open.
type Spell struct {
	From time.Time `json:"from"`
	To   time.Time `json:"to"`
}

func stamp(f *dataset.Field, t time.Time) string {
	if f.Type == field.Date {
		return t.UTC().Format(time.DateOnly)
	}
	return t.UTC().Format(time.RFC3339Nano)
}

// A DateAxis is the date that divides a chart, and its place among the dimensions.
type DateAxis struct {
	Field *dataset.Field
	Place int
}

// TimeAxis finds the date that divides a chart, of which there is at most one; nil for none.
func TimeAxis(d Definition, ds *dataset.Dataset) *DateAxis {
	for i, dim := range d.Dimensions() {
		if f, err := ds.Field(dim.Field); err == nil && f.Type.Temporal() && dim.Part == 0 {
			return &DateAxis{f, i}
		}
	}
	return nil
}

// Dated is met by records with a date that can be read.
func Dated(f *dataset.Field) filter.Condition {
	return filter.And(filter.Compare(f.Name, filter.Filled), filter.Negate(filter.Compare(f.Name, filter.Unreadable)))
}

// Between is the conditions that a date lies from one time on and before another.
func Between(f *dataset.Field, from, to *time.Time) (parts []filter.Condition) {
	if from != nil {
		parts = append(parts, filter.Compare(f.Name, filter.AtLeast, stamp(f, *from)))
	}
	if to != nil {
		parts = append(parts, filter.Compare(f.Name, filter.Below, stamp(f, *to)))
	}
	return parts
}

// Stamped is the condition that a date lies in a range.
func Stamped(f *dataset.Field, r period.Range) filter.Condition {
	return filter.And(Between(f, &r.From, &r.To)...)
}

// Column is what a condition knows of a date field.
func Column(f *dataset.Field) filter.Column {
	return filter.Column{Label: f.Label, Type: f.Type, KeyType: f.Type, Zoned: f.Zoned}
}
