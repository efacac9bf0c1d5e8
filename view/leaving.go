package view

import (
	"context"
	"strconv"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/format"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/sentence"
	"eskadel/core/theme"
)

// A Leaving is what a chart shows, with what is said of it where it stands without its page: in a
// picture, a file, a mail.
type Leaving struct {
	*Answer
	Conditions string    // its sentence, with all that it is narrowed to: "jobs per week where yard is Skerrin"
	At         time.Time `json:"-"` // when its records were read
	Count      int64     `json:"-"` // of which it is made
	Made       string    // "Made from 1,204 jobs on 29 Nov 2026, 21:07."
	Rules      string    // the row rule in words, "" where all records may be seen
	Unsaid     []string  // of chart.OnPictures, what its author wants left off
	Theme      theme.Theme
}

// Leaving answers a widget for those who take it away.
func (v *View) Leaving(id string, parts Parts) (*Leaving, error) {
	a, err := v.Widget(id, parts)
	if err != nil {
		return nil, err
	}
	w, err := v.Doc.Widget(id)
	if err != nil {
		return nil, err
	}
	q, err := v.about(w, time.Time{})
	if err != nil || q.doc == nil || q.waits {
		return &Leaving{Answer: a, Theme: v.Doc.Theme}, err
	}
	out, err := v.Engine.left(v.ctx, a, q.narrowed(), q.doc, v.Viewer, q.setting, q.ds)
	if out != nil {
		out.Theme = v.Doc.Theme
	}
	return out, err
}

// A Called is a widget with its title.
type Called struct{ ID, Title string }

// Charts are the widgets of a page but for texts, in reading order.
func (v *View) Charts(page *dashboard.Page) ([]Called, error) {
	return v.titled(page, func(*chart.Document) bool { return true })
}

// Figured are the widgets of a page that have figures, in reading order.
func (v *View) Figured(page *dashboard.Page) ([]Called, error) {
	return v.titled(page, func(doc *chart.Document) bool { return !doc.Form.Lists() })
}

func (v *View) titled(page *dashboard.Page, wanted func(*chart.Document) bool) (out []Called, err error) {
	for _, w := range page.InOrder() {
		doc, ds, err := v.sound(&w)
		if err != nil {
			return nil, err
		}
		if doc != nil && wanted(doc) {
			out = append(out, Called{w.ID, sentence.Title(doc, ds)})
		}
	}
	return out, nil
}

// Leaving answers a chart that stands on no dashboard for those who take it away.
func (e *Reader) Leaving(ctx context.Context, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting, parts Parts) (*Leaving, error) {
	a, err := e.Answer(ctx, doc, ds, v, s, 0, parts)
	if err != nil {
		return nil, err
	}
	return e.left(ctx, a, doc, doc, v, s, ds)
}

// left says of an answer what it was made from. said is the chart as its sentence has it, doc as it
// is asked.
func (e *Reader) left(ctx context.Context, a *Answer, said, doc *chart.Document, v rule.Viewer, s query.Setting, ds *dataset.Dataset) (*Leaving, error) {
	out := &Leaving{Answer: a, Conditions: e.says(ctx, said, ds, v), Rules: rule.Words(ds, v), Unsaid: doc.Finishing().Unsaid}
	if a.Nothing != "" {
		return out, nil
	}
	d := doc.Computed(ds)
	counted := query.Definition{Version: query.Version, Dataset: d.Dataset, Own: d.Own, Where: d.Where, Instead: d.Instead, Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}}
	t, at, err := e.Table(ctx, counted, ds, v, s)
	if err != nil {
		return nil, err
	}
	n, _ := strconv.ParseInt(t.Total()[0].Exact(), 10, 64)
	out.At, out.Count = e.read(at), n
	out.Made = made(ds, n, out.At)
	return out, nil
}

// made says of how many records something was made, and when.
func made(ds *dataset.Dataset, n int64, at time.Time) string {
	return "Made from " + format.Records(ds, n) + " on " + ds.Manner.Time(at) + "."
}
