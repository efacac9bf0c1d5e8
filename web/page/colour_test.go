package page

import (
	"fmt"
	"math"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// themes reads the colours of the light and the dark theme from the style sheet.
func themes(t *testing.T) map[string]map[string][3]float64 {
	b, err := os.ReadFile("base.css")
	require.NoError(t, err)
	light, dark, _ := strings.Cut(string(b), "@media screen and (prefers-color-scheme: dark)")
	out := map[string]map[string][3]float64{}
	for name, css := range map[string]string{"light": light, "dark": dark} {
		out[name] = map[string][3]float64{}
		for _, m := range regexp.MustCompile(`--([a-z0-9-]+): #([0-9a-f]{6});`).FindAllStringSubmatch(css, -1) {
			n, err := strconv.ParseUint(m[2], 16, 32)
			require.NoError(t, err)
			for i, shift := range []int{16, 8, 0} {
				v := float64(n>>shift&255) / 255
				if v <= 0.04045 {
					v /= 12.92
				} else {
					v = math.Pow((v+0.055)/1.055, 2.4)
				}
				c := out[name][m[1]]
				c[i] = v
				out[name][m[1]] = c
			}
		}
	}
	return out
}

// contrast is that of WCAG 2.2.
func contrast(a, b [3]float64) float64 {
	l := func(c [3]float64) float64 { return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] + 0.05 }
	return math.Max(l(a), l(b)) / math.Min(l(a), l(b))
}

// legible is the contrast of what is written on a colour: in ink or on it in paper.
func legible(c map[string][3]float64, ground [3]float64) float64 {
	return math.Max(contrast(c["ink"], ground), contrast(c["paper"], ground))
}

// The three common deficiencies at their full strength, over linear RGB (Machado,
// Oliveira and Fernandes 2009).
var deficiencies = map[string][3][3]float64{
	"protanopia":   {{0.152286, 1.052583, -0.204868}, {0.114503, 0.786281, 0.099216}, {-0.003882, -0.048116, 1.051998}},
	"deuteranopia": {{0.367322, 0.860646, -0.227968}, {0.280085, 0.672501, 0.047413}, {-0.011820, 0.042940, 0.968881}},
	"tritanopia":   {{1.255528, -0.076749, -0.178779}, {-0.078411, 0.930809, 0.147602}, {0.004733, 0.691367, 0.303900}},
}

func oklab(c [3]float64) [3]float64 {
	for i := range c {
		c[i] = math.Max(0, math.Min(1, c[i]))
	}
	l := math.Cbrt(0.4122214708*c[0] + 0.5363325363*c[1] + 0.0514459929*c[2])
	m := math.Cbrt(0.2119034982*c[0] + 0.6806995451*c[1] + 0.1073969566*c[2])
	s := math.Cbrt(0.0883024619*c[0] + 0.2817188376*c[1] + 0.6299787005*c[2])
	return [3]float64{0.2104542553*l + 0.7936177850*m - 0.0040720468*s, 1.9779984951*l - 2.4285922050*m + 0.4505937099*s, 0.0259040371*l + 0.7827717662*m - 0.8086757660*s}
}

func distance(a, b [3]float64) float64 {
	x, y := oklab(a), oklab(b)
	return math.Sqrt((x[0]-y[0])*(x[0]-y[0]) + (x[1]-y[1])*(x[1]-y[1]) + (x[2]-y[2])*(x[2]-y[2]))
}

func through(m [3][3]float64, c [3]float64) (out [3]float64) {
	for i := range m {
		out[i] = m[i][0]*c[0] + m[i][1]*c[1] + m[i][2]*c[2]
	}
	return out
}

// Marks stand out from the paper; the palette's colours can be told apart by everybody,
// the first few well; what is written on a colour can be read.
func TestColoursCanBeToldApartAndRead(t *testing.T) {
	for theme, c := range themes(t) {
		for i := 1; i <= 10; i++ {
			assert.GreaterOrEqual(t, contrast(c[fmt.Sprintf("c%d", i)], c["paper"]), 3.0, "%s c%d on paper", theme, i)
		}
		for _, text := range []string{"ink", "soft", "accent", "warn", "wrong", "good"} {
			assert.GreaterOrEqual(t, contrast(c[text], c["paper"]), 4.5, "%s %s on paper", theme, text)
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
			t.Logf("%s, %s: least distance %.3f, of the first five %.3f", theme, name, least, few)
			assert.GreaterOrEqual(t, least, 0.085, "%s %s", theme, name)
			assert.GreaterOrEqual(t, few, 0.1, "%s %s, the first five", theme, name)
		}
		for _, tone := range []string{"good", "fair", "poor", "grave", "plain"} {
			assert.GreaterOrEqual(t, legible(c, c["t-"+tone]), 4.5, "%s text on %s", theme, tone)
		}
		for _, ramp := range []string{"sea", "brass", "moss", "rust", "tide"} {
			for n := 1; n <= 9; n++ {
				assert.GreaterOrEqual(t, legible(c, c[fmt.Sprintf("%s-%d", ramp, n)]), 4.5, "%s text on %s-%d", theme, ramp, n)
			}
		}
	}
}
