package theme

import (
	"embed"
	"io/fs"
	"regexp"

	"eskadel/core/colour"
)

// Styles has colours.css, the colours of Eskadel, which pages are styled with.
var Styles fs.FS = styles

//go:embed colours.css
var styles embed.FS

// pairs are the colours of Eskadel by their names, in light surroundings and in dark ones.
var pairs = func() map[string][2]string {
	b, err := styles.ReadFile("colours.css")
	if err != nil {
		panic(err)
	}
	out := map[string][2]string{}
	for _, m := range regexp.MustCompile(`--([a-z0-9-]+): light-dark\((#[0-9a-f]{6}), (#[0-9a-f]{6})\);`).FindAllStringSubmatch(string(b), -1) {
		out[m[1]] = [2]string{m[2], m[3]}
	}
	return out
}()

// usual is a colour of Eskadel.
func usual(name string, dark bool) string {
	if dark {
		return pairs[name][1]
	}
	return pairs[name][0]
}

// Colours are all colours of the theme in light or in dark surroundings, by the names that style
// sheets and drawings give them: ink, paper, c1, sea-4.
func (t Theme) Colours(dark bool) map[string]colour.Colour {
	out := make(map[string]colour.Colour, len(pairs))
	for name := range pairs {
		out[name], _ = colour.Parse(usual(name, dark))
	}
	if t.IsZero() || t.Check() != nil {
		return out
	}
	light, night := t.Looks()
	look := light
	if dark {
		look = night
	}
	for _, p := range look.properties(len(t.whole().Palette) > 0) {
		out[p.name] = p.colour
	}
	return out
}
