package chart

import (
	"strconv"
	"strings"
)

// plan places records: on a picture by percent of its width and height, on an outline by
// longitude and latitude.
func (w *lister) plan(out *Listing) error {
	f := w.doc.finish()
	out.Picture = f.Picture
	var project func(x, y float64) (float64, float64)
	var err error
	if len(f.Outline) > 0 {
		out.Outline, out.High, project, err = outline(f.Outline)
		if err != nil {
			return err
		}
	}
	all := ListColumn{}
	for _, row := range w.l.Rows {
		x, y, ok := position(w.value(row, w.roles.Position).Exact())
		if !ok {
			out.Missing++
			continue
		}
		if project != nil {
			x, y = project(y, x) // positions are latitude, longitude
			y *= 100 / out.High  // in percent of the height
		}
		if x < 0 || x > 100 || y < 0 || y > 100 {
			out.Outside++
			continue
		}
		c := w.card(row)
		if c.Colour == "" {
			c.Colour = "c1"
		}
		c.X, c.Y = x, y
		all.Cards = append(all.Cards, c)
	}
	all.Count = len(all.Cards)
	out.Columns = []ListColumn{all}
	return nil
}

// position reads the two numbers of a position.
func position(s string) (x, y float64, ok bool) {
	first, second, found := strings.Cut(strings.Trim(s, "()"), ",")
	if !found {
		return 0, 0, false
	}
	x, err1 := strconv.ParseFloat(strings.TrimSpace(first), 64)
	y, err2 := strconv.ParseFloat(strings.TrimSpace(second), 64)
	return x, y, err1 == nil && err2 == nil
}
