package view

import (
	"math"
	"time"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dashboard"
)

// alike gives a widget's chart the scale that it shares with its siblings, and the order of
// the first of them: charts beside each other can then be compared by eye.
func (v *View) alike(w *dashboard.Widget, q about) *chart.Document {
	if !q.doc.Form.Scaled() {
		return q.doc
	}
	low, high := math.Inf(1), math.Inf(-1)
	var order []string
	for i, other := range v.Doc.Siblings(w) {
		t, d, err := v.drawnAlone(&other)
		if err != nil || d == nil {
			continue // it says so in its own place
		}
		if i == 0 {
			order = t.Order()
		}
		low, high = math.Min(low, d.Axis.Low), math.Max(high, d.Axis.High)
	}
	if low > high {
		return q.doc // none of them is drawn
	}
	return q.doc.Alike(low, high, order, q.ds)
}

// drawnAlone draws a widget's chart by itself; no drawing where it has no scale.
func (v *View) drawnAlone(w *dashboard.Widget) (*calc.Table, *chart.Drawing, error) {
	q, err := v.about(w, time.Time{})
	if err != nil || q.doc == nil || !q.doc.Form.Scaled() {
		return nil, nil, err
	}
	t, _, err := v.Engine.Table(v.ctx, q.doc.Computed(q.ds), q.ds, v.Viewer, q.setting)
	if err != nil || t.IsEmpty() {
		return nil, nil, err
	}
	d, err := chart.Draw(t, q.doc, v.Version)
	return t, d, err
}
