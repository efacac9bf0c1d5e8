package sql

import (
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/query"
)

// A Column of a plan's result: one component of one atom.
type Column struct {
	Component aggregate.Component
	Atom      int
}

// An Axis is the steps of a date dimension.
type Axis struct {
	Grain    period.Grain
	Range    period.Range // what the axis shows; a zero end when there are no records
	Borders  []time.Time  // of all steps, n steps have n+1
	Placed   []time.Time  // as bound: the last is cut to now on a field of what happened
	Begun    int          // how many steps have begun
	From, To bool         // which ends of the range a filter sets
	Asked    period.Grain // the grain asked for, where it gives too many steps; 0 otherwise
	Calendar period.Calendar
	Now      time.Time
}

// A Dim is a dimension with its field and, for a date, its axis.
type Dim struct {
	query.Dimension
	F    *dataset.Field
	Axis *Axis
	// Only are the values that are kept of a dimension that holds several; where it is cut,
	// each record stands once under all others that it has. See Plan.Several.
	Only []string
	// Early is set where records are grouped by the key of the link that the field lies
	// behind: the field itself is looked up for each key, not for each record, and core/calc
	// merges the groups that have one value.
	Early bool
}

// Fixed tells whether a filter sets an end of the axis.
func (a *Axis) Fixed() bool { return a.From || a.To }

// Ranked is the measure that a cut ranks by, and whether the largest are kept.
func (d Dim) Ranked() (measure int, largest bool) {
	if d.Sort != nil && d.Sort.ByFigure() {
		measure = d.Sort.Measure
	}
	return measure, d.Smallest == 0
}

// Together tells whether what is not kept is shown together.
func (d Dim) Together() bool { return d.Others || d.Least > 0 }

// Along tells whether the dimension is divided into steps of time.
func (d Dim) Along() bool { return d.F.Type.Temporal() && d.Part == 0 }

// MostGroups is how many groups are fetched; a question with more is refused in words.
const MostGroups = 100_000
