package picture

import (
	"math"
	"strconv"
	"strings"

	"eskadel/web/drawing"
)

// A matrix of a transform: x' = a x + c y + e, y' = b x + d y + f.
type matrix struct{ a, b, c, d, e, f float64 }

func (m matrix) at(x, y float64) (float64, float64) {
	return m.a*x + m.c*y + m.e, m.b*x + m.d*y + m.f
}

// then is what first does n and then m.
func (m matrix) then(n matrix) matrix {
	return matrix{m.a*n.a + m.c*n.b, m.b*n.a + m.d*n.b, m.a*n.c + m.c*n.d, m.b*n.c + m.d*n.d, m.a*n.e + m.c*n.f + m.e, m.b*n.e + m.d*n.f + m.f}
}

// scale is how much larger it makes things.
func (m matrix) scale() float64 { return math.Sqrt(math.Abs(m.a*m.d - m.b*m.c)) }

// transform reads what drawings write: translate, scale and rotate.
func transform(s string) matrix {
	name, rest, _ := strings.Cut(s, "(")
	var n []float64
	for _, field := range strings.FieldsFunc(strings.TrimSuffix(rest, ")"), func(r rune) bool { return r == ' ' || r == ',' }) {
		v, _ := strconv.ParseFloat(field, 64)
		n = append(n, v)
	}
	for len(n) < 3 {
		n = append(n, 0)
	}
	switch name {
	case "translate":
		return matrix{1, 0, 0, 1, n[0], n[1]}
	case "scale":
		return matrix{n[0], 0, 0, n[0], 0, 0}
	case "rotate":
		sin, cos := math.Sincos(n[0] * math.Pi / 180)
		return matrix{1, 0, 0, 1, n[1], n[2]}.then(matrix{cos, sin, -sin, cos, 0, 0}).then(matrix{1, 0, 0, 1, -n[1], -n[2]})
	}
	return matrix{1, 0, 0, 1, 0, 0}
}

// A pen is how a path is filled and drawn, in pixels of the picture; a colour that is nil is none.
type pen struct {
	fill, stroke             *[3]int
	fillOpacity, opacity     float64
	width                    float64
	dash                     []float64
	round, crisp, halo, even bool
}

// A canvas is what is painted on.
type canvas interface {
	path(p []segment, how pen)
	text(s string, at matrix, size float64, bold bool, anchor string, how pen)
}

// paint paints shapes with all that is in them.
func paint(to canvas, s *drawing.Shape, colours paints, at matrix) {
	text := func(name string) string { v, _ := s.Attributes[name].(string); return v }
	number := func(name string) float64 {
		switch v := s.Attributes[name].(type) {
		case float64:
			return v
		case string:
			n, _ := strconv.ParseFloat(v, 64)
			return n
		}
		return 0
	}
	or := func(name string, usual float64) float64 {
		if _, has := s.Attributes[name]; has {
			return number(name)
		}
		return usual
	}
	if t := text("transform"); t != "" {
		at = at.then(transform(t))
	}
	how := pen{opacity: or("opacity", 1), fillOpacity: or("fill-opacity", 1), width: or("stroke-width", 1) * at.scale(), round: text("stroke-linecap") == "round", crisp: text("shape-rendering") == "crispEdges", halo: text("paint-order") == "stroke", even: text("fill-rule") == "evenodd"}
	for _, field := range strings.Fields(text("stroke-dasharray")) {
		v, _ := strconv.ParseFloat(field, 64)
		how.dash = append(how.dash, v*at.scale())
	}
	colour := func(name, usual string) *[3]int {
		css := text(name)
		if css == "" {
			css = usual
		}
		if rgb, ok := colours.rgb(css); ok {
			return &rgb
		}
		return nil
	}
	how.fill, how.stroke = colour("fill", "#000000"), colour("stroke", "none")
	draw := func(d string) { to.path(placed(d, at), how) }
	f := func(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) + " " }
	switch s.Name {
	case "rect":
		x, y, w, h := number("x"), number("y"), number("width"), number("height")
		if w > 0 && h > 0 {
			draw("M" + f(x) + f(y) + "h" + f(w) + "v" + f(h) + "h" + f(-w) + "z")
		}
	case "line":
		how.fill = nil
		draw("M" + f(number("x1")) + f(number("y1")) + "L" + f(number("x2")) + f(number("y2")))
	case "circle":
		if x, y, r := number("cx"), number("cy"), number("r"); r > 0 {
			arc := "a" + f(r) + f(r) + "0 1 0 "
			draw("M" + f(x-r) + f(y) + arc + f(2*r) + "0" + arc + f(-2*r) + "0z")
		}
	case "path":
		draw(text("d"))
	case "text":
		var b strings.Builder
		for _, c := range s.Children {
			b.WriteString(c.Text) // a title in it is for pages
		}
		x, y := number("x"), number("y")
		to.text(b.String(), at.then(matrix{1, 0, 0, 1, x, y}), or("font-size", 12), or("font-weight", 400) >= 500, text("text-anchor"), how)
		return
	}
	for _, c := range s.Children {
		if c.Shape != nil && c.Name != "style" {
			paint(to, c.Shape, colours, at)
		}
	}
}
