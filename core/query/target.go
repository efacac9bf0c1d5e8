package query

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/problem"
)

// A Target is what a measure should reach: a constant, numbers typed per period, or a
// plan that is a dataset. In JSON one of
//
//	{"constant": 1200}
//	{"grain": "month", "steps": {"2026-01-01": 1000, "2026-02-01": 1100}}
//	{"plan": "plan-by-month", "measure": {"sum": "planned"}}
type Target struct {
	Measure  int                    `json:"of,omitempty"` // which measure of the chart, from 0
	Constant json.Number            `json:"constant,omitempty"`
	Grain    period.Grain           `json:"grain,omitempty"`
	Steps    map[string]json.Number `json:"steps,omitempty"` // by each period's first day
	Plan     string                 `json:"plan,omitempty"`
	Planned  *Measure               `json:"measure,omitempty"` // of the plan
	On       string                 `json:"on,omitempty"`      // the plan's date; its dataset's own when left out
	Fields   map[string]string      `json:"fields,omitempty"`  // the chart's field → the plan's, where their names differ
	Label    string                 `json:"label,omitempty"`
}

func (t *Target) check(d Definition, ds *dataset.Dataset) error {
	ways := 0
	for _, used := range []bool{t.Constant != "", t.Steps != nil, t.Plan != ""} {
		if used {
			ways++
		}
	}
	switch {
	case ways != 1:
		return problem.New(problem.Invalid, "", "A target is a constant, numbers per period, or a plan.")
	case t.Measure < 0 || t.Measure >= len(d.Measures):
		return problem.New(problem.Invalid, "of", "There is no measure %d for the target.", t.Measure)
	case t.Plan != "" && t.Planned == nil:
		return problem.New(problem.Missing, "measure", "Which number of the plan is the target?")
	case t.Plan == "" && (t.Planned != nil || t.On != "" || t.Fields != nil):
		return problem.New(problem.Invalid, "plan", "A measure, a date and fields belong to a plan: name its dataset.")
	case t.Steps != nil && (t.Grain == 0 || t.Grain == period.Accounting || t.Grain < period.Day):
		return problem.New(problem.Missing, "grain", "Say which periods the numbers are for: day, week, month, quarter, half-year or year.")
	case t.Steps != nil && !slices.ContainsFunc(d.By, func(dim Dimension) bool { return dim.OnAxis(ds) }):
		return problem.New(problem.Invalid, "steps", "Targets per period need a time axis; without one a target is a constant or a plan.")
	}
	for _, day := range slices.Sorted(maps.Keys(t.Steps)) {
		if at, err := time.Parse(time.DateOnly, day); err != nil || at.Year() < 1 {
			return problem.New(problem.Invalid, "steps."+day, "“%s” is not a date like 2026-03-31.", day)
		}
		if err := number("steps."+day, t.Steps[day]); err != nil {
			return err
		}
	}
	if t.Constant != "" {
		return number("constant", t.Constant)
	}
	return nil
}

func number(place string, n json.Number) error {
	if _, err := field.Parse(field.Number, n.String()); err != nil || len(n) > 40 {
		return problem.New(problem.Invalid, place, "“%s” is not a number.", n)
	}
	return nil
}

// A Line is drawn across a chart: a constant, or something computed from what is shown.
// In JSON {"constant": 100}, {"at": "average"}, {"at": "percentile", "p": 0.9}.
type Line struct {
	Constant json.Number `json:"constant,omitempty"`
	At       string      `json:"at,omitempty"`
	P        json.Number `json:"p,omitempty"`
	Measure  int         `json:"of,omitempty"`
	Label    string      `json:"label,omitempty"`
}

// LineKinds lists what a line can be drawn at besides a constant.
func LineKinds() []string {
	return []string{"average", "median", "percentile", "smallest", "largest"}
}

func (l Line) check(d Definition) error {
	switch {
	case (l.Constant != "") == (l.At != ""):
		return problem.New(problem.Invalid, "", "A line stands at a constant, or at the %s of what is shown.", strings.Join(LineKinds(), ", "))
	case l.Measure < 0 || l.Measure >= len(d.Measures):
		return problem.New(problem.Invalid, "of", "There is no measure %d for the line.", l.Measure)
	case l.Constant != "":
		return number("constant", l.Constant)
	case !slices.Contains(LineKinds(), l.At):
		return problem.New(problem.Invalid, "at", "A line stands at the %s of what is shown, not at “%s”.", strings.Join(LineKinds(), ", "), l.At)
	case (l.At == "percentile") != (l.P != ""):
		return problem.New(problem.Invalid, "p", "A percentile says how much of what is shown lies below: {\"at\": \"percentile\", \"p\": 0.9}.")
	case l.P != "":
		return (Measure{Aggregate: aggregate.Percentile, P: l.P.String()}).checkP()
	}
	return nil
}

// A Result is a condition on what was computed: groups that do not meet it are not shown.
// In JSON {"above": 100}, {"of": 1, "at_least": 3, "below": 9}.
type Result struct {
	Measure int         `json:"of,omitempty"`
	Value   string      `json:"value,omitempty"` // "change" or "percent" of the comparison; the figure itself when left out
	Above   json.Number `json:"above,omitempty"`
	AtLeast json.Number `json:"at_least,omitempty"`
	Below   json.Number `json:"below,omitempty"`
	AtMost  json.Number `json:"at_most,omitempty"`
}

func (r Result) check(d Definition) error {
	if r.Measure < 0 || r.Measure >= len(d.Measures) {
		return problem.New(problem.Invalid, "of", "There is no measure %d to set a condition on.", r.Measure)
	}
	if r.Value != "" && (r.Value != "change" && r.Value != "percent" || d.Compare == nil) {
		return problem.New(problem.Invalid, "value", "A condition is on the figure or, with a comparison, on its change or percent.")
	}
	given := false
	for place, n := range map[string]json.Number{"above": r.Above, "at_least": r.AtLeast, "below": r.Below, "at_most": r.AtMost} {
		if n != "" {
			given = true
			if err := number(place, n); err != nil {
				return err
			}
		}
	}
	if !given {
		return problem.New(problem.Missing, "", "Above or below which number?")
	}
	return nil
}
