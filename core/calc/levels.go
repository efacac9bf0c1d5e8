package calc

import (
	"slices"

	"eskadel/core/field"
	"eskadel/core/sql"
)

// inner is what a measure of two levels is made of: the components of each inner group, the
// last of which is how many records it has.
type inner map[string]parts

// nest puts the components of measures of two levels into the inner group that they are of;
// a record of none is in none.
func (out parts) nest(columns []sql.Column, m *sql.Measuring, group string) {
	for i := 0; i < len(columns); i++ {
		atom := columns[i].Atom
		if m.Atoms[atom].Outer == "" {
			continue
		}
		last := i
		for last+1 < len(columns) && columns[last+1].Atom == atom {
			last++
		}
		if group != "" && whole(out[last].is) > 0 {
			out[i].inner = inner{group: slices.Clone(out[i : last+1])}
		} else {
			out[i].inner = inner{}
		}
		for k := i; k <= last; k++ {
			out[k].is = field.Value{}
		}
		i = last
	}
}

// merge adds the inner groups of the same records elsewhere.
func (n inner) merge(other inner, columns []sql.Column) inner {
	if n == nil {
		n = make(inner, len(other))
	}
	for group, of := range other {
		n[group] = n[group].merge(of, columns[:len(of)])
	}
	return n
}

// value computes the measure from those of its inner groups.
func (n inner) value(a *sql.Atom) field.Value {
	var values []field.Value
	one := a.Inner()
	for _, of := range n {
		if v := of.made(&one); !v.IsEmpty() {
			values = append(values, v)
		}
	}
	return a.Outer.Is().OfValues(a.OuterP, values)
}
