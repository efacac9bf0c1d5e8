// Package colour computes with colours as the eye sees them: contrast by WCAG 2.2, and mixing and
// lightening in Oklab (Björn Ottosson, 2020).
package colour

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// A Colour is one of sRGB, its parts linear, from 0 to 1.
type Colour [3]float64

// Black and White are the ends.
var Black, White = Colour{}, Colour{1, 1, 1}

// Parse reads #rrggbb.
func Parse(s string) (c Colour, ok bool) {
	if len(s) != 7 || s[0] != '#' {
		return c, false
	}
	n, err := strconv.ParseUint(s[1:], 16, 32)
	if err != nil {
		return c, false
	}
	for i, shift := range []int{16, 8, 0} {
		c[i] = linear(float64(n>>shift&255) / 255)
	}
	return c, true
}

// linear takes the curve of sRGB off a part.
func linear(v float64) float64 {
	if v = min(max(v, 0), 1); v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

// Bytes are the parts of the colour as screens have them, from 0 to 255.
func (c Colour) Bytes() (out [3]int) {
	for i, v := range c {
		if v = min(max(v, 0), 1); v <= 0.0031308 {
			v *= 12.92
		} else {
			v = 1.055*math.Pow(v, 1/2.4) - 0.055
		}
		out[i] = int(math.Round(v * 255))
	}
	return out
}

// String writes the colour as #rrggbb.
func (c Colour) String() string {
	p := c.Bytes()
	return fmt.Sprintf("#%02x%02x%02x", p[0], p[1], p[2])
}

// Rounded is the colour as screens draw it.
func (c Colour) Rounded() Colour {
	out, _ := Parse(c.String())
	return out
}

// middle is the luminance of the ground from which black and white stand out alike.
const middle = 0.1791

// luminance is the relative one of WCAG 2.2.
func (c Colour) luminance() float64 { return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] }

// Dark tells whether white stands out from the colour better than black does.
func (c Colour) Dark() bool { return c.luminance() < middle }

// Contrast is that of two colours by WCAG 2.2, from 1 to 21.
func Contrast(a, b Colour) float64 {
	x, y := a.luminance()+0.05, b.luminance()+0.05
	return max(x, y) / min(x, y)
}

// A Lab is a colour in Oklab: how light, from 0 to 1, how much of red against green, and of yellow
// against blue.
type Lab [3]float64

// Lab is the place of the colour in Oklab.
func (c Colour) Lab() Lab {
	l := math.Cbrt(0.4122214708*c[0] + 0.5363325363*c[1] + 0.0514459929*c[2])
	m := math.Cbrt(0.2119034982*c[0] + 0.6806995451*c[1] + 0.1073969566*c[2])
	s := math.Cbrt(0.0883024619*c[0] + 0.2817188376*c[1] + 0.6299787005*c[2])
	return Lab{0.2104542553*l + 0.7936177850*m - 0.0040720468*s, 1.9779984951*l - 2.4285922050*m + 0.4505937099*s, 0.0259040371*l + 0.7827717662*m - 0.8086757660*s}
}

// Colour is the colour at a place of Oklab; its parts lie outside 0 to 1 where screens have none.
func (p Lab) Colour() Colour {
	l, m, s := p[0]+0.3963377774*p[1]+0.2158037573*p[2], p[0]-0.1055613458*p[1]-0.0638541728*p[2], p[0]-0.0894841775*p[1]-1.2914855480*p[2]
	l, m, s = l*l*l, m*m*m, s*s*s
	return Colour{4.0767416621*l - 3.3077115913*m + 0.2309699292*s, -1.2684380046*l + 2.6097574011*m - 0.3413193965*s, -0.0041960863*l - 0.7034186147*m + 1.7076147010*s}
}

// Chroma is how colourful a colour is, 0 for grey.
func (p Lab) Chroma() float64 { return math.Hypot(p[1], p[2]) }

