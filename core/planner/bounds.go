package planner

import (
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/sql"
)

// Bounds is the question for the bounds of a date field of the plan's dataset.
func (p *Plan) Bounds(f *dataset.Field) *sql.Bounds {
	out := p.Groups
	out.Setting.Filters, out.Reached, out.Span, out.Where = filter.Condition{}, nil, filter.Condition{}, filter.Condition{}
	if base := p.Dataset.BaseFilter; base != nil {
		out.Where = p.Setting.Put(p.Dataset, *base)
	}
	return &sql.Bounds{Groups: &out, F: f}
}
