package planner

import (
	"time"

	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/sql"
	"eskadel/core/steps"
)

// An Extent is where the records of a date field lie that are no outliers.
type Extent struct {
	Low, High time.Time
	Any       bool
	beyond    bool // now does not end it, since another dataset goes on
}

// NewExtent returns the plan that must run before Build, or nil when the time axis is
// fixed by filters or there is none.
func NewExtent(d query.Definition, ds *dataset.Dataset, s query.Setting) (*sql.Extent, error) {
	p, err := prepare(d, ds, s)
	if err != nil {
		return nil, err
	}
	return p.extent(), nil
}

func (p *Plan) extent() *sql.Extent {
	for _, dim := range p.Dims {
		if !dim.Along() {
			continue
		}
		if r, _, _ := p.Where.Span(dim.Field, query.Column(dim.F), p.Setting.Env(nil)); r.From.IsZero() || r.To.IsZero() {
			return &sql.Extent{Groups: &p.Groups, Dim: dim}
		}
	}
	return nil
}

// BuildAsking is Build where what the definition needs to know first is asked for: the
// extent, and the records behind links that its conditions speak of.
func BuildAsking(d query.Definition, ds *dataset.Dataset, s query.Setting, ask *steps.Asker) (*Plan, error) {
	p, err := found(d, ds, s, ask)
	if err != nil {
		return nil, err
	}
	var extent *Extent
	if ep := p.extent(); ep != nil {
		if extent, err = asked(ep, ask); err != nil {
			return nil, err
		}
	}
	return p, p.build(extent)
}

// buildWithin is BuildAsking where the extent is known.
func buildWithin(d query.Definition, ds *dataset.Dataset, s query.Setting, extent *Extent, ask *steps.Asker) (*Plan, error) {
	p, err := found(d, ds, s, ask)
	if err != nil {
		return nil, err
	}
	return p, p.build(extent)
}

// found prepares a plan for which the records behind links have been asked for.
func found(d query.Definition, ds *dataset.Dataset, s query.Setting, ask *steps.Asker) (*Plan, error) {
	p, err := prepare(d, ds, s)
	if err == nil {
		err = p.find(ask)
	}
	return p, err
}

// asked finds the extent. Outliers are more than 3 quartile distances outside the quartiles:
// where there are any, the records within are asked for anew.
func asked(e *sql.Extent, ask *steps.Asker) (*Extent, error) {
	rows, err := ask.Ask(e)
	if err != nil || len(rows) == 0 || rows[0][0].IsEmpty() {
		return &Extent{}, err
	}
	x := &Extent{Low: rows[0][0].Time(), High: rows[0][1].Time(), Any: true}
	if within := fenced(e, x, rows[0][2].Time(), rows[0][3].Time()); within != nil {
		if rows, err = ask.Ask(within); err != nil || len(rows) == 0 || rows[0][0].IsEmpty() {
			return x, err // they have all gone meanwhile
		}
		x.Low, x.High = rows[0][0].Time(), rows[0][1].Time()
	}
	return x, nil
}

// fenced is the question for what lies within the fences; nil where everything does.
func fenced(e *sql.Extent, x *Extent, quarter1, quarter3 time.Time) *sql.Extent {
	fence := 3 * (quarter3.UnixMicro() - quarter1.UnixMicro()) // since a duration ends after 292 years
	if fence <= 0 {
		return nil
	}
	out := *e
	low := time.UnixMicro(max(quarter1.UnixMicro()-fence, sql.Years.From.UnixMicro())).UTC()
	high := time.UnixMicro(min(quarter3.UnixMicro()+fence, sql.Years.To.UnixMicro())).UTC()
	if out.Fences = (period.Range{From: low, To: high}); !x.Low.Before(low) && !x.High.After(high) {
		return nil
	}
	return &out
}
