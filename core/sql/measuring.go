package sql

import (
	"strings"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/query"
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
}

// Measuring is the measures of a definition taken apart into what the database computes.
type Measuring struct {
	Atoms    []Atom
	Columns  []Column
	Computed []Computed
	Unread   []Unread
	Settings func(name string) field.Value // the values that the viewer has set
	Now      time.Time                     // on the wall of the workspace
}

// Unread counts records whose value of a field that measures take cannot be read, or that
// measures of two levels leave out for want of it.
type Unread struct {
	Field   string
	Undated bool // they are those left out
	Column  int  // of Measuring.Columns
}

// Add adds an atom, and is its number.
func (m *Measuring) Add(a Atom) int {
	m.Atoms = append(m.Atoms, a)
	for _, c := range a.Components() {
		m.Columns = append(m.Columns, Column{c, len(m.Atoms) - 1})
	}
	return len(m.Atoms) - 1
}

// Components is what the database gives of the atom.
func (a Atom) Components() []aggregate.Component {
	if a.Outer != "" { // with how many records there are, without which a group does not count
		return append(a.Inner().Components(), aggregate.CountAll)
	}
	if a.Tallied {
		return []aggregate.Component{aggregate.TallyValue, aggregate.TallyWeight}
	}
	is := a.Aggregate.Is()
	if a.Field == query.Records {
		return is.Whole
	}
	return is.Components
}

// Mergeable tells whether every total can be had from the parts' components.
func (m *Measuring) Mergeable() bool {
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
	return c.Expr.Eval(formula.Values{Name: m.Settings, Now: m.Now, Aggregate: func(formula.Aggregate) field.Value {
		next++
		return atoms[c.Atoms[next-1]]
	}})
}

// value gives the SQL of what an atom aggregates, for one record; "" for whole records.
func (a Atom) value(s *dataset.Scope) (string, error) {
	switch {
	case a.Expr != nil:
		return a.Expr.SQL(s.Target())
	case a.Field == query.Records:
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
