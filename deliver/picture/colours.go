package picture

import (
	"math"
	"regexp"
	"strconv"
	"strings"

	"eskadel/core/colour"
)

// paints are the colours of a theme, by which those of a drawing are found.
type paints map[string]colour.Colour

// mixed is a colour that is made of two, as drawings write it.
var mixed = regexp.MustCompile(`^color-mix\(in srgb, (.+) (\d+)%, ([^,]+)\)$`)

// rgb is what a colour of a drawing is, 0 to 255; ok is false for none.
func (p paints) rgb(css string) (out [3]int, ok bool) {
	if m := mixed.FindStringSubmatch(css); m != nil {
		a, okA := p.rgb(m[1])
		b, okB := p.rgb(m[3])
		part, _ := strconv.Atoi(m[2])
		for i := range out {
			out[i] = int(math.Round(float64(a[i]*part+b[i]*(100-part)) / 100))
		}
		return out, okA && okB
	}
	if name, is := strings.CutPrefix(css, "var(--"); is {
		c, ok := p[strings.TrimSuffix(name, ")")]
		return c.Bytes(), ok
	}
	c, ok := colour.Parse(css)
	return c.Bytes(), ok
}

// of is the same as a colour; what is no colour is ink.
func (p paints) of(css string) colour.Colour {
	rgb, ok := p.rgb(css)
	if !ok {
		return p["ink"]
	}
	c, _ := colour.Parse(hex(rgb))
	return c
}

func hex(c [3]int) string {
	const digits = "0123456789abcdef"
	b := []byte{'#', 0, 0, 0, 0, 0, 0}
	for i, v := range c {
		b[1+2*i], b[2+2*i] = digits[v>>4], digits[v&15]
	}
	return string(b)
}
