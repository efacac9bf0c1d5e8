// Package query turns a chart's definition into a plan: the SQL that the database
// groups with, and what is to be done with its rows (see core/calc). It runs nothing,
// and a plan it makes cannot be run before core/rule has sealed it.
package query

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

// An Aggregate computes one value from many records.
type Aggregate string

const (
	Count    Aggregate = "count" // of records, or of filled values of a field
	Distinct Aggregate = "distinct"
	Sum      Aggregate = "sum"
	Average  Aggregate = "average"
	Median   Aggregate = "median"
	Smallest Aggregate = "smallest"
	Largest  Aggregate = "largest"
	// Within formulas only.
	Percentile Aggregate = "percentile"
	Spread     Aggregate = "spread"
)

// Aggregates lists all aggregates, in the order menus offer them.
func Aggregates() []Aggregate {
	return []Aggregate{Sum, Count, Average, Median, Smallest, Largest, Distinct}
}

var aggregateWords = map[Aggregate]string{
	Count: "Number", Distinct: "Different values", Sum: "Sum", Average: "Average", Median: "Median", Smallest: "Smallest", Largest: "Largest",
}

func (a Aggregate) Words() string { return aggregateWords[a] }

// Additive tells whether the values of parts add up to the value of the whole.
func (a Aggregate) Additive() bool { return a == Count || a == Sum }

// mergeable tells whether the value of a whole can be had from its parts' components.
func (a Aggregate) mergeable() bool { return a != Distinct && a != Median && a != Percentile }

// Accepts tells whether the aggregate can be computed of a field of type t.
func (a Aggregate) Accepts(t field.Type) bool {
	switch a {
	case Count, Distinct:
		return true
	case Smallest, Largest:
		return t.Numeric() || t.Temporal()
	}
	return t.Numeric()
}

// Records stands for the field of a count of records.
const Records = "records"

// A Measure is one aggregate of one field, a measure of the dataset, or a formula over
// aggregates. In JSON: {"sum": "yard_cost"}, {"count": "records"}, {"measure": "overrun"},
// {"formula": "sum(yard_cost) / count(*)"}.
type Measure struct {
	Aggregate Aggregate
	Field     string
	Name      string // of a measure of the dataset
	Formula   string
	Where     *filter.Condition // only the records that meet it
	Label     string
	Format    string
}

func (m Measure) MarshalJSON() ([]byte, error) {
	parts := []string{fmt.Sprintf("%q:%s", m.Aggregate, quote(m.Field))}
	switch {
	case m.Name != "":
		parts[0] = `"measure":` + quote(m.Name)
	case m.Formula != "":
		parts[0] = `"formula":` + quote(m.Formula)
	}
	if m.Where != nil {
		b, err := json.Marshal(m.Where)
		if err != nil {
			return nil, err
		}
		parts = append(parts, `"where":`+string(b))
	}
	if m.Label != "" {
		parts = append(parts, `"label":`+quote(m.Label))
	}
	if m.Format != "" {
		parts = append(parts, `"format":`+quote(m.Format))
	}
	return []byte("{" + strings.Join(parts, ",") + "}"), nil
}

func quote(s string) string { b, _ := json.Marshal(s); return string(b) }

func (m *Measure) UnmarshalJSON(b []byte) error {
	*m = Measure{}
	var keys map[string]json.RawMessage
	if err := json.Unmarshal(b, &keys); err != nil {
		return problem.New(problem.Invalid, "", "A measure is an object such as {\"sum\": \"yard_cost\"}.")
	}
	for key, raw := range keys {
		var err error
		switch key {
		case "where":
			err = problem.Decode(raw, &m.Where)
		case "label":
			err = json.Unmarshal(raw, &m.Label)
		case "format":
			err = json.Unmarshal(raw, &m.Format)
		case "measure":
			err = problem.Decode(raw, &m.Name)
		case "formula":
			err = problem.Decode(raw, &m.Formula)
		default:
			if _, known := aggregateWords[Aggregate(key)]; !known || m.Aggregate != "" {
				return problem.New(problem.Invalid, key, "There is no key %q in a measure.", key)
			}
			m.Aggregate = Aggregate(key)
			err = json.Unmarshal(raw, &m.Field)
		}
		if err != nil {
			return problem.At(key, err)
		}
	}
	ways := 0
	for _, used := range []bool{m.Aggregate != "", m.Name != "", m.Formula != ""} {
		if used {
			ways++
		}
	}
	if ways != 1 {
		return problem.New(problem.Missing, "", "A measure says one thing to compute: count, sum, average …, a measure of the dataset or a formula.")
	}
	return nil
}