// With is the hue of p with another lightness and chroma, less colourful where screens have none
// that is as much so.
func (p Lab) With(light, chroma float64) Colour {
	hue := math.Atan2(p[2], p[1])
	for {
		c := Lab{light, chroma * math.Cos(hue), chroma * math.Sin(hue)}.Colour()
		inside := true
		for _, v := range c {
			inside = inside && v > -0.001 && v < 1.001
		}
		if inside || chroma < 0.002 {
			for i := range c {
				c[i] = min(max(c[i], 0), 1)
			}
			return c
		}
		chroma *= 0.95
	}
}

// Mix is one colour with so much of another in it, as the eye sees it: a mean in Oklab.
func Mix(a, b Colour, much float64) Colour {
	p, q := a.Lab(), b.Lab()
	for i := range p {
		p[i] += (q[i] - p[i]) * much
	}
	return p.Colour()
}

// Against is the colour as near to c as has a contrast of at least least with a ground: darker on a
// light ground, lighter on a dark one.
func Against(c, ground Colour, least float64) Colour {
	step, end := -0.01, 0.0
	if ground.Dark() {
		step, end = 0.01, 1
	}
	p := c.Lab()
	for light := p[0]; Contrast(c.Rounded(), ground) < least && light != end; {
		light = min(max(light+step, 0), 1)
		c = p.With(light, p.Chroma())
	}
	return c.Rounded()
}

// Roomy is the ground as near to c as leaves room for what stands on it: black, or white, has a
// contrast of at least so much with it.
func Roomy(c Colour, least float64) Colour {
	step, other := 0.01, Black
	if c.Dark() {
		step, other = -0.01, White
	}
	p := c.Lab()
	for light := p[0]; Contrast(c.Rounded(), other) < least && light > 0 && light < 1; {
		light = min(max(light+step, 0), 1)
		c = p.With(light, p.Chroma())
	}
	return c.Rounded()
}

// computed is a colour as browsers write the ones that they have worked out (CSS Color Module Level 4, 15).
var computed = regexp.MustCompile(`^(rgba?|oklab|oklch|color)\(\s*(?:(srgb|srgb-linear)\s+)?(-?[0-9.e-]+)[\s,]+(-?[0-9.e-]+)[\s,]+(-?[0-9.e-]+)(?:deg)?(?:\s*[,/]\s*([0-9.e-]+))?\s*\)$`)

// Computed reads a colour as browsers write those that they have worked out: #rrggbb, rgb(), rgba(), color(srgb …),
// color(srgb-linear …), oklab() and oklch(), with how opaque it is, from 0 to 1.
func Computed(s string) (c Colour, opaque float64, ok bool) {
	s = strings.ToLower(strings.TrimSpace(s))
	if c, ok := Parse(s); ok {
		return c, 1, true
	}
	m := computed.FindStringSubmatch(strings.ReplaceAll(s, "none", "0"))
	if m == nil || (m[1] == "color") != (m[2] != "") {
		return c, 0, false
	}
	n := [4]float64{3: 1}
	for i := range n {
		if i == 3 && m[6] == "" {
			break
		}
		v, err := strconv.ParseFloat(m[3+i], 64)
		if err != nil || math.IsInf(v, 0) || math.Abs(v) > 1e6 {
			return c, 0, false
		}
		n[i] = v
	}
	switch m[1] {
	case "rgb", "rgba":
		for i := range c {
			c[i] = linear(n[i] / 255)
		}
	case "oklab":
		c = Lab{n[0], n[1], n[2]}.Colour()
	case "oklch":
		angle := n[2] * math.Pi / 180
		c = Lab{n[0], n[1] * math.Cos(angle), n[1] * math.Sin(angle)}.Colour()
	default:
		for i := range c {
			if c[i] = n[i]; m[2] == "srgb" {
				c[i] = linear(n[i])
			}
		}
	}
	return c.Rounded(), min(max(n[3], 0), 1), true
}
