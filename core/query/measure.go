package query

import (
	"encoding/json"
	"fmt"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/problem"
)

// Records stands for the field of a count of records.
const Records = "records"

// A Measure is one aggregate of one field, a measure of the dataset, or a formula over
// aggregates. In JSON: {"sum": "yard_cost"}, {"count": "records"}, {"measure": "overrun"},
// {"formula": "sum(yard_cost) / count(*)"}. One of two levels aggregates what another gives
// per something: {"average": {"sum": "yard_cost"}, "per": {"field": "opened", "grain": "week"}}.
type Measure struct {
	Aggregate aggregate.Name
	Field     string
	Of        *Measure // what is aggregated instead of a field, for each of Per
	Per       *Per
	Name      string // of a measure of the dataset
	Formula   string
	P         string            // of a percentile: how much of the values lies below, "0.9"
	Where     *filter.Condition // only the records that meet it
	Then      *Then             // what is made of the results; nil for nothing
	Label     string
	Format    string
	Aside     bool // it is written on marks and in their tips, but not drawn
}

func (m Measure) MarshalJSON() ([]byte, error) {
	parts := []string{fmt.Sprintf("%q:%s", m.Aggregate, quote(m.Field))}
	switch {
	case m.Of != nil:
		of, err := json.Marshal(m.Of)
		if err != nil {
			return nil, err
		}
		per, _ := json.Marshal(m.Per)
		parts = []string{fmt.Sprintf("%q:%s", m.Aggregate, of), `"per":` + string(per)}
	case m.Name != "":
		parts[0] = `"measure":` + quote(m.Name)
	case m.Formula != "":
		parts[0] = `"formula":` + quote(m.Formula)
	}
	if m.P != "" {
		parts = append(parts, `"p":`+m.P)
	}
	for _, more := range []struct {
		key   string
		value any
		given bool
	}{{"where", m.Where, m.Where != nil}, {"then", m.Then, m.Then != nil}} {
		if !more.given {
			continue
		}
		b, err := json.Marshal(more.value)
		if err != nil {
			return nil, err
		}
		parts = append(parts, fmt.Sprintf("%q:%s", more.key, b))
	}
	if m.Aside {
		parts = append(parts, `"aside":true`)
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
		case "then":
			err = problem.Decode(raw, &m.Then)
		case "per":
			err = problem.Decode(raw, &m.Per)
		case "p":
			var p json.Number
			err = problem.Decode(raw, &p)
			m.P = p.String()
		case "aside":
			err = problem.Decode(raw, &m.Aside)
		case "label":
			err = json.Unmarshal(raw, &m.Label)
		case "format":
			err = json.Unmarshal(raw, &m.Format)
		case "measure":
			err = problem.Decode(raw, &m.Name)
		case "formula":
			err = problem.Decode(raw, &m.Formula)
		default:
			if !aggregate.Name(key).Known() || m.Aggregate != "" {
				return problem.New(problem.Invalid, key, "There is no key %q in a measure.", key)
			}
			m.Aggregate = aggregate.Name(key)
			if raw[0] == '{' {
				err = problem.Decode(raw, &m.Of)
			} else {
				err = json.Unmarshal(raw, &m.Field)
			}
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

// Among is the measure over those of its records only that meet a condition.
func (m Measure) Among(c filter.Condition) Measure {
	m.Where = filter.With(m.Where, c)
	return m
}

// Additive tells whether the values of parts add up to the value of the whole.
func (m Measure) Additive() bool { return m.Aggregate.Is().Additive }

// words names the measure in a refusal.
func (m Measure) words() string {
	switch {
	case m.Label != "":
		return m.Label
	case m.Name != "":
		return m.Name
	case m.Formula != "":
		return m.Formula
	}
	words := strings.ToLower(m.Aggregate.Is().Words)
	if strings.HasPrefix(words, "a") {
		return "an " + words
	}
	return "a " + words
}

// Expr returns the formula of the measure, nil for a plain aggregate.
func (m Measure) Expr(ds *dataset.Dataset) (*formula.Expr, error) {
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
	if e, err := m.Expr(ds); err == nil && e != nil {
		return e.Type
	}
	if m.Aggregate.Is().Counts {
		return field.Integer
	}
	if m.Of != nil {
		return m.Of.Type(ds)
	}
	if f, err := ds.Field(m.Field); err == nil {
		return f.Type
	}
	return field.Number
}

func (m Measure) check(ds *dataset.Dataset) error {
	if m.Where != nil {
		if err := checkVisible(*m.Where, ds); err != nil {
			return problem.At("where", err)
		}
	}
	if e, err := m.Expr(ds); err != nil || e != nil {
		if err == nil {
			for _, name := range formula.Uses(m.Formula) {
				if f := ds.Find(name); f != nil && f.Hidden {
					_, err = Visible(ds, name)
				}
			}
		}
		return err
	}
	if m.Of != nil || m.Per != nil {
		return m.checkLevels(ds)
	}
	if m.Aggregate == aggregate.Count && m.Field == Records {
		return nil
	}
	if m.Field == "" {
		return problem.New(problem.Missing, "field", "%s of which field?", m.Aggregate.Is().Words)
	}
	if err := m.checkP(); err != nil {
		return err
	}
	f, err := Visible(ds, m.Field)
	if err != nil {
		return err
	}
	if !m.Aggregate.Is().Accepts(f.Type) || f.IsLink() && !m.Aggregate.Is().Counts {
		return problem.New(problem.Invalid, "field", "There is no %s of %s, which holds %s.", strings.ToLower(m.Aggregate.Is().Words), f.Label, f.Type.Words())
	}
	return nil
}

// checkP tells in words what is wrong with how much of the values lies below.
func (m Measure) checkP() error {
	if (m.Aggregate == aggregate.Percentile) != (m.P != "") {
		return problem.New(problem.Invalid, "p", "A percentile says how much of the values lies below it: {\"percentile\": \"nights\", \"p\": 0.9}.")
	}
	if m.P != "" {
		if p, err := field.Parse(field.Number, m.P); err != nil || p.Decimal().Sign() < 0 || p.Decimal().Cmp(apd.New(1, 0)) > 0 {
			return problem.New(problem.Invalid, "p", "How much of the values lies below is from 0 to 1, not %s.", m.P)
		}
	}
	return nil
}
