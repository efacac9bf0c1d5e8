package chart

import (
	"fmt"
	"math"
	"slices"
	"sort"
	"strconv"

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
