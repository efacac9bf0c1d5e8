package view

import (
	"context"
	"fmt"
	"slices"

	"eskadel/core/alert"
	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/core/theme"
)

// A Frozen is a page, or a widget of one, as it was seen.
type Frozen struct {
	Page    string            `json:"page"`
	State   dashboard.State   `json:"state"`
	Line    string            `json:"line"` // the reading line in words
	Theme   theme.Theme       `json:"theme"`
	Widgets []FrozenWidget    `json:"widgets"`
	Scopes  map[string]string `json:"scopes"` // what its maker could see of each dataset
}

// A FrozenWidget is a widget as it was seen, with its figures for comparing them.
type FrozenWidget struct {
	ID      string        `json:"id"`
	At      [4]int        `json:"at"`
	Answer  *Answer       `json:"answer"`
	Figures []FrozenGroup `json:"figures,omitempty"`
}

// A FrozenGroup is the figures of a measure.
type FrozenGroup struct {
	Measure int           `json:"measure"`
	Label   string        `json:"label"`
	Points  []alert.Point `json:"points"`
}

// Freeze is a page as it is seen now, or one widget of it.
func (v *View) Freeze(page *dashboard.Page, only string) (*Frozen, error) {
	line, err := v.Line(page.Title)
	if err != nil {
		return nil, err
	}
	out := &Frozen{Page: page.Title, State: v.State, Line: line.Words(v.Viewer.Name), Theme: v.Doc.Theme, Scopes: map[string]string{}}
	for _, w := range page.InOrder() {
		if only != "" && w.ID != only {
			continue
		}
		one := FrozenWidget{ID: w.ID, At: w.At}
		one.Answer, err = v.Widget(w.ID, Drawing)
		if p := problem.Lasting(err); p != nil {
			one.Answer, err = &Answer{Title: "A part of the page", Nothing: p.Words}, nil // as its place says
		}
		if err != nil {
			return nil, err
		}
		if one.Answer.Nothing == "" && w.Chart != nil {
			if one.Figures, err = v.FiguresOf(w.ID); err != nil {
				return nil, err
			}
		}
		if err := v.scoped(&w, out.Scopes); err != nil {
			return nil, err
		}
		out.Widgets = append(out.Widgets, one)
	}
	if only != "" && len(out.Widgets) == 1 {
		out.Widgets[0].At = [4]int{0, 0, 12, max(6, out.Widgets[0].At[3])}
	}
	if len(out.Widgets) == 0 {
		return nil, problem.New(problem.NotFound, "widget", "There is nothing to freeze on this page.")
	}
	return out, nil
}

// FiguresOf are all figures of a widget; for a list, how many records there are.
func (v *View) FiguresOf(id string) (out []FrozenGroup, err error) {
	a, err := v.Widget(id, Figures)
	if err != nil {
		return nil, err
	}
	can, err := v.watchable(id, a)
	if err != nil {
		return nil, err
	}
	for i, label := range can.Measures {
		points, err := pointsOf(a, i)
		if err != nil {
			return nil, err
		}
		out = append(out, FrozenGroup{i, label, points})
	}
	if len(can.Measures) > 0 {
		return out, nil
	}
	left, err := v.Leaving(id, 0)
	if err != nil {
		return nil, err
	}
	n := fmt.Sprint(left.Count)
	return []FrozenGroup{{0, "records", []alert.Point{{Key: "records", Label: "records", Text: v.Engine.Calendar().Manner.Count(left.Count), Value: exactly(n)}}}}, nil
}

// scoped notes what may be seen of the datasets that a widget shows.
func (v *View) scoped(w *dashboard.Widget, scopes map[string]string) error {
	doc, _, err := v.whole(w)
	if doc == nil || err != nil {
		return nil // nothing of it was shown
	}
	for _, name := range doc.Datasets() {
		if scopes[name] != "" {
			continue
		}
		ds, err := v.Engine.Dataset(v.ctx, name, v.Viewer)
		if err != nil {
			return err
		}
		scopes[name] = rule.Sees(ds, v.Viewer)
	}
	return nil
}

// Lacks are the datasets of which a viewer may not see all that is frozen: they see it only under the same rules, or
// where none keeps anything from them.
func (e *Reader) Lacks(ctx context.Context, f *Frozen, v rule.Viewer) (out []string) {
	for name, then := range f.Scopes {
		ds, err := e.Dataset(ctx, name, v)
		if err != nil {
			out = append(out, name)
			continue
		}
		if now := rule.Sees(ds, v); now != rule.Everything && (now != then || now == "") {
			out = append(out, ds.Title)
		}
	}
	slices.Sort(out)
	return out
}
