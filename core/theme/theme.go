// Package theme makes the look of a dashboard of a few values: for light and for dark surroundings
// together, so that what is written can be read and marks stand out in both.
package theme

import (
	"cmp"
	"fmt"
	"regexp"
	"strings"

	"eskadel/core/colour"
	"eskadel/core/problem"
)

// A Theme is the look of a dashboard: one of those that ship, or values of its own. The zero Theme is
// the look of Eskadel.
type Theme struct {
	Name   string `json:"name,omitempty"`   // one of Shipped
	Ground string `json:"ground,omitempty"` // #rrggbb, what it stands on
	Ink    string `json:"ink,omitempty"`    // what is written
	Accent string `json:"accent,omitempty"` // what can be chosen
	// Palette are the colours of values in their order, up to ten; those of Eskadel follow.
	Palette []string `json:"palette,omitempty"`
	// Font is how letters look: serif, system, or the name of the host's font, which is used where
	// the reader's machine has it.
	Font string `json:"font,omitempty"`
}

// Shipped are the themes that have names, by which documents keep them.
func Shipped() []Theme {
	return []Theme{
		{Name: "chart paper", Ground: "#f3f6f2", Ink: "#16332c", Accent: "#0f6a52", Palette: []string{"#1f7a63", "#c8713a", "#3b5f9e", "#9a7d1a", "#8a4a86"}},
		{Name: "heather", Ground: "#faf7fb", Ink: "#2d1f3d", Accent: "#7a3b8f", Palette: []string{"#7a5aa8", "#c75b7a", "#3f7f8c", "#a87422", "#5668b8"}},
		{Name: "brick", Ground: "#fbf7f3", Ink: "#33201a", Accent: "#a13d22", Palette: []string{"#b5502f", "#2f6f8f", "#8c7a1f", "#6b4a8a", "#3f8452"}},
		{Name: "slate", Ground: "#ffffff", Ink: "#1d232b", Accent: "#2b5aa6", Palette: []string{"#2b5aa6", "#d1772b", "#4f8a3d", "#a0476b", "#6d6f78"}},
		{Name: "night watch", Ground: "#12161c", Ink: "#e9edf2", Accent: "#6fc3d8", Palette: []string{"#6fb7d8", "#e0a15a", "#9ecb7a", "#d68aa8", "#b9a6e6"}},
	}
}

// Fonts are the kinds of letters that can be chosen besides a name.
func Fonts() []string { return []string{"", "serif", "system"} }

