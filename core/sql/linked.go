package sql

import (
	"fmt"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/statement"
)

// MostLinked is how many linked records empty groups are made of.
const MostLinked = 1000

// A Linked lists every record that a field could link to, as far as the viewer may see them.
type Linked struct {
	groups *Groups
	f      *dataset.Field
}

// NewLinked plans the list of what a linked field of a plan could hold.
func NewLinked(p *Groups, f *dataset.Field) *Linked { return &Linked{p, f} }

// Data is the dataset that the field belongs to.
func (l *Linked) Data() *dataset.Dataset { return l.groups.Dataset }

// Compile writes the statement: key and label.
func (l *Linked) Compile(g *dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	own := &dataset.Guard{}
	if g != nil {
		own.Rows = g.Rows
	}
	table, key, label := l.f.Listing("r")
	scope := dataset.NewTableScope(table, l.groups.Dataset.Catalogue(), own, filter.Env{Bind: bind, Now: l.groups.Setting.Now, Calendar: l.groups.Setting.Calendar})
	admitted, err := scope.Admitted()
	if err != nil {
		return statement.Statement{}, err
	}
	sql := fmt.Sprintf("select %s, %s from %s where %s order by %s limit %d", key, label, scope.From(), statement.And(admitted), key, MostLinked)
	return statement.Statement{SQL: sql, Args: bind.Args()}, nil
}
