package live

import (
	"encoding/json"
	"math"
	"strconv"
	"time"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/query"
)

// alike gives a widget's chart the scale that it shares with its siblings, and the order of
// the first of them: charts beside each other can then be compared by eye.
func (v *View) alike(w *dashboard.Widget, doc *chart.Document) (*chart.Document, error) {
	low, high, found := math.Inf(1), math.Inf(-1), false
	var order []string
	for i, other := range v.Doc.Siblings(w) {
		t, d, err := v.drawnAlone(&other)
		if err != nil || d == nil {
			continue // it says so in its own place
		}
		if i == 0 {
			order = t.Order()
		}
		found, low, high = true, math.Min(low, d.Axis.Low), math.Max(high, d.Axis.High)
	}
	if !found {
		return doc, nil
	}
	out := *doc
	finish := doc.Finishing()
	axis := chart.AxisFinish{}
	if finish.Value != nil {
		axis = *finish.Value
	}
	number := func(x float64) json.Number { return json.Number(strconv.FormatFloat(x, 'f', -1, 64)) }
	axis.Low, axis.High = number(low), number(high)
	finish.Value, out.Finish = &axis, &finish
	if len(order) > 0 && len(out.By) == 1 && out.By[0].Grain == 0 && out.By[0].Part == 0 {
		out.By = append([]query.Dimension{}, out.By...)
		if f := v.dimension(doc); f != nil && !f.Type.Temporal() && out.By[0].Largest+out.By[0].Smallest == 0 {
			out.By[0].Sort = &query.Sort{By: "hand", Order: order}
		}
	}
	return &out, nil
}

// dimension is the field that a chart is divided by; nil for none.
func (v *View) dimension(doc *chart.Document) *dataset.Field {
	ds, err := v.Engine.Dataset(v.ctx, doc.Dataset, v.Viewer)
	if err != nil || len(doc.By) == 0 {
		return nil
	}
	return ds.Find(doc.By[0].Field)
}

// drawnAlone draws a widget's chart by itself; no drawing where it is none.
func (v *View) drawnAlone(w *dashboard.Widget) (*calc.Table, *chart.Drawing, error) {
	doc, ds, err := v.Document(w)
	if err != nil || doc == nil || doc.Form.Lists() || doc.Form.Tells() {
		return nil, nil, err
	}
	reach, err := v.Doc.Reach(w, ds, v.State, v.Viewer.Attributes, v, "")
	if err != nil {
		return nil, nil, err
	}
	setting, err := v.setting(ds, reach.Condition, time.Time{})
	if err != nil {
		return nil, nil, err
	}
	if setting.Beside, _, err = v.beside(w.ID, doc); err != nil {
		return nil, nil, err
	}
	t, _, err := v.Engine.Table(v.ctx, doc.Computed(), ds, v.Viewer, setting)
	if err != nil || t.IsEmpty() {
		return nil, nil, err
	}
	d, err := chart.Draw(t, doc, v.Version)
	return t, d, err
}
