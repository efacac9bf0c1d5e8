package sql

import (
	"fmt"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/statement"
)

// Bounds asks for the first and the last date of all records that a viewer may see,
// whatever filters say: before the first, and for a plan after the last, nothing is filled.
type Bounds struct {
	Groups *Groups
	F      *dataset.Field
}

// Data is the dataset the plan reads.
func (b *Bounds) Data() *dataset.Dataset { return b.Groups.Dataset }

// Compile writes the statement.
func (b *Bounds) Compile(g *dataset.Guard) (statement.Statement, error) {
	w := newBuilder(b.Groups, g)
	key, err := w.scope.KeyOnly(b.F)
	if err != nil {
		return statement.Statement{}, err
	}
	where, err := w.where(b.Groups.Where)
	sql := fmt.Sprintf("select min(%s), max(%s) from %s where %s and %s", key, key, w.scope.From(), where, dataset.Years(key, b.F.Type, b.F.Zoned))
	return statement.Statement{SQL: sql, Args: w.bind.Args()}, err
}

// Read takes the answer: zero times where there are no records.
func (b *Bounds) Read(rows [][]field.Value) (first, last time.Time) {
	if len(rows) == 0 || rows[0][0].IsEmpty() {
		return first, last
	}
	return rows[0][0].Time(), rows[0][1].Time()
}
