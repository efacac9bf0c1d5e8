package chart

import (
	"fmt"
	"math"
	"slices"
	"sort"
	"strconv"
	"strings"

	"eskadel/core/calc"
	"eskadel/core/format"
	"eskadel/core/sql"
)

// colours gives each split value its colour.
func (d *drawer) colours() []string {
	if d.t.Plan.Definition.Split == nil {
		return make([]string, len(d.t.Splits))
	}
	keys := make([]calc.Key, len(d.t.Splits))
	for i, k := range d.t.Splits {
		keys[i] = k[0]
	}
	return d.valueColours(d.t.Plan.Dims[len(d.t.Plan.Definition.By)], keys)
}

// groupColours gives each group its colour, where a form colours groups.
func (d *drawer) groupColours() []string {
	keys := make([]calc.Key, len(d.t.Groups))
	for i, k := range d.t.Groups {
		keys[i] = k[0]
	}
	return d.valueColours(d.t.Plan.Dims[0], keys)
}

// valueColours colours the values of a dimension: as this chart says, as the pick list
// says, by the dashboard's shared colours, by the place in the list, else by the value's
// own text, so that it has the same colour on every chart. Where two values that are
// shown would share one and the dashboard has no colours yet, the later in byte order
// takes the next free.
func (d *drawer) valueColours(dim sql.Dim, keys []calc.Key) []string {
	out, names := make([]string, len(keys)), make([]string, len(keys))
	order := make([]int, len(keys))
	for i, k := range keys {
		names[i], _ = format.Key(d.t.Manner(), k, dim)
		order[i] = i
	}
	sort.SliceStable(order, func(a, b int) bool { return names[order[a]] < names[order[b]] })
	shared := d.doc.Shared[dim.Field]
	taken := map[int]bool{}
	for _, c := range shared {
		if n, err := strconv.Atoi(c[1:]); err == nil && c[0] == 'c' {
			taken[n-1] = true
		}
	}
	along := dim.Axis != nil || dim.Part != 0
	for _, i := range order {
		own := d.finish.Colours[names[i]]
		switch {
		case own != "":
			out[i] = own
		case keys[i].Kind == calc.Others:
			out[i] = "others"
		case keys[i].Kind == calc.None || keys[i].Kind == calc.NotShown:
			out[i] = "none"
		case along:
			out[i] = fmt.Sprintf("c%d", i%10+1)
		case dim.F.Colours[names[i]] != "":
			out[i] = dim.F.Colours[names[i]]
		case shared[names[i]] != "":
			out[i] = shared[names[i]]
		default:
			c := Colour(names[i], dim.F.List)
			if !slices.Contains(dim.F.List, names[i]) {
				for n := 0; taken[c] && n < 10; n++ {
					c = (c + 1) % 10
				}
			}
			if shared == nil {
				taken[c] = true
			}
			out[i] = fmt.Sprintf("c%d", c+1)
		}
	}
	return out
}

// Share gives the values of a field colours that stay: those that have one keep it,
// others take the place of their text or the next that is free.
func Share(has map[string]string, values, list []string) map[string]string {
	out, taken := map[string]string{}, map[string]int{}
	for v, c := range has {
		out[v] = c
		taken[c]++
	}
	for _, v := range values {
		if out[v] != "" {
			continue
		}
		c := Colour(v, list)
		for n := 0; taken[fmt.Sprintf("c%d", c+1)] > len(out)/10 && n < 10; n++ {
			c = (c + 1) % 10
		}
		out[v] = fmt.Sprintf("c%d", c+1)
		taken[out[v]]++
	}
	return out
}

// Colour returns a value's place in the palette of ten, from 0.
func Colour(value string, list []string) int {
	for i, v := range list {
		if v == value {
			return i % 10
		}
	}
	h := uint32(2166136261) // FNV-1a, which spreads short texts well
	for i := 0; i < len(value); i++ {
		h = (h ^ uint32(value[i])) * 16777619
	}
	return int(h % 10)
}

// rampSteps is how many colours a ramp has; style sheets hold them as --sea-1 and so on.
const rampSteps = 9

// rampTone is the colour of a place on a ramp, 0 to 1.
func rampTone(ramp string, at float64, reversed bool) string {
	if ramp == "" {
		ramp = "sea"
	}
	if math.IsNaN(at) {
		at = 0.5
	}
	at = math.Min(1, math.Max(0, at))
	if reversed {
		at = 1 - at
	}
	return fmt.Sprintf("%s-%d", ramp, int(math.Round(at*(rampSteps-1)))+1)
}

// mixed is a colour between two, as the eye sees it: a mean in Oklab (Björn Ottosson, 2020).
func mixed(from, to string, at float64) string {
	a, b := oklab(from), oklab(to)
	for i := range a {
		a[i] += (b[i] - a[i]) * at
	}
	l, m, s := a[0]+0.3963377774*a[1]+0.2158037573*a[2], a[0]-0.1055613458*a[1]-0.0638541728*a[2], a[0]-0.0894841775*a[1]-1.2914855480*a[2]
	l, m, s = l*l*l, m*m*m, s*s*s
	byte8 := func(linear float64) int {
		x := 12.92 * linear
		if linear > 0.0031308 {
			x = 1.055*math.Pow(linear, 1/2.4) - 0.055
		}
		return int(math.Round(255 * math.Min(1, math.Max(0, x))))
	}
	return fmt.Sprintf("#%02x%02x%02x", byte8(4.0767416621*l-3.3077115913*m+0.2309699292*s), byte8(-1.2684380046*l+2.6097574011*m-0.3413193965*s), byte8(-0.0041960863*l-0.7034186147*m+1.7076147010*s))
}

// oklab is the place of a colour like #1d3557 in Oklab.
func oklab(hex string) [3]float64 {
	var rgb [3]int
	_, _ = fmt.Sscanf(strings.ToLower(hex), "#%02x%02x%02x", &rgb[0], &rgb[1], &rgb[2])
	linear := func(i int) float64 {
		x := float64(rgb[i]) / 255
		if x <= 0.04045 {
			return x / 12.92
		}
		return math.Pow((x+0.055)/1.055, 2.4)
	}
	r, g, b := linear(0), linear(1), linear(2)
	l, m, s := math.Cbrt(0.4122214708*r+0.5363325363*g+0.0514459929*b), math.Cbrt(0.2119034982*r+0.6806995451*g+0.1073969566*b), math.Cbrt(0.0883024619*r+0.2817188376*g+0.6299787005*b)
	return [3]float64{0.2104542553*l + 0.7936177850*m - 0.0040720468*s, 1.9779984951*l - 2.4285922050*m + 0.4505937099*s, 0.0259040371*l + 0.7827717662*m - 0.8086757660*s}
}
