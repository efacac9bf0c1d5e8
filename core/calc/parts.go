// Package calc does what comes after the database has grouped: it maps keys to kept
// ones and Others, merges components, fills gaps, sorts and totals. It gets rows of
// exact values and returns a Table of exact values; labels of numbers are made later.
package calc

import (
	"slices"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/aggregate"
	"eskadel/core/decimal"
	"eskadel/core/field"
	"eskadel/core/planner"
	"eskadel/core/sql"
)

// Share returns part ÷ whole; empty when the whole is zero.
func Share(part, whole field.Value) field.Value {
	return decimal.Quotient(part.Decimal(), whole.Decimal())
}

// A part is one component: a value, or for a measure that is counted by value how often
// each occurs.
type part struct {
	is    field.Value
	tally tally
	inner inner // of a measure of two levels, whose first component stands for all
}

func (p *part) number() *apd.Decimal { return p.is.Decimal() }

// add adds the number of another part.
func (p *part) add(q *part) {
	a, scale, small := p.is.Small()
	if b, same, ok := q.is.Small(); ok && small && same == scale {
		p.is = field.OfUnits(a+b, scale)
		return
	}
	p.is = field.OfDecimal(decimal.Add(p.number(), q.number()))
}

// parts are the components of all measures in one group; nil parts have no records.
type parts []part

// read takes the components of a row of a plan; group is the inner one that they are of.
func (out parts) read(row []field.Value, columns []sql.Column, m *sql.Measuring, group string) parts {
	for i, v := range row {
		out[i] = part{is: v}
	}
	out.nest(columns, m, group)
	for i, c := range columns {
		if c.Component != aggregate.TallyValue {
			continue
		}
		if n := whole(row[i+1]); n > 0 {
			out[i].tally = tally{row[i].Exact(): {row[i], n}}
		}
		out[i].is, out[i+1].is = field.Value{}, field.Value{}
	}
	return out
}

// merge adds the records of q to p. Only mergeable components come here.
func (p parts) merge(q parts, columns []sql.Column) parts {
	if p == nil {
		p = append(parts{}, q...)
		for i := range p {
			if q[i].tally != nil {
				p[i].tally = tally(nil).merge(q[i].tally)
			}
			if q[i].inner != nil {
				p[i].inner = inner(nil).merge(q[i].inner, columns[i:])
			}
		}
		return p
	}
	for i, c := range columns {
		switch {
		case p[i].inner != nil || q[i].inner != nil:
			p[i].inner = p[i].inner.merge(q[i].inner, columns[i:])
		case c.Component == aggregate.TallyValue:
			p[i].tally = p[i].tally.merge(q[i].tally)
		case q[i].is.IsEmpty():
		case p[i].is.IsEmpty():
			p[i] = q[i]
		default:
			if keeps := c.Component.Keeps(); keeps == nil {
				p[i].add(&q[i])
			} else if !keeps(p[i].is, q[i].is) {
				p[i] = q[i]
			}
		}
	}
	return p
}

// blank is what a group without records has: 0 for counts and sums, no value for the others.
func blank(p *planner.Plan) parts {
	out := make(parts, len(p.Columns))
	for i, c := range p.Columns {
		if c.Component.Counts() || p.Atoms[c.Atom].Aggregate.Is().Zero && !p.Atoms[c.Atom].Tallied {
			out[i] = part{is: field.OfInt(0)}
		}
	}
	return out
}

// values computes each measure from the components of its atoms.
func (p parts) values(m *sql.Measuring, out []field.Value) {
	for i := range out {
		out[i] = p.value(m, i)
	}
}

// value computes one measure.
func (p parts) value(m *sql.Measuring, measure int) field.Value {
	if c := m.Computed[measure]; c.Expr == nil {
		return p.atom(m, c.Atoms[0])
	}
	atoms := make([]field.Value, len(m.Atoms))
	for _, a := range m.Computed[measure].Atoms {
		atoms[a] = p.atom(m, a)
	}
	return m.Value(measure, atoms)
}

// atom computes one atom: its components stand beside each other.
func (p parts) atom(m *sql.Measuring, a int) field.Value {
	first := slices.IndexFunc(m.Columns, func(c sql.Column) bool { return c.Atom == a })
	atom := &m.Atoms[a]
	if atom.Outer != "" {
		return p[first].inner.value(atom)
	}
	return p[first:].made(atom)
}

// made computes one aggregate from its components, which come first.
func (p parts) made(a *sql.Atom) field.Value {
	if a.Tallied {
		return p[0].tally.value(a)
	}
	is := a.Aggregate.Is()
	if !is.Made() {
		return p[0].is
	}
	return is.Value(a.P, func(component int) field.Value { return p[component].is })
}

// minus is a − b; no value where one of them has none.
func minus(a, b field.Value) field.Value {
	x, y := a.Decimal(), b.Decimal()
	if x == nil || y == nil {
		return field.Value{}
	}
	var d apd.Decimal
	_, _ = decimal.Exact.Sub(&d, x, y)
	return field.OfDecimal(&d)
}

// relative is (a − b) ÷ |b|; no value where b is nothing.
func relative(a, b field.Value) field.Value {
	d := minus(a, b)
	if d.IsEmpty() {
		return d
	}
	var size apd.Decimal
	size.Abs(b.Decimal())
	return decimal.Quotient(d.Decimal(), &size)
}

// Sum adds values; those without one count as nothing.
func Sum(a, b field.Value) field.Value {
	if s := decimal.Add(a.Decimal(), b.Decimal()); s != nil {
		return field.OfDecimal(s)
	}
	return field.Value{}
}
