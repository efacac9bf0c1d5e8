package query

import (
	"fmt"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/statement"
)

// An ExtentPlan asks where the records of a definition's date field lie.
type ExtentPlan struct {
	plan *Plan
	dim  Dim
}

// NewExtent returns the plan that must run before Build, or nil when the time axis is
// fixed by filters or there is none.
func NewExtent(d Definition, ds *dataset.Dataset, s Setting) (*ExtentPlan, error) {
	p, err := prepare(d, ds, s)
	if err != nil {
		return nil, err
	}
	return p.extent(), nil
}

func (p *Plan) extent() *ExtentPlan {
	for _, dim := range p.Dims {
		if !dim.onAxis() {
			continue
		}
		r, _, fixed := p.where.Span(dim.Field, p.column(dim.F), p.env())
		if needsExtent(r, fixed) {
			return &ExtentPlan{p, dim}
		}
	}
	return nil
}

// BuildAsking is Build where what the definition needs to know first is asked for: the
// extent, and the records behind links that its conditions speak of.
func BuildAsking(d Definition, ds *dataset.Dataset, s Setting, ask Ask) (*Plan, error) {
	p, err := found(d, ds, s, ask)
	if err != nil {
		return nil, err
	}
	var extent *Extent
	if ep := p.extent(); ep != nil {
		rows, err := ask(ep)
		if err != nil {
			return nil, err
		}
		extent = ep.Read(rows)
	}
	return p, p.build(extent)
}

// buildWithin is BuildAsking where the extent is known.
func buildWithin(d Definition, ds *dataset.Dataset, s Setting, extent *Extent, ask Ask) (*Plan, error) {
	p, err := found(d, ds, s, ask)
	if err != nil {
		return nil, err
	}
	return p, p.build(extent)
}

// found prepares a plan for which the records behind links have been asked for.
func found(d Definition, ds *dataset.Dataset, s Setting, ask Ask) (*Plan, error) {
	p, err := prepare(d, ds, s)
	if err == nil {
		err = p.find(ask)
	}
	return p, err
}

// Compile writes the statement: smallest, largest, first and third quartile.
func (e *ExtentPlan) Compile(g *dataset.Guard) (statement.Statement, error) {
	b := newBuilder(e.plan, g)
	key, err := b.scope.KeyOnly(e.dim.F)
	if err != nil {
		return statement.Statement{}, err
	}
	where, err := b.where(e.plan.where)
	if err != nil {
		return statement.Statement{}, err
	}
	quartile := "percentile_disc(%s) within group (order by " + key + ")"
	sql := fmt.Sprintf("select min(%s), max(%s), "+quartile+", "+quartile+" from %s where %s and isfinite(%s)",
		key, key, "0.25", "0.75", b.scope.From(), where, key)
	return statement.Statement{SQL: sql, Args: b.bind.Args()}, nil
}

// Dataset is what the plan reads.
func (e *ExtentPlan) Data() *dataset.Dataset { return e.plan.Dataset }

// Data is the dataset the plan reads.
func (p *Plan) Data() *dataset.Dataset { return p.Dataset }

// Read takes the answer.
func (e *ExtentPlan) Read(rows [][]field.Value) *Extent {
	if len(rows) == 0 || rows[0][0].IsEmpty() {
		return &Extent{}
	}
	r := rows[0]
	return &Extent{Low: r[0].Time(), High: r[1].Time(), Quarter1: r[2].Time(), Quarter3: r[3].Time(), Any: true}
}
