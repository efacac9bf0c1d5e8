package sql

import (
	"fmt"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/statement"
)

// MostKeys is how many keys records are compared with.
const MostKeys = 10_000

// A Far is the records behind one link that meet some conditions, before they are asked for.
type Far struct {
	Groups *Groups
	Link   dataset.Head
	Where  filter.Condition
}

// A Reached is what was found: the linked records that meet the conditions.
type Reached struct {
	Link  dataset.Head
	Where filter.Condition
	Keys  []field.Value
}

// Data is the dataset whose condition it is.
func (f *Far) Data() *dataset.Dataset { return f.Groups.Dataset }

// Compile writes the statement: the keys, in order.
func (f *Far) Compile(g *dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	scope := headScope(f.Groups.Setting, f.Groups.Dataset, f.Link, g, bind)
	where, err := scope.Condition(f.Where)
	if err != nil {
		return statement.Statement{}, err
	}
	key := f.Link.Key("r")
	sql := fmt.Sprintf("select %s from %s where %s and %s is not null order by 1 limit %d", key, scope.From(), where, key, MostKeys+1)
	return statement.Statement{SQL: sql, Args: bind.Args()}, nil
}

// sql is the condition on the chart's own records. The array has the very type of the
// column, since only then does the database look keys up instead of going through them.
func (r Reached) sql(b *statement.Binder) string {
	if r.Link.Type() == field.Integer {
		list := make([]int64, len(r.Keys))
		for i, k := range r.Keys {
			list[i], _ = k.Decimal().Int64()
		}
		return fmt.Sprintf("%s = any(%s::%s[])", r.Link.Column("r"), b.Bind(list), r.Link.SQLType())
	}
	list := make([]string, len(r.Keys))
	for i, k := range r.Keys {
		list[i] = k.Exact()
	}
	return fmt.Sprintf("%s = any(%s::%s[])", r.Link.Column("r"), b.Bind(list), r.Link.SQLType())
}