// Additive tells whether the values of parts add up to the value of the whole.
func (m Measure) Additive() bool { return m.Aggregate.Additive() }

// expr returns the formula of the measure, nil for a plain aggregate.
func (m Measure) expr(ds *dataset.Dataset) (*formula.Expr, error) {
	switch {
	case m.Name != "":
		kept, err := ds.Measure(m.Name)
		if err != nil {
			return nil, err
		}
		return kept.Expr, nil
	case m.Formula != "":
		e, err := ds.Formula(m.Formula)
		if err == nil && (e.Width == formula.PerRecord || !e.Type.Numeric() && !e.Type.Temporal()) {
			err = problem.New(problem.Invalid, "", "A measure is a number or a date computed over groups: take sum, avg, count … of the fields.")
		}
		return e, problem.At("formula", err)
	}
	return nil, nil
}

// Type is the type of the measure's values.
func (m Measure) Type(ds *dataset.Dataset) field.Type {
	if e, err := m.expr(ds); err == nil && e != nil {
		return e.Type
	}
	if m.Aggregate == Count || m.Aggregate == Distinct {
		return field.Integer
	}
	if f, err := ds.Field(m.Field); err == nil {
		return f.Type
	}
	return field.Number
}

// A Dimension divides records by a field.
type Dimension struct {
	Field   string       `json:"field"`
	Grain   period.Grain `json:"grain,omitempty"`   // of a date; a fitting one when left out
	Part    period.Part  `json:"part,omitempty"`    // of a date: what repeats, instead of a grain
	Largest int          `json:"largest,omitempty"` // keep only so many
	Others  bool         `json:"others,omitempty"`  // and put the rest together
	Empty   bool         `json:"empty,omitempty"`   // also list values that no record has
}

// A Sort orders the first group. Without one, dates go by time, listed values by
// their list, others by the first measure, largest first.
type Sort struct {
	By         string `json:"by"`                   // label, list or measure
	Measure    int    `json:"measure,omitempty"`    // which measure, from 0
	Descending bool   `json:"descending,omitempty"` // largest or last first
}

// A Definition says what a chart computes.
type Definition struct {
	Version  int               `json:"version"`
	Dataset  string            `json:"dataset"`
	Measures []Measure         `json:"measures"`
	By       []Dimension       `json:"by,omitempty"`
	Split    *Dimension        `json:"split,omitempty"`
	Where    *filter.Condition `json:"where,omitempty"`
	Sort     *Sort             `json:"sort,omitempty"`
}

// Dimensions returns the groups and the split as one list.
func (d Definition) Dimensions() []Dimension {
	dims := append([]Dimension{}, d.By...)
	if d.Split != nil {
		dims = append(dims, *d.Split)
	}
	return dims
}

// Most is how many dimensions and measures a definition may have.
const Most = 8

// Check tells in words what in the definition does not suit the dataset, or is still missing.
func (d Definition) Check(ds *dataset.Dataset) error {
	if d.Version != 1 {
		return problem.New(problem.Invalid, "version", "This program reads version 1 of a chart, not %d.", d.Version)
	}
	if len(d.Measures) == 0 {
		return problem.New(problem.Missing, "measures", "Choose what to measure.")
	}
	if len(d.Measures) > Most || len(d.By) > Most {
		return problem.New(problem.TooMany, "measures", "A chart has at most %d measures and %d groups.", Most, Most)
	}
	for i, m := range d.Measures {
		if err := m.check(ds); err != nil {
			return problem.At(fmt.Sprintf("measures[%d]", i), err)
		}
	}
	seen, dates := map[string]bool{}, 0
	for i, dim := range d.Dimensions() {
		place := fmt.Sprintf("by[%d]", i)
		if i == len(d.By) {
			place = "split"
		}
		f, err := visible(ds, dim.Field)
		if err != nil {
			return problem.At(place, err)
		}
		if seen[dim.Field] {
			return problem.New(problem.Invalid, place+".field", "%s divides the chart already.", f.Label)
		}
		seen[dim.Field] = true
		switch {
		case f.Type == field.Position:
			return problem.New(problem.Invalid, place+".field", "%s is a position and does not divide records.", f.Label)
		case dim.Part != 0:
			if !f.Type.Temporal() || f.Type == field.Date && dim.Part == period.HourOfDay {
				return problem.New(problem.Invalid, place+".part", "%s holds a %s, which has no %s.", f.Label, f.Type, dim.Part)
			}
			if dim.Grain != 0 {
				return problem.New(problem.Invalid, place+".part", "A date is divided by a grain or by a part, not by both.")
			}
		case f.Type.Temporal():
			if dates++; dates > 1 {
				return problem.New(problem.Invalid, place+".field", "A chart has one time axis: %s is a second date.", f.Label)
			}
			if f.Type == field.Date && dim.Grain != 0 && dim.Grain < period.Day {
				return problem.New(problem.Invalid, place+".grain", "%s has no time of day, so it cannot be divided by %s.", f.Label, dim.Grain)
			}
			if dim.Largest != 0 || dim.Empty {
				return problem.New(problem.Invalid, place+".largest", "Steps of a time axis are not cut; set a range of dates instead.")
			}
		case dim.Grain != 0:
			return problem.New(problem.Invalid, place+".grain", "%s is not a date and has no grain.", f.Label)
		}
		if dim.Largest < 0 || dim.Largest > 1000 || dim.Others && dim.Largest == 0 {
			return problem.New(problem.Invalid, place+".largest", "Keep from 1 to 1000 of the largest.")
		}
	}
	if d.Sort != nil {
		if s := d.Sort; s.By != "label" && s.By != "list" && s.By != "measure" || s.Measure < 0 || s.Measure >= len(d.Measures) {
			return problem.New(problem.Invalid, "sort", "Sort by label, by list or by one of the measures.")
		}
	}
	if d.Where != nil {
		return problem.At("where", checkVisible(*d.Where, ds))
	}
	return nil
}

