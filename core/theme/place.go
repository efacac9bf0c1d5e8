package theme

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"eskadel/core/colour"
	"eskadel/core/problem"
)

// A Place is how the page looks that a dashboard stands in, as its browser has worked it out. What it does
// not say is as the dashboard has it.
type Place struct {
	Behind  string `json:"behind,omitempty"`  // what the page has there: in the dark, so is the dashboard
	Scheme  string `json:"scheme,omitempty"`  // light or dark, whatever is behind
	Ground  string `json:"ground,omitempty"`  // that it is to have
	Clear   bool   `json:"clear,omitempty"`   // the ground of the page is seen through the dashboard
	Ink     string `json:"ink,omitempty"`     // what is written
	Accent  string `json:"accent,omitempty"`  // what can be chosen
	Font    string `json:"font,omitempty"`    // fonts, with commas between
	Radius  string `json:"radius,omitempty"`  // of corners, in pixels: 6px
	Density string `json:"density,omitempty"` // compact, usual or roomy
}

// Densities are how close together things stand, by their names, with what the style sheets of pages call it.
func Densities() []string { return []string{"usual", "compact", "roomy"} }

var density = map[string]string{
	"usual":   "",
	"compact": " --row: 47px; --between: 12px 18px; --bs-body-font-size: 14px;",
	"roomy":   " --row: 64px; --between: 26px 36px; --bs-body-font-size: 16px;",
}

// A Placed is a theme in a place: a style sheet, whether it is dark, and in words what of the place is not known.
type Placed struct {
	CSS   string   `json:"css"`
	Dark  *bool    `json:"dark,omitempty"` // nil as the reader's machine has it
	Wrong []string `json:"wrong,omitempty"`
}

// longestPlace is how many letters what a page says of its looks has at most.
const longestPlace = 2000

// ReadPlace reads what a page says of its looks; nothing is the zero Place.
func ReadPlace(s string) (p Place, err error) {
	if s == "" {
		return p, nil
	}
	if len(s) > longestPlace {
		return p, problem.New(problem.TooMany, "look", "What is said of the page's looks has at most %d letters.", longestPlace)
	}
	return p, problem.At("look", problem.Decode([]byte(s), &p))
}

// In is the theme as it looks in a place: in the colours, letters and corners of the page around it, and legible
// there. The colours of values stay those of the theme, but for what would not stand out.
func (t Theme) In(p Place) (out Placed) {
	if t.Check() != nil {
		t = Theme{}
	}
	own := t
	wrong := func(format string, args ...any) { out.Wrong = append(out.Wrong, fmt.Sprintf(format, args...)) }
	given := false
	for _, c := range []struct {
		said string
		name string
		of   *string
	}{{p.Ground, "ground", &t.Ground}, {p.Ink, "ink", &t.Ink}, {p.Accent, "accent", &t.Accent}} {
		if c.said == "" {
			continue
		}
		read, opaque, ok := colour.Computed(c.said)
		if !ok || opaque == 0 {
			wrong("%q is not a colour, and is left out as %s.", c.said, c.name)
			continue
		}
		*c.of, given = read.String(), true
		if c.name == "ground" {
			dark := read.Dark()
			out.Dark = &dark
		}
	}
	switch p.Scheme {
	case "light", "dark":
		if dark := p.Scheme == "dark"; out.Dark == nil {
			out.Dark = &dark
		}
	case "":
		if behind, _, ok := colour.Computed(p.Behind); ok && out.Dark == nil {
			dark := behind.Dark()
			out.Dark = &dark
		}
	default:
		wrong("%q is not a scheme: light or dark is.", p.Scheme)
	}
	if ground, _ := colour.Parse(t.whole().Ground); given && out.Dark == nil {
		dark := ground.Dark()
		out.Dark = &dark
	}
	var b strings.Builder
	if out.Dark != nil {
		fmt.Fprintf(&b, " color-scheme: %s;", map[bool]string{true: "dark", false: "light"}[*out.Dark])
	}
	if given {
		for _, p := range t.look(*out.Dark).properties(true) {
			fmt.Fprintf(&b, " --%s: %s;", p.name, p.colour)
		}
	}
	if p.Font != "" {
		if fonts := fonts(p.Font); len(fonts) > 0 {
			fmt.Fprintf(&b, " --bs-body-font-family: %s;", strings.Join(fonts, ", "))
		} else {
			wrong("%q names no font that can be used.", p.Font)
		}
	}
	if p.Radius != "" {
		if n, err := strconv.ParseFloat(strings.TrimSuffix(p.Radius, "px"), 64); err == nil && n >= 0 && n <= mostRadius {
			fmt.Fprintf(&b, " --radius: %spx;", strconv.FormatFloat(n, 'f', -1, 64))
		} else {
			wrong("%q is not a radius of corners: they have from 0 to %dpx.", p.Radius, mostRadius)
		}
	}
	if d, ok := density[p.Density]; ok {
		b.WriteString(d)
	} else if p.Density != "" {
		wrong("%q is not a density: %s is.", p.Density, strings.Join(Densities(), ", "))
	}
	if p.Clear {
		b.WriteString(" --ground: transparent;")
	}
	out.CSS = own.CSS() // on paper, too
	if b.Len() > 0 {
		out.CSS += "@media screen { :root {" + b.String() + " } }\n"
	}
	return out
}

// mostRadius is how round corners may be, in pixels.
const mostRadius = 24

// look is the theme in light surroundings or in dark ones, with the colours of values that belong there.
func (t Theme) look(dark bool) Look {
	light, night := t.Looks()
	if !dark {
		return light
	}
	if len(t.whole().Palette) == 0 { // those of Eskadel in the dark are its own, not made of the light ones
		for i := range night.Palette {
			read, _ := colour.Parse(usual(fmt.Sprintf("c%d", i+1), true))
			night.Palette[i] = colour.Against(read, night.Ground, LeastMarks)
		}
	}
	return night
}

// generic are the fonts that every machine has, by the names that style sheets have for them.
var generic = []string{"serif", "sans-serif", "monospace", "system-ui", "ui-serif", "ui-sans-serif", "ui-monospace", "ui-rounded"}

// mostFonts is how many fonts of a page are tried, one after the other.
const mostFonts = 8

// fonts are those that a list of fonts names, as style sheets write them.
func fonts(list string) (out []string) {
	for one := range strings.SplitSeq(list, ",") {
		name := strings.Trim(strings.TrimSpace(one), `"'`)
		switch {
		case len(out) == mostFonts:
			return out
		case slices.Contains(generic, name):
			out = append(out, name)
		case fontName.MatchString(name):
			out = append(out, `"`+name+`"`)
		}
	}
	return out
}
