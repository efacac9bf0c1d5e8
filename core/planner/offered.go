package planner

import (
	"slices"
	"time"

	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/sql"
)

// mostOffered is how many steps a grain that is offered may give.
const mostOffered = 400

// Offered is the grain of the plan's time axis, and those that a viewer may look at it by
// instead; of years laid over each other those of the part.
func (p *Plan) Offered() (now period.Grain, out []period.Grain) {
	for _, dim := range p.Dims {
		if dim.Axis == nil || len(dim.Axis.Borders) == 0 {
			continue
		}
		part, laid := p.Definition.Laid(dim.Field)
		switch {
		case !laid:
			return dim.Axis.Grain, offered(dim)
		case part.Grain() != 0:
			return part.Grain(), []period.Grain{period.Week, period.Month, period.Quarter}
		}
	}
	return 0, nil
}

// offered lists the grains that a viewer may look at an axis by: those that give at least
// two steps and not too many, and the one it has.
func offered(d sql.Dim) (out []period.Grain) {
	a, few := d.Axis, true
	// From the coarsest on: once a grain gives too many steps, finer ones do.
	for _, g := range slices.Backward(period.Grains()) {
		if d.F.Type == field.Date && g < period.Day {
			break
		}
		var borders []time.Time
		if few {
			borders, few = a.Calendar.Steps(a.Range, g, mostOffered)
		}
		if g == a.Grain || few && len(borders) > 2 {
			out = append(out, g)
		}
	}
	slices.Reverse(out)
	if a.Calendar.HasOwn() {
		borders, few := a.Calendar.Steps(a.Range, period.Accounting, mostOffered)
		if a.Grain == period.Accounting || few && len(borders) > 2 {
			out = append(out, period.Accounting)
		}
	}
	return out
}
