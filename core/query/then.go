package query

import (
	"encoding/json"
	"strings"

	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/problem"
)

// Then is what is made of a measure's results once they are in order: exactly one of
//
//	{"running_total": {"restart": "year"}}   {"moving_average": {"steps": 4, "shorter": true}}
//	{"share": "everything"}  {"share": "group"}  {"share": "split"}
//	{"rank": "largest"}  {"rank": "smallest"}  {"difference": "number"}  {"difference": "percent"}
type Then struct {
	RunningTotal  *RunningTotal  `json:"running_total,omitempty"`
	MovingAverage *MovingAverage `json:"moving_average,omitempty"`
	Share         string         `json:"share,omitempty"`      // of everything, the group or the split value
	Rank          string         `json:"rank,omitempty"`       // largest or smallest first
	Difference    string         `json:"difference,omitempty"` // to the previous, as a number or in percent of it
}

// A RunningTotal adds up along the axis or the order, per split value.
type RunningTotal struct {
	Restart period.Grain `json:"restart,omitempty"` // at the start of each year, quarter or month
}

// A MovingAverage averages each step with those before it, Steps together.
type MovingAverage struct {
	Steps   int  `json:"steps"`
	Shorter bool `json:"shorter,omitempty"` // fewer at the start, rather than no value
}

func (t *Then) words() string {
	switch {
	case t.RunningTotal != nil:
		return "running total"
	case t.MovingAverage != nil:
		return "moving average"
	case t.Share != "":
		return "share"
	case t.Rank != "":
		return "rank"
	}
	return "difference"
}

// check tells in words what is wrong with what is made of a measure.
func (t *Then) check(m Measure, d Definition) error {
	wrong := func(place, words string, args ...any) error {
		return problem.New(problem.Invalid, place, words, args...)
	}
	ways := 0
	for _, used := range []bool{t.RunningTotal != nil, t.MovingAverage != nil, t.Share != "", t.Rank != "", t.Difference != ""} {
		if used {
			ways++
		}
	}
	if ways != 1 {
		return wrong("then", "One thing is made of a measure: a running total, a moving average, a share, a rank or a difference.")
	}
	if len(d.Dimensions()) == 0 {
		return wrong("then", "A %s needs groups: choose what to divide by.", t.words())
	}
	switch {
	case t.RunningTotal != nil:
		if !m.Additive() {
			return wrong("then.running_total", "A running total adds up, and parts of %s do not.", m.words())
		}
		if g := t.RunningTotal.Restart; g != 0 && g != period.Year && g != period.Quarter && g != period.Month {
			return wrong("then.running_total.restart", "A running total starts anew each year, quarter or month.")
		}
	case t.MovingAverage != nil && (t.MovingAverage.Steps < 2 || t.MovingAverage.Steps > 366):
		return wrong("then.moving_average.steps", "A moving average takes 2 to 366 steps.")
	case t.Share != "":
		if t.Share != "everything" && t.Share != "group" && t.Share != "split" {
			return wrong("then.share", "A share is of everything, of the group or of the split value.")
		}
		if !m.Additive() {
			return wrong("then.share", "Shares are of a whole that its parts add up to, and parts of %s do not.", m.words())
		}
		if t.Share != "everything" && d.Split == nil {
			return wrong("then.share", "Without a split, a share is of everything.")
		}
	case t.Rank != "" && t.Rank != "largest" && t.Rank != "smallest":
		return wrong("then.rank", "Ranks count from the largest or from the smallest.")
	case t.Difference != "" && t.Difference != "number" && t.Difference != "percent":
		return wrong("then.difference", "A difference is a number or in percent.")
	}
	return nil
}

// A Comparison sets beside each figure what it was before. In JSON "year before",
// "period before", or {"with": "year before", "on": "promised"}, {"range": …}.
type Comparison struct {
	With  string           `json:"with,omitempty"`
	Range *period.Relative `json:"range,omitempty"` // a fixed range instead
	On    string           `json:"on,omitempty"`    // the date that is shifted, where the chart has no time axis; the dataset's own when left out
}

// The ranges that a comparison may be with.
const (
	YearBefore   = "year before"
	PeriodBefore = "period before"
)

func (c Comparison) MarshalJSON() ([]byte, error) {
	if c.Range == nil && c.On == "" {
		return json.Marshal(c.With)
	}
	type plain Comparison
	return json.Marshal(plain(c))
}

func (c *Comparison) UnmarshalJSON(b []byte) error {
	*c = Comparison{}
	if len(b) > 0 && b[0] == '"' {
		if err := json.Unmarshal(b, &c.With); err != nil {
			return err
		}
	} else {
		type plain Comparison
		if err := problem.Decode(b, (*plain)(c)); err != nil {
			return err
		}
	}
	if (c.Range == nil) == (c.With == "") || c.With != "" && c.With != YearBefore && c.With != PeriodBefore {
		return problem.New(problem.Invalid, "", "A comparison is with the “%s”, the “%s” or a range of dates.", YearBefore, PeriodBefore)
	}
	return nil
}

// Words is the comparison as it stands in a sentence.
func (c Comparison) Words(m *locale.Manner) string {
	if c.Range == nil {
		return "the " + c.With
	}
	words := c.Range.Words(m)
	for _, before := range []string{"in ", "from ", "on "} {
		if rest, ok := strings.CutPrefix(words, before); ok {
			return rest
		}
	}
	if c.Range.Since != "" {
		return "the time " + words
	}
	return words
}
