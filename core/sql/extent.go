package sql

import (
	"fmt"

	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/statement"
)

// An Extent asks where the records of a definition's date field lie.
type Extent struct {
	Groups *Groups
	Dim    Dim
	Fences period.Range // outside which records are outliers; none while they are not known
}

// Compile writes the statement: smallest, largest, first and third quartile.
func (e *Extent) Compile(g *dataset.Guard) (statement.Statement, error) {
	b := newBuilder(e.Groups, g)
	key, err := b.scope.KeyOnly(e.Dim.F)
	if err != nil {
		return statement.Statement{}, err
	}
	where, err := b.where(e.Groups.Where)
	if err != nil {
		return statement.Statement{}, err
	}
	quartile := "percentile_disc(%s) within group (order by " + key + ")"
	within := dataset.Years(key, e.Dim.F.Type, e.Dim.F.Zoned)
	columns := fmt.Sprintf("min(%s), max(%s)", key, key)
	if e.Fences.To.IsZero() {
		columns += fmt.Sprintf(", "+quartile+", "+quartile, "0.25", "0.75")
	} else {
		within = key + " between " + b.bind.Bind(e.Fences.From) + " and " + b.bind.Bind(e.Fences.To)
	}
	sql := fmt.Sprintf("select %s from %s where %s and %s", columns, b.scope.From(), where, within)
	return statement.Statement{SQL: sql, Args: b.bind.Args()}, nil
}

// Data is the dataset that is read.
func (e *Extent) Data() *dataset.Dataset { return e.Groups.Dataset }
