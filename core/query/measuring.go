package query

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
)

// An Atom is one aggregate that measures are made of: a plain measure is one atom, a
// formula has one for each aggregate in it.
type Atom struct {
	Aggregate Aggregate
	P         field.Value       // of a percentile, 0 to 1
	Field     string            // what is aggregated: a field, Records,
	Expr      *formula.Expr     // or a formula per record
	Where     *filter.Condition // only records that meet it
	Only      *formula.Expr     // only records for which it is true
	Outer     Aggregate         // what is made of its values per something; "" for nothing
	OuterP    field.Value       // of a percentile of those
	Tallied   bool              // it is had from how often each value occurs, see tally
	Careful   bool              // what cannot be computed with is left out
}

// limited tells whether the atom leaves out some of a group's records.
func (a Atom) limited() bool { return a.Where != nil || a.Only != nil }

// Computed is how a measure comes from atoms.
type Computed struct {
	Atoms []int
	Expr  *formula.Expr // nil: the measure is its one atom
	calls []formula.Aggregate
}

// Measuring is the measures of a definition taken apart into what the database computes.
type Measuring struct {
	Atoms    []Atom
	Columns  []Column
	Computed []Computed
	Unread   []Unread
	settings func(name string) field.Value
	now      time.Time
}

// Unread counts records whose value of a field that measures take cannot be read, or that
// measures of two levels leave out for want of it.
type Unread struct {
	Field   string
	Undated bool // they are those left out
	Column  int  // of Measuring.Columns
}

// careful tells whether a measure leaves out what cannot be computed with of a field that is
// a column as it is. A sum tells by its own value that there is such a thing.
func (s Setting) careful(a Aggregate) bool {
	return s.Careful || a != Sum && a != "" && a != Average && a != Spread
}

// unread returns, by field, what is met by the records that measures leave out because
// their value of the field cannot be read.
func unread(d Definition, ds *dataset.Dataset, careful bool) (fields []string, where map[string]filter.Condition) {
	where = map[string]filter.Condition{}
	among := map[string][]filter.Condition{} // the measures' own conditions
	for _, m := range d.Measures {
		if m.Of != nil {
			m.Aggregate, m.Field = m.Of.Aggregate, m.Of.Field
		}
		uses := []string{m.Field}
		if e, err := m.expr(ds); err == nil && e != nil {
			uses = e.Uses()
		}
		var own filter.Condition
		if m.Where != nil {
			own = *m.Where
		}
		for _, f := range ds.Fallible(uses) {
			if f.Name == m.Field && !f.Repaired() && !(Setting{Careful: careful}).careful(m.Aggregate) {
				continue
			}
			if among[f.Name] == nil {
				fields = append(fields, f.Name)
			}
			among[f.Name] = append(among[f.Name], own)
		}
	}
	for _, name := range fields {
		c := filter.Compare(name, filter.Unreadable)
		if !slices.ContainsFunc(among[name], filter.Condition.IsZero) {
			c = filter.And(c, filter.Condition{Any: among[name]})
		}
		where[name] = c
	}
	return fields, where
}

// p is how much of the values lies below a percentile; no value for other aggregates.
func (m Measure) p() field.Value {
	v, _ := field.Parse(field.Number, m.P)
	return v
}

// atomOf names our aggregate for one of a formula.
var atomOf = map[string]Aggregate{"count": Count, "sum": Sum, "avg": Average, "min": Smallest, "max": Largest, "median": Median, "percentile": Percentile, "stddev": Spread}

// measure takes measures apart. They have been checked.
func measure(measures []Measure, ds *dataset.Dataset, s Setting) (Measuring, error) {
	var out Measuring
	ctx := ds.Context(s.Viewer, s.Settings)
	types := map[string]field.Type{}
	for _, set := range ds.Settings {
		types[set.Name] = set.Type
	}
	out.settings = func(name string) field.Value {
		v, err := formula.Read(types[name], ctx.Settings[name])
		if err != nil {
			return field.Value{}
		}
		return v
	}
	out.now = s.Calendar.Wall(s.Now)
	for _, m := range measures {
		e, err := m.expr(ds)
		if err != nil {
			return out, err
		}
		if m.Of != nil {
			a := Atom{Aggregate: m.Of.Aggregate, P: m.Of.p(), Field: m.Of.Field, Where: m.Where, Careful: s.careful(m.Of.Aggregate), Outer: m.Aggregate, OuterP: m.p()}
			out.Computed = append(out.Computed, Computed{Atoms: []int{out.add(a)}})
			continue
		}
		if e == nil {
			out.Computed = append(out.Computed, Computed{Atoms: []int{out.add(Atom{Aggregate: m.Aggregate, P: m.p(), Field: m.Field, Where: m.Where, Careful: s.careful(m.Aggregate)})}})
			continue
		}
		c := Computed{Expr: e, calls: e.Aggregates()}
		for _, call := range c.calls {
			a := Atom{Aggregate: atomOf[call.Func], P: call.P, Expr: call.Of, Only: call.Where, Where: m.Where}
			switch {
			case call.Of == nil:
				a.Field = Records
			case call.Distinct:
				a.Aggregate = Distinct
			}
			// A linked record is told from others by its key, not by its name.
			if name, bare := call.Of.Name(); bare && a.Aggregate == Distinct {
				if f := ds.Find(name); f != nil && f.IsLink() {
					a.Field, a.Expr = name, nil // never a number or a date
				}
			}
			c.Atoms = append(c.Atoms, out.add(a))
		}
		out.Computed = append(out.Computed, c)
	}
	return out, nil
}