var fontName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9 -]{0,39}$`)

// MostPalette is how many colours values can have.
const MostPalette = 10

// Check tells in words what is wrong with a theme.
func (t Theme) Check() error {
	if t.Name != "" {
		if _, ok := t.shipped(); !ok {
			return problem.New(problem.NotFound, "name", "There is no theme “%s”.", t.Name)
		}
	}
	for place, c := range map[string]string{"ground": t.Ground, "ink": t.Ink, "accent": t.Accent} {
		if _, ok := colour.Parse(c); c != "" && !ok {
			return problem.New(problem.Invalid, place, "A colour is like #1D3557, not “%s”.", c)
		}
	}
	if len(t.Palette) > MostPalette {
		return problem.New(problem.TooMany, "palette", "A palette has at most %d colours.", MostPalette)
	}
	for i, c := range t.Palette {
		if _, ok := colour.Parse(c); !ok {
			return problem.New(problem.Invalid, fmt.Sprintf("palette[%d]", i), "A colour is like #1D3557, not “%s”.", c)
		}
	}
	if t.Font != "" && !fontName.MatchString(t.Font) {
		return problem.New(problem.Invalid, "font", "“%s” is not the name of a font.", t.Font)
	}
	return nil
}

func (t Theme) shipped() (Theme, bool) {
	for _, s := range Shipped() {
		if s.Name == t.Name {
			return s, true
		}
	}
	return t, false
}

// whole is the theme with the values of the one that it names, where it says none of its own, and
// with those of Eskadel.
func (t Theme) whole() Theme {
	if of, ok := t.shipped(); ok {
		t.Ground, t.Ink, t.Accent = cmp.Or(t.Ground, of.Ground), cmp.Or(t.Ink, of.Ink), cmp.Or(t.Accent, of.Accent)
		if len(t.Palette) == 0 {
			t.Palette = of.Palette
		}
	}
	t.Ground, t.Ink, t.Accent = cmp.Or(t.Ground, usual("paper", false)), cmp.Or(t.Ink, usual("ink", false)), cmp.Or(t.Accent, usual("accent", false))
	return t
}

// IsZero tells whether the theme is the look of Eskadel.
func (t Theme) IsZero() bool {
	return t.Name == "" && t.Ground == "" && t.Ink == "" && t.Accent == "" && len(t.Palette) == 0 && t.Font == ""
}

// A Look is a theme in light or in dark surroundings.
type Look struct {
	Dark                bool
	Ground, Ink, Accent colour.Colour
	Palette             []colour.Colour
}

// What contrast is held, by WCAG 2.2 (1.4.3 and 1.4.11): of what is written, and of marks.
const (
	LeastText  = 4.5
	LeastMarks = 3
	leastRoom  = 8 // of black or white on the ground, so that softer colours can be read there too
)

// Looks are the theme in light surroundings and in dark ones. The one that its ground belongs to is
// as it is chosen, but for what could not be read, which is drawn darker or lighter; the other is
// made of it.
func (t Theme) Looks() (light, dark Look) {
	t = t.whole()
	ground, _ := colour.Parse(t.Ground)
	ink, _ := colour.Parse(t.Ink)
	accent, _ := colour.Parse(t.Accent)
	var palette []colour.Colour
	for i := range MostPalette {
		c, _ := colour.Parse(usual(fmt.Sprintf("c%d", i+1), false))
		if i < len(t.Palette) {
			c, _ = colour.Parse(t.Palette[i])
		}
		palette = append(palette, c)
	}
	chosen := tuned(Look{ground.Dark(), ground, ink, accent, palette})
	g, i := ground.Lab(), ink.Lab()
	other := Look{Dark: !chosen.Dark, Accent: accent, Palette: palette}
	if other.Dark {
		other.Ground = i.With(0.21, min(i.Chroma(), 0.03))
		other.Ink = g.With(0.94, min(g.Chroma(), 0.02))
	} else {
		other.Ground = i.With(0.985, min(i.Chroma(), 0.01))
		other.Ink = g.With(0.25, min(max(g.Chroma(), 0.02), 0.04))
	}
	other = tuned(other)
	if chosen.Dark {
		return other, chosen
	}
	return chosen, other
}

// tuned is a look in which everything can be read and seen.
func tuned(l Look) Look {
	l.Ground = colour.Roomy(l.Ground, leastRoom)
	l.Ink, l.Accent = colour.Against(l.Ink, l.Ground, LeastText), colour.Against(l.Accent, l.Ground, LeastText)
	palette := make([]colour.Colour, len(l.Palette))
	for i, c := range l.Palette {
		palette[i] = colour.Against(c, l.Ground, LeastMarks)
	}
	l.Palette = palette
	return l
}

// A Finding is what is found of a colour as it is chosen.
type Finding struct {
	What     string // "Ink on the ground"
	Contrast string // "12.3 : 1"
	Tuned    string // the colour that is drawn instead; "" for itself
}

// Findings tell what contrast the chosen colours have, and which are drawn otherwise.
func (t Theme) Findings() (out []Finding) {
	light, dark := t.Looks()
	t = t.whole()
	ground, _ := colour.Parse(t.Ground)
	look := light
	if ground.Dark() {
		look = dark
	}
	if look.Ground != ground {
		out = append(out, Finding{What: "The ground leaves too little room for what is written on it", Contrast: fmt.Sprintf("%.1f : 1", max(colour.Contrast(ground, colour.Black), colour.Contrast(ground, colour.White))), Tuned: look.Ground.String()})
	}
	add := func(what, chosen string, drawn colour.Colour) {
		c, _ := colour.Parse(chosen)
		f := Finding{What: what, Contrast: fmt.Sprintf("%.1f : 1", colour.Contrast(c, look.Ground))}
		if drawn != c {
			f.Tuned = drawn.String()
		}
		out = append(out, f)
	}
	add("Ink on the ground", t.Ink, look.Ink)
	add("Accent on the ground", t.Accent, look.Accent)
	for i, c := range t.Palette {
		add(fmt.Sprintf("Colour %d on the ground", i+1), c, look.Palette[i])
	}
	return out
}

// CSS writes the theme as a style sheet of custom properties, "" for the look of Eskadel. Nothing
// but checked colours and names gets into it.
func (t Theme) CSS() string {
	if t.IsZero() || t.Check() != nil {
		return ""
	}
	light, dark := t.Looks()
	own := t.whole()
	var b strings.Builder
	b.WriteString(":root {")
	one, other := light.properties(len(own.Palette) > 0), dark.properties(len(own.Palette) > 0)
	for i, p := range one {
		if p.colour == other[i].colour {
			fmt.Fprintf(&b, " --%s: %s;", p.name, p.colour)
		} else {
			fmt.Fprintf(&b, " --%s: light-dark(%s, %s);", p.name, p.colour, other[i].colour)
		}
	}
	if own.Font != "" {
		fmt.Fprintf(&b, " --bs-body-font-family: %s;", families(own.Font))
	}
	b.WriteString(" }\n")
	return b.String()
}

// families are the fonts that stand for the font of a theme, in the words of style sheets.
func families(font string) string {
	switch font {
	case "serif":
		return "Georgia, serif"
	case "system":
		return "system-ui, sans-serif"
	}
	return fmt.Sprintf(`"%s", Figtree, sans-serif`, font)
}

// A property is a colour as the style sheets of pages call it.
type property struct {
	name   string
	colour colour.Colour
}

// properties are the colours that the style sheets of pages have.
func (l Look) properties(palette bool) (out []property) {
	put := func(name string, c colour.Colour) { out = append(out, property{name, c}) }
	put("ink", l.Ink)
	put("paper", l.Ground)
	put("paper-2", colour.Mix(l.Ground, l.Ink, 0.05))
	put("hairline", colour.Mix(l.Ground, l.Ink, 0.22))
	put("soft", colour.Against(colour.Mix(l.Ink, l.Ground, 0.3), colour.Mix(l.Ground, l.Ink, 0.05), LeastText))
	put("accent", l.Accent)
	put("tint", colour.Mix(l.Ground, l.Accent, 0.18))
	signs := [][2]string{{"warn", "#a8480b"}, {"wrong", "#a61b2b"}, {"good", "#2f6b1e"}}
	for _, s := range signs {
		c, _ := colour.Parse(s[1])
		put(s[0], colour.Against(c, colour.Mix(l.Ground, l.Ink, 0.05), LeastText))
	}
	for _, s := range [][2]string{{"others", "#8b877c"}, {"none", "#726e64"}} {
		c, _ := colour.Parse(s[1])
		put(s[0], colour.Against(c, l.Ground, LeastMarks))
	}
	if palette {
		for i, c := range l.Palette {
			put(fmt.Sprintf("c%d", i+1), c)
		}
	}
	return out
}

// Shown is the theme with all values that it has by what it names, and by the look of Eskadel.
func (t Theme) Shown() Theme {
	t = t.whole()
	if len(t.Palette) == 0 {
		for i := range MostPalette {
			t.Palette = append(t.Palette, usual(fmt.Sprintf("c%d", i+1), false))
		}
	}
	return t
}
