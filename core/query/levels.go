package query

import (
	"encoding/json"
	"fmt"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/problem"
)

// A Per is what a measure of two levels computes its inner measure for: the steps of a date,
// or the values of another field. Only those that have records count.
type Per struct {
	Field string       `json:"field"`
	Grain period.Grain `json:"grain,omitempty"`
}

// checkLevels tells in words what is wrong with a measure of two levels.
func (m Measure) checkLevels(ds *dataset.Dataset) error {
	switch {
	case m.Of == nil:
		return problem.New(problem.Missing, "per", "What is measured per %s?", ds.Label(m.Per.Field))
	case m.Per == nil:
		return problem.New(problem.Missing, "per", "%s of what, per what?", m.Aggregate.Is().Words)
	case !m.Aggregate.Is().Outer():
		return problem.New(problem.Invalid, string(m.Aggregate), "Of what is measured per something one takes the average, median, smallest, largest, a percentile or the spread.")
	case m.Of.Of != nil || m.Of.Aggregate == "" || !m.Of.Aggregate.Is().Mergeable || m.Of.Where != nil || m.Of.Then != nil:
		return problem.New(problem.Invalid, string(m.Aggregate), "What is measured per something is a number, sum, average, smallest, largest or spread of a field.")
	}
	if err := m.Of.check(ds); err != nil {
		return problem.At(string(m.Aggregate), err)
	}
	if !m.Of.Type(ds).Numeric() {
		return problem.New(problem.Invalid, string(m.Aggregate), "There is no %s of dates.", strings.ToLower(m.Aggregate.Is().Words))
	}
	if err := m.checkP(); err != nil {
		return err
	}
	f, err := Visible(ds, m.Per.Field)
	if err != nil {
		return problem.At("per", err)
	}
	switch {
	case !f.Type.Temporal() && m.Per.Grain != 0:
		return problem.New(problem.Invalid, "per.grain", "%s is not a date and has no grain.", f.Label)
	case f.Type.Temporal() && m.Per.Grain < period.Day, m.Per.Grain == period.Accounting:
		return problem.New(problem.Missing, "per.grain", "Per day, week, month, quarter, half-year or year of %s?", f.Label)
	case f.Type == field.Position:
		return problem.New(problem.Invalid, "per.field", "%s is a position and does not divide records.", f.Label)
	}
	return nil
}

// Per is what the definition's measures of two levels are for, nil where there are none.
func (d Definition) Per() *Per {
	for _, m := range d.Measures {
		if m.Per != nil {
			return m.Per
		}
	}
	return nil
}

// checkPer tells in words what in the definition does not suit its measures of two levels.
func (d Definition) checkPer(ds *dataset.Dataset) error {
	per := d.Per()
	if per == nil {
		return nil
	}
	for i, m := range d.Measures {
		if m.Per != nil && *m.Per != *per {
			return problem.New(problem.Invalid, fmt.Sprintf("measures[%d].per", i), "A chart measures per one thing only.")
		}
	}
	if !d.mergeable(ds) {
		return problem.New(problem.Invalid, "measures", "Beside a measure per %s stand only those that can be put together from parts; medians, percentiles and numbers of different values cannot.", ds.Label(per.Field))
	}
	return nil
}

// Undated is met by the records that are in no inner group of a definition's measures, and
// would be measured in one.
func (d Definition) Undated() filter.Condition {
	name, among := d.Per().Field, filter.Condition{}
	for _, m := range d.Measures {
		if m.Per == nil {
			continue
		}
		if m.Where == nil {
			among = filter.Condition{}
			break
		}
		among.Any = append(among.Any, *m.Where)
	}
	return filter.And(filter.Condition{Any: []filter.Condition{filter.Compare(name, filter.Empty), filter.Compare(name, filter.Unreadable), filter.Compare(name, filter.NotShown)}}, among)
}

func (p *Per) UnmarshalJSON(b []byte) error {
	type plain Per
	return problem.Decode(json.RawMessage(b), (*plain)(p))
}
