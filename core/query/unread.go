package query

import (
	"slices"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
)

// Carefully tells whether a measure leaves out what cannot be computed with of a field that is
// a column as it is. A sum tells by its own value that there is such a thing.
func (s Setting) Carefully(a aggregate.Name) bool {
	return s.Careful || a != "" && !a.Is().Tells
}

// Unreadable returns, by field, what is met by the records that measures leave out because
// their value of the field cannot be read.
func Unreadable(d Definition, ds *dataset.Dataset, careful bool) (fields []string, where map[string]filter.Condition) {
	where = map[string]filter.Condition{}
	among := map[string][]filter.Condition{} // the measures' own conditions
	for _, m := range d.Measures {
		if m.Of != nil {
			m.Aggregate, m.Field = m.Of.Aggregate, m.Of.Field
		}
		uses := []string{m.Field}
		if e, err := m.Expr(ds); err == nil && e != nil {
			uses = e.Uses()
		}
		var own filter.Condition
		if m.Where != nil {
			own = *m.Where
		}
		for _, f := range ds.Fallible(uses) {
			if f.Name == m.Field && !f.Repaired() && !(Setting{Careful: careful}).Carefully(m.Aggregate) {
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

// Quantile is how much of the values lies below a percentile; no value for other aggregates.
func (m Measure) Quantile() field.Value {
	v, _ := field.Parse(field.Number, m.P)
	return v
}
