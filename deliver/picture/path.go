package picture

import (
	"math"
	"strconv"
)

// A segment of a path: M and L have one point, C has three, Z none.
type segment struct {
	kind byte
	p    [6]float64
}

// placed reads the path data of SVG as drawings write it — M L H V A Z, absolute or not — and
// places it; arcs become curves.
func placed(d string, at matrix) (out []segment) {
	r := reader{s: d}
	var x, y, startX, startY float64
	put := func(kind byte, points ...float64) {
		s := segment{kind: kind}
		for i := 0; i < len(points); i += 2 {
			s.p[i], s.p[i+1] = at.at(points[i], points[i+1])
		}
		out = append(out, s)
	}
	for {
		kind := r.command()
		if kind == 0 {
			return out
		}
		from := func() (float64, float64) { // what relative ones begin at
			if kind >= 'a' {
				return x, y
			}
			return 0, 0
		}
		switch kind | 0x20 {
		case 'm', 'l':
			dx, dy := from()
			x, y = dx+r.number(), dy+r.number()
			if kind|0x20 == 'm' {
				startX, startY = x, y
				put('M', x, y)
				r.follow(kind - 'M' + 'L')
			} else {
				put('L', x, y)
			}
		case 'h':
			dx, _ := from()
			x = dx + r.number()
			put('L', x, y)
		case 'v':
			_, dy := from()
			y = dy + r.number()
			put('L', x, y)
		case 'a':
			dx, dy := from()
			radius, _, _ := r.number(), r.number(), r.number() // circles only
			large, sweep := r.number() != 0, r.number() != 0
			toX, toY := dx+r.number(), dy+r.number()
			for _, c := range arc(x, y, toX, toY, radius, large, sweep) {
				put('C', c[:]...)
			}
			x, y = toX, toY
		case 'z':
			x, y = startX, startY
			put('Z')
		}
		if r.stuck {
			return out
		}
	}
}

// arc is a part of a circle as curves of at most a quarter each, by the implementation notes of
// SVG 1.1, F.6.5.
func arc(x1, y1, x2, y2, r float64, large, sweep bool) (out [][6]float64) {
	dx, dy := (x1-x2)/2, (y1-y2)/2
	half := math.Hypot(dx, dy)
	if half == 0 || r == 0 {
		return nil
	}
	r = math.Max(r, half)
	factor := math.Sqrt(math.Max(0, r*r-half*half)) / half
	if large == sweep {
		factor = -factor
	}
	cx, cy := (x1+x2)/2+factor*dy, (y1+y2)/2-factor*dx
	a, b := math.Atan2(y1-cy, x1-cx), math.Atan2(y2-cy, x2-cx)
	if sweep && b < a {
		b += 2 * math.Pi
	} else if !sweep && b > a {
		b -= 2 * math.Pi
	}
	n := int(math.Max(1, math.Ceil(math.Abs(b-a)/(math.Pi/2)-1e-9)))
	step := (b - a) / float64(n)
	k := 4.0 / 3 * math.Tan(step/4) * r
	for i := range n {
		t, u := a+step*float64(i), a+step*float64(i+1)
		px, py, qx, qy := cx+r*math.Cos(t), cy+r*math.Sin(t), cx+r*math.Cos(u), cy+r*math.Sin(u)
		out = append(out, [6]float64{px - k*math.Sin(t), py + k*math.Cos(t), qx + k*math.Sin(u), qy - k*math.Cos(u), qx, qy})
	}
	return out
}

// A reader reads path data.
type reader struct {
	s     string
	at    int
	last  byte // the command that numbers without one belong to
	stuck bool // nothing more can be read
}

func (r *reader) space() {
	for r.at < len(r.s) && (r.s[r.at] == ' ' || r.s[r.at] == ',' || r.s[r.at] == '\n') {
		r.at++
	}
}

// follow says what command numbers belong to that come without one.
func (r *reader) follow(kind byte) { r.last = kind }

func (r *reader) command() byte {
	r.space()
	if r.at >= len(r.s) {
		return 0
	}
	if c := r.s[r.at]; c|0x20 >= 'a' && c|0x20 <= 'z' {
		r.at++
		r.last = c
		return c
	}
	if r.last|0x20 == 'z' {
		return 0
	}
	return r.last
}

func (r *reader) number() float64 {
	r.space()
	start, dot := r.at, false
	for ; r.at < len(r.s); r.at++ {
		c := r.s[r.at]
		if (c == '-' || c == '+') && r.at > start && r.s[r.at-1] != 'e' || c == '.' && dot {
			break
		}
		if c == '.' {
			dot = true
		} else if c != '-' && c != '+' && c != 'e' && (c < '0' || c > '9') {
			break
		}
	}
	v, err := strconv.ParseFloat(r.s[start:r.at], 64)
	if err != nil {
		r.stuck = true
	}
	return v
}
