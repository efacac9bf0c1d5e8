package view

import (
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/core/sentence"
	"eskadel/live"
)

// MostFiled is how many records a file holds at most.
const MostFiled = 1_000_000

// A Filed is a list of records that leaves as a file.
type Filed struct {
	Title   string   // of the chart that they are behind
	Heading string   // how many there are
	Said    []string // what they are: their conditions, the row rule, when they were read
	Count   int64
	Fields  []*dataset.Field
	Dataset *dataset.Dataset
	zone    *time.Location
}

// Format is how the numbers of a field are written.
func (f *Filed) Format(i int) format.Number { return format.OfField(f.Dataset.Manner, f.Fields[i]) }

// Shown is a value as lists of records show it.
func (f *Filed) Shown(i int, v field.Value) string { return written(f.Dataset, f.Fields[i], v, f.zone) }

// Zone is where the moments of a field are read; nil for what is the same everywhere.
func (f *Filed) Zone(i int) *time.Location {
	if f.Fields[i].Zoned {
		return f.zone
	}
	return nil
}

// File hands on the records behind a mark of a widget, or all that it lists or counts, in the order
// and with the columns of a list: first what they are, then each with the values of its fields.
func (v *View) File(id string, ref marks.Reference, of Paging, begin func(*Filed) error, each func([]field.Value) error) error {
	q, err := v.recorded(id, ref)
	if err != nil {
		return err
	}
	of.Page = 0
	p, _, err := v.Engine.listed(v.ctx, q.doc, q.ds, v.Viewer, q.setting, ref, of)
	if err == nil {
		err = p.Choose(of.Columns, nil)
	}
	if err != nil {
		return err
	}
	p.Size = MostFiled
	list, err := v.behind(q, ref)
	if err != nil {
		return err
	}
	said := []string{v.Engine.says(v.ctx, list, q.ds, v.Viewer), rule.Words(q.ds, v.Viewer)}
	links := len(p.Dataset.LinkColumns())
	return v.Engine.Stream(v.ctx, p, v.Viewer, func(l *live.List) error {
		if l.Count > MostFiled {
			return problem.New(problem.TooMany, "", "These are %s, and a file holds %s: a narrower range, or fewer kinds, fits.", format.Records(q.ds, l.Count), q.ds.Manner.Count(MostFiled))
		}
		return begin(&Filed{Title: sentence.Title(q.doc, q.ds), Heading: strings.TrimSuffix(format.Records(q.ds, l.Count)+", "+of.Words, ", "), Said: append(said, made(q.ds, l.Count, l.At.In(p.Zone()))), Count: l.Count, Fields: p.Fields, Dataset: p.Dataset, zone: p.Zone()})
	}, func(row []field.Value) error { return each(row[links:][:len(p.Fields)]) })
}
