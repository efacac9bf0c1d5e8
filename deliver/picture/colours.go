package picture

import (
	"fmt"
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

// of is the same for what has to be a colour; what is none is ink.
func (p paints) of(css string) [3]int {
	if rgb, ok := p.rgb(css); ok {
		return rgb
	}
	return p["ink"].Bytes()
}

func hex(c [3]int) string { return fmt.Sprintf("#%02x%02x%02x", c[0], c[1], c[2]) }
