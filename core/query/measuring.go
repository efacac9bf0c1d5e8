package query

import (
	"slices"
	"strings"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
)

// An Atom is one aggregate that measures are made of: a plain measure is one atom, a
// formula has one for each aggregate in it.
type Atom struct {
	Aggregate aggregate.Name
	P         field.Value       // of a percentile, 0 to 1
	Field     string            // what is aggregated: a field, Records,
	Expr      *formula.Expr     // or a formula per record
	Where     *filter.Condition // only records that meet it
	Only      *formula.Expr     // only records for which it is true
	Outer     aggregate.Name    // what is made of its values per something; "" for nothing
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
func (s Setting) careful(a aggregate.Name) bool {
	return s.Careful || a != "" && !a.Is().Tells
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
			a := Atom{Aggregate: aggregate.InFormula(call.Func).Name, P: call.P, Expr: call.Of, Only: call.Where, Where: m.Where}
			switch {
			case call.Of == nil:
				a.Field = Records
			case call.Distinct:
				a.Aggregate = aggregate.Distinct
			}
			// A linked record is told from others by its key, not by its name.
			if name, bare := call.Of.Name(); bare && a.Aggregate == aggregate.Distinct {
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

func (a Atom) components() []aggregate.Component {
	if a.Outer != "" { // with how many records there are, without which a group does not count
		return append(a.Inner().components(), aggregate.CountAll)
	}
	if a.Tallied {
		return []aggregate.Component{aggregate.TallyValue, aggregate.TallyWeight}
	}
	is := a.Aggregate.Is()
	if a.Field == Records {
		return is.Whole
	}
	return is.Components
}

// mergeable tells whether every total can be had from the parts' components.
func (m *Measuring) mergeable() bool {
	for _, a := range m.Atoms {
		if !a.Tallied && !a.Aggregate.Is().Mergeable {
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

// rank is the SQL of an atom's value, from the SQL of its components.
func (a Atom) rank(parts []string) string { return a.Aggregate.Is().Rank(a.P, parts) }