func (m Measure) check(ds *dataset.Dataset) error {
	if m.Where != nil {
		if err := checkVisible(*m.Where, ds); err != nil {
			return problem.At("where", err)
		}
	}
	if e, err := m.expr(ds); err != nil || e != nil {
		if err == nil {
			for _, name := range formula.Uses(m.Formula) {
				if f := ds.Find(name); f != nil && f.Hidden {
					_, err = visible(ds, name)
				}
			}
		}
		return err
	}
	if m.Aggregate == Count && m.Field == Records {
		return nil
	}
	if m.Field == "" {
		return problem.New(problem.Missing, "field", "%s of which field?", m.Aggregate.Words())
	}
	f, err := visible(ds, m.Field)
	if err != nil {
		return err
	}
	if !m.Aggregate.Accepts(f.Type) || f.IsLink() && m.Aggregate != Count && m.Aggregate != Distinct {
		return problem.New(problem.Invalid, "field", "There is no %s of %s, which holds a %s.", strings.ToLower(m.Aggregate.Words()), f.Label, f.Type)
	}
	return nil
}

// visible finds a field that charts may refer to: to them a hidden one does not exist.
func visible(ds *dataset.Dataset, name string) (*dataset.Field, error) {
	if f, err := ds.Field(name); err != nil || !f.Hidden {
		return f, err
	}
	return nil, problem.New(problem.NotFound, "field", "%s has no field “%s”.", ds.Title, name)
}

// checkVisible refuses hidden fields where a condition names them itself; a condition that
// the builder keeps by name may use them.
func checkVisible(c filter.Condition, ds *dataset.Dataset) error {
	for _, name := range c.Fields() {
		if _, err := visible(ds, name); err != nil {
			return err
		}
	}
	if err := ds.CheckSettings(c); err != nil {
		return err
	}
	return c.In(ds.Context(nil, nil)).Check(dataset.NewScope(ds, nil, filter.Env{Bind: &statement.Binder{}, Calendar: period.ISO(time.UTC)}))
}

// CheckCondition tells in words what is wrong with a condition that a person set on a dataset.
func CheckCondition(c filter.Condition, ds *dataset.Dataset) error { return checkVisible(c, ds) }

// Settings returns the settings of the dataset that the definition's numbers depend on,
// by way of its fields, measures and conditions.
func (d Definition) Settings(ds *dataset.Dataset) []string {
	var names []string
	condition := func(c *filter.Condition) {
		if c != nil {
			whole := c.Unfolded(ds.Context(nil, nil).Named)
			names = append(names, whole.Fields()...)
			names = append(names, whole.Settings()...)
		}
	}
	for _, m := range d.Measures {
		names = append(names, m.Field)
		if e, err := m.expr(ds); err == nil && e != nil {
			names = append(names, e.Uses()...)
		}
		condition(m.Where)
	}
	for _, dim := range d.Dimensions() {
		names = append(names, dim.Field)
	}
	condition(d.Where)
	condition(ds.BaseFilter)
	return ds.SettingsOf(names)
}
