package rule

import (
	"slices"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
)

// Concerns tells, of a change of a table's records, whether it may be one of records that a
// viewer sees, from what columns held in them: what is told of a change to those whom it
// does not concern would tell of rows that are not theirs. It is nil where every change may.
func Concerns(t *dataset.Table, v Viewer) func(touched map[string][]*string) bool {
	if v.Builder || t.Rules == nil {
		return nil
	}
	c := allowed(t.Rules.RowRules, v)
	if c.IsZero() {
		return nil
	}
	return func(touched map[string][]*string) bool { return may(c, t, touched) }
}

// may tells whether a record could meet a condition whose columns held one of some values;
// of a column that is not among them nothing is known.
func may(c filter.Condition, t *dataset.Table, touched map[string][]*string) bool {
	could := func(p filter.Condition) bool { return may(p, t, touched) }
	switch {
	case c.IsNever():
		return false
	case len(c.All) > 0:
		return !slices.ContainsFunc(c.All, func(p filter.Condition) bool { return !could(p) })
	case len(c.Any) > 0:
		return slices.ContainsFunc(c.Any, could)
	case c.Not != nil || c.Part != 0:
		return true
	}
	col, held := t.Column(c.Field), touched[c.Field]
	if col == nil || held == nil || c.Op != filter.Is && c.Op != filter.OneOf {
		return true
	}
	for _, literal := range c.Values {
		want, err := field.Parse(col.Type, literal.Literal)
		if err != nil {
			return true
		}
		for _, text := range held {
			if text == nil {
				continue
			}
			if got, err := field.Parse(col.Type, *text); err != nil || got.Equal(want) {
				return true
			}
		}
	}
	return false
}

// Compared are the columns of each table, by its id, whose values tell whom a change of its
// records concerns.
func Compared(c dataset.Catalogue) map[string][]string {
	out := map[string][]string{}
	for _, t := range c {
		if t.Rules == nil {
			continue
		}
		var names []string
		for _, r := range t.Rules.RowRules {
			for _, name := range r.Where.Fields() {
				if t.Column(name) != nil && !slices.Contains(names, name) {
					names = append(names, name)
				}
			}
		}
		if slices.Sort(names); len(names) > 0 {
			out[t.ID()] = names
		}
	}
	return out
}