func (m *Measuring) add(a Atom) int {
	m.Atoms = append(m.Atoms, a)
	for _, c := range a.components() {
		m.Columns = append(m.Columns, Column{c, len(m.Atoms) - 1})
	}
	return len(m.Atoms) - 1
}

func (a Atom) components() []Component {
	if a.Outer != "" { // with how many records there are, without which a group does not count
		return append(a.Inner().components(), CountAll)
	}
	if a.Tallied {
		return []Component{TallyValue, TallyWeight}
	}
	switch a.Aggregate {
	case Count:
		if a.Field == Records {
			return []Component{CountAll}
		}
		return []Component{CountFilled}
	case Sum:
		return []Component{SumOf}
	case Average:
		return []Component{SumOf, CountFilled}
	case Spread:
		return []Component{SumOf, SumOfSquares, CountFilled}
	case Smallest:
		return []Component{MinOf}
	case Largest:
		return []Component{MaxOf}
	case Distinct:
		return []Component{DistinctOf}
	case Percentile:
		return []Component{LowPlace, HighPlace, CountFilled}
	}
	return []Component{LowMiddle, HighMiddle}
}

// mergeable tells whether every total can be had from the parts' components.
func (m *Measuring) mergeable() bool {
	for _, a := range m.Atoms {
		if !a.Tallied && !a.Aggregate.mergeable() {
			return false
		}
	}
	return true
}

// Value computes a measure from the values of its atoms.
func (m *Measuring) Value(measure int, atoms []field.Value) field.Value {
	c := m.Computed[measure]
	if c.Expr == nil {
		return atoms[c.Atoms[0]]
	}
	next := 0
	return c.Expr.Eval(formula.Values{Name: m.settings, Now: m.now, Aggregate: func(formula.Aggregate) field.Value {
		next++
		return atoms[c.Atoms[next-1]]
	}})
}

// value gives the SQL of what an atom aggregates, for one record; "" for whole records.
func (a Atom) value(s *dataset.Scope) (string, error) {
	switch {
	case a.Expr != nil:
		return a.Expr.SQL(s.Target())
	case a.Field == Records:
		return "", nil
	}
	f, err := s.Field(a.Field)
	if err != nil {
		return "", err
	}
	if a.Careful {
		return s.Readable(f)
	}
	return s.KeyOnly(f)
}

// only gives the SQL that is true for the records the atom takes; "" for all.
func (a Atom) only(s *dataset.Scope) (string, error) {
	var parts []string
	if a.Where != nil {
		c, err := s.Condition(*a.Where)
		if err != nil {
			return "", err
		}
		parts = append(parts, "("+c+")")
	}
	if a.Only != nil {
		c, err := a.Only.SQL(s.Target())
		if err != nil {
			return "", err
		}
		parts = append(parts, "("+c+")")
	}
	return strings.Join(parts, " and "), nil
}

// aggregate is the SQL of one component; v is the SQL of the values, only a filter
// clause or nothing.
func (a Atom) aggregate(c Component, v, only string) string {
	switch c {
	case CountAll:
		return "count(*)" + only
	case TallyValue:
		return v
	case CountFilled, TallyWeight:
		return "count(" + v + ")" + only
	case SumOf:
		return "sum(" + v + ")" + only
	case SumOfSquares:
		return "sum(" + v + "::numeric * " + v + ")" + only
	case MinOf:
		return "min(" + v + ")" + only
	case MaxOf:
		return "max(" + v + ")" + only
	case DistinctOf:
		return "count(distinct " + v + ")" + only
	case LowPlace, HighPlace:
		// The place p·(n−1), counted from 0, among the sorted values.
		round := map[Component]string{LowPlace: "floor", HighPlace: "ceil"}[c]
		filled := "(where " + v + " is not null)"
		if only != "" {
			filled = strings.TrimSuffix(strings.TrimPrefix(only, " filter "), ")") + " and " + v + " is not null)"
		}
		return fmt.Sprintf("(array_agg(%s order by %s) filter %s)[%s(%s * (count(%s)%s - 1))::int + 1]", v, v, filled, round, a.P.Decimal().Text('f'), v, only)
	}
	// Both middle values from one sort: the second place is so little above the first
	// that it is another value only where their number, below 10^9, is even.
	middle := "(percentile_disc(array[0.5, 0.5000000001]) within group (order by " + v + ")" + only + ")"
	if c == LowMiddle {
		return middle + "[1]"
	}
	return middle + "[2]"
}

// fine makes a quotient or a root carry 60 digits after the point, so that the database
// ranks by the same order as exact values have.
var fine = "0." + strings.Repeat("0", 60)

// rank is the SQL of an atom's value, from the SQL of its components.
func (a Atom) rank(parts []string) string {
	switch a.Aggregate {
	case Average:
		return "(" + parts[0] + "::numeric + " + fine + ") / nullif(" + parts[1] + ", 0)"
	case Median:
		return "(" + parts[0] + "::numeric + " + parts[1] + ") / 2"
	case Spread:
		return fmt.Sprintf("(case when %s > 1 then round(sqrt(greatest((%s - (%s::numeric * %s + %s) / %s) / (%s - 1), 0)), 50) end)", parts[2], parts[1], parts[0], parts[0], fine, parts[2], parts[2])
	case Percentile:
		p := a.P.Decimal().Text('f')
		return fmt.Sprintf("(%s + (%s - %s) * mod(%s * (%s - 1), 1))", parts[0], parts[1], parts[0], p, parts[2])
	}
	return parts[0]
}
