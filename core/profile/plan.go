// Package profile looks at what is in the fields of a dataset: how filled, how many
// different values, how large and small, what is most frequent, and what is odd, as
// sentences with an offer. It plans two statements, one over all records and one over a
// sample, and computes from what they return; it runs nothing.
package profile

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/statement"
)

// SampleSize is about how many records are looked at one by one.
const SampleSize = 10_000

// wholeLimit is the estimated number of records up to which smallest, largest and
// counts come from all records; beyond it they come from the sample too.
const wholeLimit = 300_000

// A Plan asks for a profile. It is a rule.Plans.
type Plan struct {
	dataset *dataset.Dataset
	fields  []*dataset.Field
	setting query.Setting
	rows    int64 // estimated
	even    bool
	kept    *Profile // of which all other fields are taken
}

// Even makes the sample depend on nothing but the records that the viewer may see: those
// first by a hash of their key, of all of them. It is slower on large tables, and tells
// nothing of how many records there are besides.
func (p *Plan) Even() *Plan {
	p.even = true
	return p
}

// New plans the profile of a dataset, of all fields or of those named.
func New(ds *dataset.Dataset, s query.Setting, only ...string) *Plan {
	p := &Plan{dataset: ds, setting: s}
	for _, f := range ds.Order() {
		if f.Type != field.Position && !f.Several && (len(only) == 0 || slices.Contains(only, f.Name)) {
			p.fields = append(p.fields, f)
		}
	}
	for _, t := range ds.Table.Bases() {
		p.rows = max(p.rows, t.Rows)
	}
	return p
}

// Again plans the profile of a dataset that a repair has changed a little: of the fields
// that are other than they were, and of what is computed of any; the rest is taken from
// its profile before. It is nil where more than fields is other.
func Again(ds *dataset.Dataset, s query.Setting, before *dataset.Document, kept *Profile) *Plan {
	now, was := ds.Document, *before
	now.Fields, was.Fields = nil, nil
	if !bytes.Equal(now.JSON(), was.JSON()) {
		return nil
	}
	had := map[string][]byte{}
	for _, f := range before.Fields {
		had[f.Name], _ = json.Marshal(f)
	}
	var changed []string
	for _, f := range ds.Document.Fields {
		if b, _ := json.Marshal(f); f.Formula != "" || f.Groups != nil || f.Bins != nil || !bytes.Equal(b, had[f.Name]) {
			changed = append(changed, f.Name)
		}
	}
	if len(changed) == 0 {
		changed = append(changed, ds.Document.Fields[0].Name)
	}
	p := New(ds, s, changed...)
	p.kept = kept
	return p
}

// Data is the dataset the plan reads.
func (p *Plan) Data() *dataset.Dataset { return p.dataset }

// Whole tells whether counts, smallest and largest are those of all records.
func (p *Plan) Whole() bool { return p.even || p.rows <= wholeLimit }

// ordered tells whether a field has a smallest and a largest value.
func ordered(f *dataset.Field) bool { return f.Type.Numeric() || f.Type.Temporal() }

// Compile writes the two statements. The first has one row: the number of records, then
// for each field how many are filled, how many unreadable, smallest and largest. The
// second has a row per record looked at, with every field as readers see it.
func (p *Plan) Compile(g *dataset.Guard) ([]statement.Statement, error) {
	var out []statement.Statement
	for _, sample := range []bool{false, true} {
		bind := &statement.Binder{}
		scope := dataset.NewScope(p.dataset, g, filter.Env{Bind: bind, Now: p.setting.Now, Calendar: p.setting.Calendar, Settings: p.setting.Settings})
		columns := []string{}
		for i, f := range p.fields {
			col, err := scope.Column(f.Name)
			if err != nil {
				return nil, err
			}
			unreadable := scope.Unreadable(f)
			if unreadable == "" {
				unreadable = "false"
			}
			if col.Finite != "" {
				col.Text = "(case when " + col.Finite + " then " + col.Text + " end)"
			}
			columns = append(columns, fmt.Sprintf("%s as f%d, %s as u%d", col.Text, i, unreadable, i))
		}
		if len(columns) == 0 {
			columns = []string{"1 as one"}
		}
		where := "true"
		if p.dataset.BaseFilter != nil {
			var err error
			if where, err = scope.Condition(p.dataset.BaseFilter.In(p.dataset.Context(p.setting.Viewer, p.setting.Settings))); err != nil {
				return nil, err
			}
		}
		admitted, err := scope.Admitted()
		if err != nil {
			return nil, err
		}
		where = statement.And(admitted, where)
		if !p.even && p.rows > SampleSize && (sample || !p.Whole()) {
			// Pages hold neighbours, so that a large table is read in many places: both
			// statements look at the same pages, the second at a few records of each.
			percent := 150 * float64(SampleSize) / float64(p.rows)
			if !p.Whole() {
				percent = 100 * float64(wholeLimit) / float64(p.rows)
			}
			thin := scope.Sample(min(100, percent), !p.Whole())
			if sample && thin != "" { // of each of the same pages only a few records
				where = statement.And(where, fmt.Sprintf("hashtext(%s::text) %% %d = 0", thin, wholeLimit/SampleSize))
			}
		}
		inner := "select " + strings.Join(columns, ", ") + " from " + scope.From() + " where " + where
		switch {
		case sample && p.even:
			inner += fmt.Sprintf(" order by hashtextextended(%s, 0), %s limit %d", scope.Identity(), strings.Join(scope.KeyColumns(), ", "), SampleSize)
		case sample:
			inner += fmt.Sprintf(" limit %d", 2*SampleSize)
		case !p.Whole():
			inner += fmt.Sprintf(" limit %d", wholeLimit)
		}
		outer := []string{"count(*)"}
		for i, f := range p.fields {
			if sample {
				outer = append(outer, fmt.Sprintf("d.f%d", i))
				continue
			}
			outer = append(outer, fmt.Sprintf("count(d.f%d), count(*) filter (where d.u%d)", i, i))
			if ordered(f) {
				outer = append(outer, fmt.Sprintf("min(d.f%d), max(d.f%d)", i, i))
			}
		}
		if sample {
			outer = append(outer[1:], "1")
		}
		out = append(out, statement.Statement{SQL: "select " + strings.Join(outer, ", ") + " from (" + inner + ") d", Args: bind.Args()})
	}
	return out, nil
}

// calendar and now of a field, for its dates.
func (p *Plan) clock(f *dataset.Field) (period.Calendar, time.Time) { return p.setting.For(f) }
