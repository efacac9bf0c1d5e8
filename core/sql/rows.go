package sql

import (
	"time"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/statement"
)

// Rows reads the whole rows of a table that a guard shows, each as a JSON object, for
// proving the rules. It is run as a builder: the guard is what is being looked at.
type Rows struct {
	dataset *dataset.Dataset
	table   *dataset.Table
	guard   *dataset.Guard
}

// NewRows plans the rows of a table that ds reads.
func NewRows(ds *dataset.Dataset, t *dataset.Table, g *dataset.Guard) *Rows { return &Rows{ds, t, g} }

// Data is the dataset that the table belongs to.
func (r *Rows) Data() *dataset.Dataset { return r.dataset }

// Compile writes the statement. The rules that it shows are those given at the beginning.
func (r *Rows) Compile(*dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	env := filter.Env{Bind: bind, Now: time.Unix(0, 0), Calendar: period.ISO(time.UTC)}
	own := &dataset.Guard{}
	if r.guard != nil {
		own.Rows = r.guard.Rows
	}
	scope := dataset.NewTableScope(r.table, r.dataset.Catalogue(), own, env)
	admitted, err := scope.Admitted()
	if err != nil {
		return statement.Statement{}, err
	}
	if r.guard != nil && !r.guard.Own.IsZero() && r.table == r.dataset.Table {
		// The dataset's own rules narrow its own records.
		over := dataset.NewScope(r.dataset, &dataset.Guard{Own: r.guard.Own}, env)
		rest, err := over.Admitted()
		if err != nil {
			return statement.Statement{}, err
		}
		key := over.Identity()
		admitted = statement.And(admitted, key+" in (select "+key+" from "+over.From()+" where "+rest+")")
	}
	return statement.Statement{SQL: "select to_jsonb(r)::text from " + scope.From() + " where " + statement.And(admitted), Args: bind.Args()}, nil
}
