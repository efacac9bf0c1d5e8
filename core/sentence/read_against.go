package sentence

import (
	"encoding/json"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/query"
)

// compare reads what the chart is compared with.
func (t *drafting) compare() bool {
	if !t.says(saysCompared) {
		return false
	}
	c := query.Comparison{}
	if t.says(saysWhole) || t.says(saysTime) { // a range, whatever it is called
	} else if c.With, _ = oneOf(&t.reader, earlier); c.With != "" {
		return t.compared(c)
	}
	if span, ok := t.span(); ok {
		c.Range = &span
	} else {
		return false
	}
	return t.compared(c)
}

// compared reads by which date a comparison is, and keeps it.
func (t *drafting) compared(c query.Comparison) bool {
	if at := t.at; t.says(saysOnDate) {
		if f := t.field(dated); f != nil {
			c.On = f.Name
		} else {
			t.at = at
		}
	}
	t.d.Compare = &c
	return true
}

// target reads what should be reached.
func (t *drafting) target() bool {
	target := query.Target{}
	switch {
	case t.says(saysTargets):
		if target.Grain = t.grain(); target.Grain == 0 || !t.sign(":") {
			return false
		}
		target.Steps = map[string]json.Number{}
		for {
			n, ok := t.decimal()
			if !ok || !t.pattern("from") {
				break
			}
			day, ok := t.day()
			if !ok {
				return false
			}
			target.Steps[day] = json.Number(n)
			at := t.at
			if !t.sign(",") {
				break
			}
			if _, ok := t.decimal(); !ok {
				t.at = at
				break
			}
			t.at = at + 1
		}
	case t.says(saysPlan):
		if !t.plan(&target) {
			return false
		}
	case t.says(saysTarget):
		n, ok := t.decimal()
		if !ok {
			return false
		}
		target.Constant = json.Number(n)
	default:
		return false
	}
	if at := t.at; t.says(saysFor) {
		var ok bool
		if target.Measure, ok = t.figure(); !ok {
			t.at, target.Measure = at, 0
		}
	}
	target.Label = t.called()
	t.d.Target = &target
	return true
}

// called reads a name that somebody gave.
func (r *reader) called() string {
	if from := r.at; r.says(saysCalled) {
		if t, any := r.peek(); any && t.quoted {
			r.at++
			return t.text
		}
		r.at = from
	}
	return ""
}

// plan reads a target that another dataset holds.
func (t *drafting) plan(target *query.Target) bool {
	own := t.v
	return t.furthest(func(set *dataset.Dataset) (func(), bool) {
		m, ok := t.measure()
		if !ok {
			return nil, false
		}
		if t.says(saysThose) {
			if c, ok := t.bracketed(); ok {
				m.Where = &c
			}
		}
		if !t.says(saysOf) || !t.titled() {
			return nil, false
		}
		found := *target
		found.Plan, found.Planned, found.Fields = set.Name, &m, nil
		if t.says(saysByIts) {
			if f := t.field(nil); f != nil {
				found.On = f.Name
			}
		}
		for {
			at, plan := t.at, t.v
			t.sign(",")
			t.v = own
			mine := t.field(nil)
			t.v = plan
			if mine == nil || !t.says(saysFor) || !t.pattern("its") {
				t.at = at
				break
			}
			theirs := t.field(nil)
			if theirs == nil {
				t.at = at
				break
			}
			if found.Fields == nil {
				found.Fields = map[string]string{}
			}
			found.Fields[mine.Name] = theirs.Name
		}
		return func() { *target = found }, true
	})
}

// results reads conditions on what is computed.
func (t *drafting) results() bool {
	if !t.says(saysGroups) {
		return false
	}
	for {
		r := query.Result{}
		if value, ok := oneOf(&t.reader, figures); ok {
			r.Value = value
		}
		var ok bool
		if r.Measure, ok = t.figure(); !ok {
			return false
		}
		for {
			op, found := t.op()
			n, given := t.decimal()
			if !found || !given {
				return false
			}
			switch op {
			case filter.Above:
				r.Above = json.Number(n)
			case filter.AtLeast:
				r.AtLeast = json.Number(n)
			case filter.Below:
				r.Below = json.Number(n)
			case filter.AtMost:
				r.AtMost = json.Number(n)
			default:
				return false
			}
			at := t.at
			if t.says(saysAnd) {
				if _, more := t.op(); more {
					t.at = at + 1
					continue
				}
			}
			t.at = at
			break
		}
		t.d.Results = append(t.d.Results, r)
		if at := t.at; !t.says(saysAnd) || !t.says(saysWhose) {
			t.at = at
			return true
		}
	}
}

// zeros reads what becomes of groups of nothing, and of steps without records.
func (t *drafting) zeros() bool {
	if t.says(saysNoZeros) {
		t.d.DropZeros = true
		return true
	}
	how, ok := oneOf(&t.reader, gaps)
	if ok {
		t.d.Gaps = how
	}
	return ok
}

// lines reads lines across the chart.
func (t *drafting) lines() bool {
	if !t.says(saysLine) {
		return false
	}
	var list []query.Line
	for {
		l, ok := t.line()
		if !ok {
			break
		}
		list = append(list, l)
		at := t.at
		if t.says(saysAnd) {
			if next := t.at; true {
				if _, more := t.line(); more {
					t.at = next
					continue
				}
			}
		}
		t.at = at
		break
	}
	if len(list) == 0 {
		return false
	}
	t.d.Lines = append(t.d.Lines, list...)
	return true
}

func (t *drafting) line() (l query.Line, ok bool) {
	from := t.at
	t.pattern("the")
	if n, found := t.slots("{nth} percentile"); found {
		d, _, err := apd.NewFromString(n[0])
		if err != nil {
			return l, false
		}
		d.Exponent -= 2
		d.Reduce(d)
		l.At, l.P = "percentile", json.Number(d.Text('f'))
	} else if t.at = from; true {
		if at, found := oneOf(&t.reader, lineKinds); found {
			l.At = at
		} else if n, found := t.decimal(); found {
			l.Constant = json.Number(n)
		} else {
			return l, false
		}
	}
	if at := t.at; t.says(saysFor) {
		if l.Measure, ok = t.figure(); !ok {
			t.at, l.Measure = at, 0
		}
	}
	l.Label = t.called()
	return l, true
}

// trend reads the trend and the forecast.
func (t *drafting) trend() bool {
	from := t.at
	t.says(saysWith)
	t.says(saysAnd)
	trend := t.says(saysTrend)
	if trend {
		if at := t.at; !t.says(saysAnd) || !t.forecast() {
			t.at = at
		}
		t.d.Trend = true
		return true
	}
	if t.forecast() {
		return true
	}
	t.at = from
	return false
}

func (t *drafting) forecast() bool {
	n, ok := t.counts(saysForecast)
	if ok {
		t.d.Forecast = number(n[0])
	}
	return ok
}
