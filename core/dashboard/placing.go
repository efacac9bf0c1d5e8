package dashboard

import (
	"cmp"
	"slices"

	"eskadel/core/chart"
	"eskadel/core/problem"
)

// columns is how many a page has.
const columns = 12

// Layouts are the ways in which all widgets of a page are placed at once.
const (
	Thirds   = "rows of three"
	Halves   = "two columns"
	Headline = "headline over body"
	Foot     = "lists at the bottom"
	Panel    = "side panel"
	Strip    = "wide strip"
	Closed   = "close up"
)

// Layouts lists them as they are offered.
func Layouts() []string { return []string{Headline, Halves, Thirds, Foot, Closed, Panel, Strip} }

// InOrder returns the widgets of a page as they are read: from the top, and from the left.
func (p *Page) InOrder() []Widget {
	var out []Widget
	for _, w := range p.placed() {
		out = append(out, *w)
	}
	return out
}

// Narrow returns the ids of the widgets that a narrow screen shows, in its one column: as the
// page says, then the others as they are read.
func (p *Page) Narrow() []string {
	out := []string{}
	shown := map[string]bool{}
	for _, w := range p.Widgets {
		shown[w.ID] = !w.WideOnly
	}
	add := func(id string) {
		if shown[id] {
			out, shown[id] = append(out, id), false
		}
	}
	for _, id := range p.Phone {
		add(id)
	}
	for _, w := range p.InOrder() {
		add(w.ID)
	}
	return out
}

// MoveNarrow puts a widget some places further down in the one column of a narrow screen, or up.
func (p *Page) MoveNarrow(id string, by int) error {
	p.Phone = p.Narrow()
	i := slices.Index(p.Phone, id)
	if i < 0 {
		return problem.New(problem.NotFound, "widget", "A narrow screen does not show this widget.")
	}
	p.Phone = moved(p.Phone, i, by)
	return nil
}

// Arrange places all widgets of a page by a layout. form tells the form of a widget's chart, nil
// of a text.
func (p *Page) Arrange(layout string, form func(*Widget) *chart.Form) error {
	all := p.placed()
	var heads, body, feet []*Widget
	for _, w := range all {
		switch f := form(w); {
		case f == nil && w.At[3] <= 2, f != nil && f.Headlines():
			heads = append(heads, w)
		case f != nil && (f.Lists() || f.Tells()):
			feet = append(feet, w)
		default:
			body = append(body, w)
		}
	}
	row := 0
	rows := func(widgets []*Widget, each int) { row = inRows(widgets, each, row, form) }
	switch layout {
	case Headline:
		rows(heads, min(max(len(heads), 1), 4))
		rows(body, 2)
		rows(feet, 1)
	case Halves:
		rows(all, 2)
	case Thirds:
		rows(all, 3)
	case Panel:
		rows(all, 1)
	case Strip:
		rows(all, min(max(len(all), 1), 6))
	case Foot:
		rest := slices.DeleteFunc(slices.Clone(all), func(w *Widget) bool { return slices.Contains(feet, w) })
		closeUp(rest)
		for _, w := range rest {
			row = max(row, w.At[1]+w.At[3])
		}
		rows(feet, 1)
	case Closed:
		closeUp(all)
	default:
		return problem.New(problem.Invalid, "layout", "There is no layout “%s”.", layout)
	}
	return nil
}

// placed are the widgets of the page, to be placed, in the order in which they are read.
func (p *Page) placed() []*Widget {
	out := make([]*Widget, len(p.Widgets))
	for i := range p.Widgets {
		out[i] = &p.Widgets[i]
	}
	slices.SortStableFunc(out, func(a, b *Widget) int { return cmp.Or(a.At[1]-b.At[1], a.At[0]-b.At[0]) })
	return out
}

// inRows places widgets in rows of so many, from a row on, and returns the row after them. Those
// of a row are of one height; what is left for the last row shares its width.
func inRows(widgets []*Widget, each, row int, form func(*Widget) *chart.Form) int {
	for of := range slices.Chunk(widgets, each) {
		high := 0
		for _, w := range of {
			high = max(high, height(w, form(w)))
		}
		for i, w := range of {
			from, to := i*columns/len(of), (i+1)*columns/len(of)
			w.At = [4]int{from, row, to - from, high}
		}
		row += high
	}
	return row
}

// height is how high a widget is by itself.
func height(w *Widget, form *chart.Form) int {
	if form == nil {
		return w.At[3]
	}
	_, high := form.Size()
	return high
}

// closeUp moves widgets, which are in the order in which they are read, up to those above them.
func closeUp(widgets []*Widget) {
	for i, w := range widgets {
		row := 0
		for _, above := range widgets[:i] {
			if w.At[0] < above.At[0]+above.At[2] && above.At[0] < w.At[0]+w.At[2] {
				row = max(row, above.At[1]+above.At[3])
			}
		}
		w.At[1] = row
	}
}

// Match gives widgets of a page the width, the height or both of the first of them, where it
// fits, and moves others out of their way.
func (p *Page) Match(ids []string, wide, high bool) error {
	if len(ids) < 2 {
		return problem.New(problem.Missing, "widgets", "Choose two widgets or more: the first is what the others match.")
	}
	first, err := p.widget(ids[0])
	if err != nil {
		return err
	}
	size := first.At
	for _, id := range ids[1:] {
		w, err := p.widget(id)
		if err != nil {
			return err
		}
		if wide {
			w.At[2] = size[2]
			w.At[0] = min(w.At[0], columns-w.At[2])
		}
		if high {
			w.At[3] = size[3]
		}
	}
	closeUp(p.placed()) // none lies on another
	return nil
}

// Shift moves widgets of a page together, so many columns to the right and rows down, as far as all of
// them stay on the ground, and moves others out of their way.
func (p *Page) Shift(ids []string, right, down int) error {
	var moved []*Widget
	for _, id := range ids {
		w, err := p.widget(id)
		if err != nil {
			return err
		}
		moved = append(moved, w)
		right = min(max(right, -w.At[0]), columns-w.At[0]-w.At[2])
		down = max(down, -w.At[1])
	}
	for _, w := range moved {
		w.At[0], w.At[1] = w.At[0]+right, w.At[1]+down
	}
	all := p.placed()
	behind := func(w *Widget) int {
		if slices.Contains(moved, w) {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(all, func(a, b *Widget) int { return cmp.Or(a.At[1]-b.At[1], behind(a)-behind(b), a.At[0]-b.At[0]) })
	closeUp(all)
	return nil
}

func (p *Page) widget(id string) (*Widget, error) {
	i := slices.IndexFunc(p.Widgets, func(w Widget) bool { return w.ID == id })
	if i < 0 {
		return nil, problem.New(problem.NotFound, "widget", "The page has no widget “%s”.", id)
	}
	return &p.Widgets[i], nil
}
