package query

import (
	"fmt"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/statement"
)

// A BoundsPlan asks for the first and the last date of all records that a viewer may see,
// whatever filters say: before the first, and for a plan after the last, nothing is filled.
type BoundsPlan struct {
	plan *Plan
	f    *dataset.Field
}

// Bounds is the question for the bounds of a date field of the plan's dataset.
func (p *Plan) Bounds(f *dataset.Field) *BoundsPlan {
	out := *p
	out.Setting.Filters, out.reached, out.span, out.where = filter.Condition{}, nil, filter.Condition{}, filter.Condition{}
	if base := p.Dataset.BaseFilter; base != nil {
		out.where = p.Setting.put(p.Dataset, *base)
	}
	return &BoundsPlan{&out, f}
}

// Data is the dataset the plan reads.
func (b *BoundsPlan) Data() *dataset.Dataset { return b.plan.Dataset }

// Compile writes the statement.
func (b *BoundsPlan) Compile(g *dataset.Guard) (statement.Statement, error) {
	w := newBuilder(b.plan, g)
	key, err := w.scope.KeyOnly(b.f)
	if err != nil {
		return statement.Statement{}, err
	}
	where, err := w.where(b.plan.where)
	sql := fmt.Sprintf("select min(%s), max(%s) from %s where %s and %s", key, key, w.scope.From(), where, dataset.Years(key, b.f.Type, b.f.Zoned))
	return statement.Statement{SQL: sql, Args: w.bind.Args()}, err
}

// Read takes the answer: zero times where there are no records.
func (b *BoundsPlan) Read(rows [][]field.Value) (first, last time.Time) {
	if len(rows) == 0 || rows[0][0].IsEmpty() {
		return first, last
	}
	return rows[0][0].Time(), rows[0][1].Time()
}
