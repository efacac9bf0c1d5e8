package query

import (
	"fmt"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/statement"
	"eskadel/core/steps"
)

// An ExtentPlan asks where the records of a definition's date field lie.
type ExtentPlan struct {
	plan   *Plan
	dim    Dim
	fences period.Range // outside which records are outliers; none while they are not known
}

// An Extent is where the records of a date field lie that are no outliers.
type Extent struct {
	Low, High time.Time
	Any       bool
	beyond    bool // now does not end it, since another dataset goes on
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
		if r, _, _ := p.where.Span(dim.Field, p.column(dim.F), p.env()); r.From.IsZero() || r.To.IsZero() {
			return &ExtentPlan{plan: p, dim: dim}
		}
	}
	return nil
}

// BuildAsking is Build where what the definition needs to know first is asked for: the
// extent, and the records behind links that its conditions speak of.
func BuildAsking(d Definition, ds *dataset.Dataset, s Setting, ask *steps.Asker) (*Plan, error) {
	p, err := found(d, ds, s, ask)
	if err != nil {
		return nil, err
	}
	var extent *Extent
	if ep := p.extent(); ep != nil {
		if extent, err = ep.ask(ask); err != nil {
			return nil, err
		}
	}
	return p, p.build(extent)
}

// buildWithin is BuildAsking where the extent is known.
func buildWithin(d Definition, ds *dataset.Dataset, s Setting, extent *Extent, ask *steps.Asker) (*Plan, error) {
	p, err := found(d, ds, s, ask)
	if err != nil {
		return nil, err
	}
	return p, p.build(extent)
}

// found prepares a plan for which the records behind links have been asked for.
func found(d Definition, ds *dataset.Dataset, s Setting, ask *steps.Asker) (*Plan, error) {
	p, err := prepare(d, ds, s)
	if err == nil {
		err = p.find(ask)
	}
	return p, err
}

// ask finds the extent. Outliers are more than 3 quartile distances outside the quartiles:
// where there are any, the records within are asked for anew.
func (e *ExtentPlan) ask(ask *steps.Asker) (*Extent, error) {
	rows, err := ask.Ask(e)
	if err != nil || len(rows) == 0 || rows[0][0].IsEmpty() {
		return &Extent{}, err
	}
	x := &Extent{Low: rows[0][0].Time(), High: rows[0][1].Time(), Any: true}
	if within := e.within(x, rows[0][2].Time(), rows[0][3].Time()); within != nil {
		if rows, err = ask.Ask(within); err != nil || len(rows) == 0 || rows[0][0].IsEmpty() {
			return x, err // they have all gone meanwhile
		}
		x.Low, x.High = rows[0][0].Time(), rows[0][1].Time()
	}
	return x, nil
}

// within is the question for what lies within the fences; nil where everything does.
func (e *ExtentPlan) within(x *Extent, quarter1, quarter3 time.Time) *ExtentPlan {
	fence := 3 * (quarter3.UnixMicro() - quarter1.UnixMicro()) // since a duration ends after 292 years
	if fence <= 0 {
		return nil
	}
	out := *e
	low := time.UnixMicro(max(quarter1.UnixMicro()-fence, years.From.UnixMicro())).UTC()
	high := time.UnixMicro(min(quarter3.UnixMicro()+fence, years.To.UnixMicro())).UTC()
	if out.fences = (period.Range{From: low, To: high}); !x.Low.Before(low) && !x.High.After(high) {
		return nil
	}
	return &out
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
	within := dataset.Years(key, e.dim.F.Type, e.dim.F.Zoned)
	columns := fmt.Sprintf("min(%s), max(%s)", key, key)
	if e.fences.To.IsZero() {
		columns += fmt.Sprintf(", "+quartile+", "+quartile, "0.25", "0.75")
	} else {
		within = key + " between " + b.bind.Bind(e.fences.From) + " and " + b.bind.Bind(e.fences.To)
	}
	sql := fmt.Sprintf("select %s from %s where %s and %s", columns, b.scope.From(), where, within)
	return statement.Statement{SQL: sql, Args: b.bind.Args()}, nil
}

// Dataset is what the plan reads.
func (e *ExtentPlan) Data() *dataset.Dataset { return e.plan.Dataset }

// Data is the dataset the plan reads.
func (p *Plan) Data() *dataset.Dataset { return p.Dataset }
