package page

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"eskadel/core/colour"
	"eskadel/core/theme"
)

// themes are the colours of the light and the dark theme.
func themes() map[string]map[string]colour.Colour {
	return map[string]map[string]colour.Colour{"light": theme.Theme{}.Colours(false), "dark": theme.Theme{}.Colours(true)}
}

// legible is the contrast of what is written on a colour: in ink or on it in paper.
func legible(c map[string]colour.Colour, ground colour.Colour) float64 {
	return math.Max(colour.Contrast(c["ink"], ground), colour.Contrast(c["paper"], ground))
}

// The three common deficiencies at their full strength, over linear RGB (Machado,
// Oliveira and Fernandes 2009).
var deficiencies = map[string][3][3]float64{
	"protanopia":   {{0.152286, 1.052583, -0.204868}, {0.114503, 0.786281, 0.099216}, {-0.003882, -0.048116, 1.051998}},
	"deuteranopia": {{0.367322, 0.860646, -0.227968}, {0.280085, 0.672501, 0.047413}, {-0.011820, 0.042940, 0.968881}},
	"tritanopia":   {{1.255528, -0.076749, -0.178779}, {-0.078411, 0.930809, 0.147602}, {0.004733, 0.691367, 0.303900}},
}

// distance is how far apart colours are to the eye, in Oklab.
func distance(a, b colour.Colour) float64 {
	for i := range a {
		a[i], b[i] = math.Max(0, math.Min(1, a[i])), math.Max(0, math.Min(1, b[i]))
	}
	x, y := a.Lab(), b.Lab()
	return math.Sqrt((x[0]-y[0])*(x[0]-y[0]) + (x[1]-y[1])*(x[1]-y[1]) + (x[2]-y[2])*(x[2]-y[2]))
}

func through(m [3][3]float64, c colour.Colour) (out colour.Colour) {
	for i := range m {
		out[i] = m[i][0]*c[0] + m[i][1]*c[1] + m[i][2]*c[2]
	}
	return out
}

// Marks stand out from the paper; the palette's colours can be told apart by everybody,
// the first few well; what is written on a colour can be read.
func TestColoursCanBeToldApartAndRead(t *testing.T) {
	for look, c := range themes() {
		for i := 1; i <= 10; i++ {
			assert.GreaterOrEqual(t, colour.Contrast(c[fmt.Sprintf("c%d", i)], c["paper"]), 3.0, "%s c%d on paper", look, i)
		}
		for _, text := range []string{"ink", "soft", "accent", "warn", "wrong", "good"} {
			assert.GreaterOrEqual(t, colour.Contrast(c[text], c["paper"]), 4.5, "%s %s on paper", look, text)
		}
		for name, m := range deficiencies {
			least, few := math.Inf(1), math.Inf(1)
			for i := 1; i <= 10; i++ {
				for j := 1; j < i; j++ {
					d := distance(through(m, c[fmt.Sprintf("c%d", i)]), through(m, c[fmt.Sprintf("c%d", j)]))
					least = math.Min(least, d)
					if i <= 5 {
						few = math.Min(few, d)
					}
				}
			}
			t.Logf("%s, %s: least distance %.3f, of the first five %.3f", look, name, least, few)
			assert.GreaterOrEqual(t, least, 0.085, "%s %s", look, name)
			assert.GreaterOrEqual(t, few, 0.1, "%s %s, the first five", look, name)
		}
		for _, tone := range []string{"good", "fair", "poor", "grave", "plain"} {
			assert.GreaterOrEqual(t, legible(c, c["t-"+tone]), 4.5, "%s text on %s", look, tone)
		}
		for _, ramp := range []string{"sea", "brass", "moss", "rust", "tide"} {
			for n := 1; n <= 9; n++ {
				assert.GreaterOrEqual(t, legible(c, c[fmt.Sprintf("%s-%d", ramp, n)]), 4.5, "%s text on %s-%d", look, ramp, n)
			}
		}
	}
}
