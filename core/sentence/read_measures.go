package sentence

import (
	"strings"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/query"
)

// measures reads measures, with "and" between.
func (t *drafting) measures() bool {
	from := t.at
	again := (t.said.measure || t.on) && t.says(saysAnd)
	m, ok := t.measure()
	if !ok {
		t.at = from
		return false
	}
	if t.says(saysThose) {
		if c, ok := t.bracketed(); ok {
			m.Where = &c
		}
	}
	m.Aside = t.says(saysAside)
	if t.on && !t.said.measure && !again {
		t.d.Measures = nil
	}
	t.d.Measures, t.said.measure = append(t.d.Measures, m), true
	return true
}

// bracketed reads a condition in brackets, or one alone.
func (r *reader) bracketed() (filter.Condition, bool) {
	from := r.at
	if r.sign("(") {
		if c, ok := r.condition(); ok && r.sign(")") {
			return c, true
		}
	}
	r.at = from
	return r.single()
}

// measure reads one measure.
func (r *reader) measure() (m query.Measure, ok bool) {
	from := r.at
	defer func() {
		if !ok {
			r.at = from
		}
	}()
	if t, _ := r.peek(); t.text == "`" && !t.quoted {
		m.Formula, ok = r.formula()
		return m, ok
	}
	// The name of a measure, unless what the language says there goes further.
	found, n := r.v.at(r.rest(), func(n name) bool { return n.naming == aMeasure })
	if len(found) > 0 && !r.meant(found) {
		found = nil
	}
	m, ok = r.computed()
	if end := r.at; len(found) > 0 {
		r.at = from + n
		kept := r.numbered(found)
		if !ok || end <= r.at {
			return query.Measure{Name: kept.name}, true
		}
		r.at = end
	}
	return m, ok
}

// formula reads a formula between two signs.
func (r *reader) formula() (string, bool) {
	if !r.sign("`") {
		return "", false
	}
	for start := r.at; r.at < len(r.tokens); r.at++ {
		if t := r.tokens[r.at]; !t.quoted && t.text == "`" {
			r.at++
			return strings.TrimSpace(r.line[r.tokens[start-1].to:t.from]), true
		}
	}
	return "", false // it is not closed
}

// computed reads a measure that is said by what is computed.
func (r *reader) computed() (m query.Measure, ok bool) {
	from := r.at
	defer func() {
		if !ok {
			r.at = from
		}
	}()
	if p, found := r.counts(saysPercentile); found {
		d, _, err := apd.NewFromString(p[0])
		if err != nil {
			return m, false
		}
		d.Exponent -= 2
		d.Reduce(d)
		return r.aggregated(query.Measure{Aggregate: aggregate.Percentile, P: d.Text('f')})
	}
	if r.says(saysDifferent) {
		if f := r.field(nil); f != nil {
			return query.Measure{Aggregate: aggregate.Distinct, Field: f.Name}, true
		}
		r.at = from
	}
	if r.says(saysNumberWith) {
		if f := r.field(nil); f != nil {
			return query.Measure{Aggregate: aggregate.Count, Field: f.Name}, true
		}
		r.at = from
	}
	if r.says(saysNumber) {
		if r.records() {
			return query.Measure{Aggregate: aggregate.Count, Field: query.Records}, true
		}
		if f := r.field(nil); f != nil {
			return query.Measure{Aggregate: aggregate.Distinct, Field: f.Name}, true
		}
		r.at = from
	}
	if a, found := oneOf(r, aggregations); found {
		if m, ok = r.aggregated(query.Measure{Aggregate: a}); ok {
			return m, true
		}
		r.at = from
	}
	if found, _ := r.v.at(r.rest(), func(n name) bool { return n.naming == aField }); len(found) == 0 || !r.meant(found) {
		return m, false
	}
	if f := r.field(numeric); f != nil {
		if next := r.at; true {
			if _, compared := r.op(); compared {
				return m, false // a condition begins
			}
			r.at = next
		}
		m = query.Measure{Aggregate: aggregate.Sum, Field: f.Name}
		if f.Usual != "" && aggregate.Name(f.Usual).Known() {
			m.Aggregate = aggregate.Name(f.Usual)
		}
		for _, total := range []struct {
			words string
			is    aggregate.Name
		}{{"in total", aggregate.Sum}, {"altogether", aggregate.Sum}, {"on average", aggregate.Average}} {
			if r.pattern(total.words) {
				m.Aggregate = total.is
			}
		}
		return m, true
	}
	return m, false
}

// meant tells whether a name that could begin a part of the sentence is one.
func (r *reader) meant(found []name) bool {
	t, _ := r.peek()
	return t.quoted || !structural(found[0].label)
}

// records reads a word for the dataset's records.
func (r *reader) records() bool {
	found, n := r.v.at(r.rest(), func(n name) bool { return n.naming == aRecord })
	r.at += n
	return len(found) > 0 || r.says(saysRecords)
}

// aggregated reads what an aggregation is of: a field, or what is measured per something.
func (r *reader) aggregated(m query.Measure) (query.Measure, bool) {
	from := r.at
	if r.pattern("the") {
		if of, ok := r.measure(); ok && r.says(saysPer) {
			per, at := query.Per{}, r.at
			f := (*dataset.Field)(nil)
			if per.Grain = r.grain(); per.Grain != 0 && r.pattern("of") {
				f = r.field(dated)
			}
			if step := r.at; f == nil {
				r.at = at
				if f = r.field(nil); f != nil || per.Grain == 0 {
					per.Grain = 0
				} else if f, r.at = r.date(), step; f != nil && r.tokens[step-1].word == "of" {
					r.at--
				}
			}
			if f != nil {
				per.Field = f.Name
				m.Of, m.Per = &of, &per
				return m, true
			}
		}
	}
	r.at = from
	f := r.field(func(f *dataset.Field) bool { return m.Aggregate.Is().Accepts(f.Type) && !f.IsLink() })
	if f == nil {
		return m, false
	}
	m.Field = f.Name
	return m, true
}

// made reads what is made of the last measure.
func (t *drafting) made() bool {
	if !t.says(saysAsA) {
		return false
	}
	then, ok := t.then()
	if ok {
		t.counted()
		t.d.Measures[len(t.d.Measures)-1].Then = &then
	}
	return ok
}

// counted measures the number of records where nothing else is measured.
func (t *drafting) counted() {
	if len(t.d.Measures) == 0 {
		t.d.Measures = []query.Measure{records()}
	}
}

func (r *reader) then() (out query.Then, ok bool) {
	if n, found := r.counts(saysMovingShorter); found {
		return query.Then{MovingAverage: &query.MovingAverage{Steps: number(n[0]), Shorter: true}}, true
	}
	if n, found := r.counts(saysMoving); found {
		return query.Then{MovingAverage: &query.MovingAverage{Steps: number(n[0])}}, true
	}
	if r.says(saysRunning) {
		running := &query.RunningTotal{}
		if from := r.at; r.says(saysRestart) {
			if running.Restart = r.grain(); running.Restart == 0 {
				r.at = from
			}
		}
		return query.Then{RunningTotal: running}, true
	}
	return oneOf(r, thens)
}
