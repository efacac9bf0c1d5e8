package view

import (
	"encoding/json"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/alert"
	"eskadel/core/chart"
	"eskadel/core/field"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/live"
)

// MostWatched is how many groups, or records, an alert watches at most.
const MostWatched = 20_000

// A Watchable is what an alert can watch of a widget.
type Watchable struct {
	Title    string
	Measures []string // what its figures are called; none for a list
	Compared bool     // its figures are compared with the time before
	Grouped  bool     // there is a figure for each of several groups
}

// Watchable says what an alert can watch of a widget.
func (v *View) Watchable(id string) (*Watchable, error) {
	a, err := v.Widget(id, Figures)
	if err != nil {
		return nil, err
	}
	return v.watchable(id, a)
}

func (v *View) watchable(id string, a *Answer) (*Watchable, error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return nil, err
	}
	doc, ds, err := v.Document(w)
	if err != nil {
		return nil, err
	}
	out := &Watchable{Title: a.Title}
	for _, f := range a.Figures {
		out.Measures = append(out.Measures, f.Label)
		out.Compared = out.Compared || f.Was != ""
	}
	if a.Grid != nil && len(a.Figures) == 0 {
		out.Grouped = true
		for _, h := range a.Grid.Head {
			switch {
			case !h.Number:
			case h.Shows == "before":
				out.Compared = true
			case h.Shows == "" && h.Measure == len(out.Measures):
				label := h.Label
				if len(h.Keys) > 0 && h.Measure < len(doc.Measures) { // it stands there for what it is split by
					label = chart.MeasureLabel(doc.Measures[h.Measure], ds)
				}
				out.Measures = append(out.Measures, label)
			}
		}
	}
	return out, nil
}

func exactly(s string) *apd.Decimal {
	d, _, err := apd.NewFromString(s)
	if err != nil || d.Form != apd.Finite {
		return nil
	}
	return d
}

// Points are the figures of a measure of a widget: key figures, or those of its groups.
func (v *View) Points(id string, measure int) (out []alert.Point, err error) {
	a, err := v.Widget(id, Figures)
	if err != nil {
		return nil, err
	}
	return pointsOf(a, measure)
}

func pointsOf(a *Answer, measure int) (out []alert.Point, err error) {
	for _, f := range a.Figures {
		if f.Measure == measure {
			out = append(out, alert.Point{Key: "figure", Label: f.Label, Text: pointText(f.Text, f.Change, f.Since), Value: exactly(f.Exact), Before: exactly(f.Was)})
		}
	}
	if a.Grid == nil || len(a.Figures) > 0 {
		return out, nil
	}
	for _, r := range a.Grid.Rows {
		if r.Total {
			continue
		}
		for i, h := range a.Grid.Head {
			if !h.Number || h.Measure != measure || h.Shows != "" || h.Total || i >= len(r.Cells) || r.Cells[i].Exact == "" {
				continue
			}
			key, err := json.Marshal([2][]marks.Key{r.Keys, h.Keys})
			if err != nil {
				return nil, err
			}
			p := alert.Point{Key: string(key), Label: pointLabel(r, h), Text: r.Cells[i].Text, Value: exactly(r.Cells[i].Exact)}
			for j, b := range a.Grid.Head {
				if b.Shows == "before" && b.Measure == measure && b.Words == h.Words && j < len(r.Cells) {
					p.Before = exactly(r.Cells[j].Exact)
					p.Text += ", before " + r.Cells[j].Text
				}
			}
			if out = append(out, p); len(out) > MostWatched {
				return nil, problem.New(problem.TooMany, "", "An alert watches at most %d groups.", MostWatched)
			}
		}
	}
	return out, nil
}

func pointText(text, change, since string) string {
	return strings.TrimSuffix(text+", "+strings.TrimSpace(change+" "+since), ", ")
}

func pointLabel(r chart.Row, h chart.Heading) string {
	label := r.Words
	if label == "" && len(r.Cells) > 0 {
		label = r.Cells[0].Text
	}
	if h.Words != "" {
		label += ", " + h.Words
	}
	return label
}

// WatchedRecords are the records that a widget is made of, by their keys, each with what it is called.
func (v *View) WatchedRecords(id string) (out []alert.Record, err error) {
	q, err := v.recorded(id, marks.Reference{})
	if err != nil {
		return nil, err
	}
	p, _, err := v.Engine.listed(v.ctx, q.doc, q.ds, v.Viewer, q.setting, marks.Reference{}, Paging{})
	if err == nil {
		var names []string
		for _, f := range p.Fields[:min(2, len(p.Fields))] {
			names = append(names, f.Name)
		}
		err = p.Choose(names, nil)
	}
	if err != nil {
		return nil, err
	}
	p.Size, p.Keyed = MostWatched, true
	fields, links := len(p.Fields), len(p.Dataset.LinkColumns())
	err = v.Engine.Stream(v.ctx, p, v.Viewer, func(l *live.List) error {
		if l.Count > MostWatched {
			return problem.New(problem.TooMany, "", "These are more than %d records, and an alert watches no more: narrow what is watched.", MostWatched)
		}
		return nil
	}, func(row []field.Value) error {
		var name, key []string
		for i, f := range p.Fields {
			if text := written(p.Dataset, f, row[links+i], p.Zone()); text != "" {
				name = append(name, text)
			}
		}
		for _, k := range row[links+fields:] {
			key = append(key, k.Exact())
		}
		out = append(out, alert.Record{Key: strings.Join(key, "/"), Name: strings.Join(name, ", ")})
		return nil
	})
	return out, err
}
