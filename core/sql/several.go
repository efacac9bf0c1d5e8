package sql

import (
	"fmt"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
)

// each joins the values of dimension i, whose array is given as SQL: one row for each, and
// one of empty values for a record without any. Of a cut dimension those that are not kept
// are one row.
func (b *builder) each(i int, d Dim, list string) (key string) {
	value, other := "e.v", "false"
	if d.Cut() > 0 && d.Only != nil {
		kept := "e.v = any(" + b.bind.Bind(d.Only) + "::text[])"
		value, other = "case when "+kept+" then e.v end", "not "+kept
	}
	b.lateral += lateral(list, fmt.Sprintf("s%d", i), value, other)
	return fmt.Sprintf("s%d.v", i)
}

// lateral joins as an alias what stands for each value e.v of an array, once; a record
// without any has one empty row.
func lateral(list, alias, value, other string) string {
	return fmt.Sprintf(" left join lateral (select distinct %s as v, %s as other from unnest(%s) e(v)) %s on true", value, other, list, alias)
}

// each is one of the values of a field that holds several, for a condition on that alone.
type each struct{ f *dataset.Field }

func (v each) Column(string) (filter.Column, error) {
	return filter.Column{Label: v.f.Label, Type: field.Text, KeyType: field.Text, Key: "s.v", Text: "s.v"}, nil
}

// Labelled tells whether a label comes with each key of the dimension.
func (d Dim) Labelled() bool { return d.F.IsLink() || d.F.Several }
