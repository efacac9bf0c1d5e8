package chart

import (
	"eskadel/core/dataset"
	"eskadel/core/query"
)

// Scaled tells whether the form has a scale of values that others can share.
func (f Form) Scaled() bool {
	switch f.Kind {
	case "columns", "bars", "line", "area", "columns and lines", "scatter", "radar":
		return f.Style != Whole
	}
	return false
}

// Alike is the chart with its values on a scale from low to high, and its groups in an
// order of texts where it has one group that is neither along time nor cut.
func (d *Document) Alike(low, high float64, order []string, ds *dataset.Dataset) *Document {
	out, finish, axis := *d, d.Finishing(), AxisFinish{}
	if finish.Value != nil {
		axis = *finish.Value
	}
	axis.Low, axis.High = number(low), number(high)
	finish.Value, out.Finish = &axis, &finish
	if len(order) == 0 || len(d.By) != 1 {
		return &out
	}
	by := d.By[0]
	if f := ds.Find(by.Field); f == nil || f.Type.Temporal() || by.Largest+by.Smallest > 0 {
		return &out
	}
	by.Sort = &query.Sort{By: "hand", Order: order}
	out.By = []query.Dimension{by}
	return &out
}
