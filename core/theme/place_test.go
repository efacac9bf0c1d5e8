package theme

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/colour"
)

// said is what a style sheet says last of a property.
func said(css, property string) string {
	all := regexp.MustCompile(`--`+property+`: ([^;]+);`).FindAllStringSubmatch(css, -1)
	if len(all) == 0 {
		return ""
	}
	return all[len(all)-1][1]
}

// Whatever a page looks like and whatever theme a dashboard has, everything can be read there, in the scheme of
// the page's ground.
func TestEverythingCanBeReadInAnyPlace(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		own := Theme{}
		if rapid.Bool().Draw(t, "a theme of its own") {
			own = Theme{Ground: drawn(t, "ground"), Ink: drawn(t, "ink"), Palette: []string{drawn(t, "one")}}
		}
		some := func(what string) string {
			return rapid.SampledFrom([]string{"", drawn(t, what)}).Draw(t, "said of "+what)
		}
		p := Place{Ground: some("place"), Ink: some("letters"), Accent: some("chosen"), Scheme: rapid.SampledFrom([]string{"", "light", "dark"}).Draw(t, "scheme")}
		placed := own.In(p)
		require.Empty(t, placed.Wrong)
		if p.Ground+p.Ink+p.Accent == "" {
			require.Equal(t, p.Scheme != "", placed.Dark != nil)
			return
		}
		ground, ok := colour.Parse(said(placed.CSS, "paper"))
		require.True(t, ok)
		require.Equal(t, *placed.Dark, ground.Dark())
		if p.Ground != "" {
			of, _ := colour.Parse(p.Ground)
			require.Equal(t, of.Dark(), *placed.Dark)
		}
		for property, least := range map[string]float64{"ink": LeastText, "accent": LeastText, "soft": LeastText, "c1": LeastMarks, "c10": LeastMarks} {
			c, ok := colour.Parse(said(placed.CSS, property))
			require.True(t, ok, property)
			require.GreaterOrEqual(t, colour.Contrast(c, ground), least, property)
		}
	})
}

func TestInAPlace(t *testing.T) {
	assert.Empty(t, Theme{}.In(Place{}).CSS, "a page that says nothing changes nothing")
	assert.Equal(t, Theme{Name: "slate"}.CSS(), Theme{Name: "slate"}.In(Place{}).CSS)
	dark := Theme{}.In(Place{Scheme: "dark"})
	assert.Equal(t, "@media screen { :root { color-scheme: dark; } }\n", dark.CSS)
	assert.True(t, *dark.Dark)
	assert.Equal(t, dark.CSS, Theme{}.In(Place{Behind: "rgb(18, 18, 18)"}).CSS, "as dark as what is behind")
	assert.False(t, *Theme{}.In(Place{Behind: "rgb(18, 18, 18)", Scheme: "light"}).Dark, "unless the page says so")
	all := Theme{}.In(Place{Ground: "rgb(11, 20, 26)", Clear: true, Ink: "oklch(0.9 0.02 200)", Accent: "color(srgb 0.4 0.8 0.7)", Font: `Georgia, "Times New Roman", -apple-system, serif`, Radius: "6px", Density: "compact"})
	assert.Empty(t, all.Wrong)
	assert.Contains(t, all.CSS, "color-scheme: dark;")
	assert.Equal(t, "#0b141a", said(all.CSS, "paper"))
	assert.Equal(t, "#66ccb3", said(all.CSS, "accent"))
	assert.Equal(t, usual("c1", true), said(all.CSS, "c1"), "the colours of values in the dark")
	assert.Equal(t, `Georgia", "Times New Roman", serif`, strings.TrimPrefix(said(all.CSS, "bs-body-font-family"), `"`))
	assert.Equal(t, "6px", said(all.CSS, "radius"))
	assert.Equal(t, "47px", said(all.CSS, "row"))
	assert.Equal(t, "transparent", said(all.CSS, "ground"))
	assert.Equal(t, "24px", said(Theme{}.In(Place{Radius: "24px"}).CSS, "radius"), "as round as can be")
	assert.Equal(t, "serif", said(Theme{}.In(Place{Font: "serif"}).CSS, "bs-body-font-family"))
	for _, d := range Densities() {
		assert.Empty(t, Theme{}.In(Place{Density: d}).Wrong, d)
	}
	assert.Equal(t, []string{"#1d232b", "#1d232b"}, []string{said(Theme{Name: "slate"}.In(Place{Ground: "#ffffff"}).CSS, "ink"), Theme{Name: "slate"}.Shown().Ink}, "what the page does not say is the dashboard's")
}

// What a page says wrong is left out and said; nothing that is not checked gets into a style sheet.
func TestWrongPlaces(t *testing.T) {
	for what, p := range map[string]Place{
		"is not a colour, and is left out as ground": {Ground: "white"}, "left out as ink": {Ink: "rgb(1,2)"}, "left out as accent": {Accent: "rgba(0, 0, 0, 0)"}, "not a scheme": {Scheme: "dim"}, "names no font": {Font: `x"; } body { display: none`},
		"not a radius": {Radius: "25px"}, "is not a density: usual, compact, roomy is.": {Density: "tight"}, `"-1px" is not a radius`: {Radius: "-1px"}, `"NaN" is not`: {Radius: "NaN"},
	} {
		placed := Theme{}.In(p)
		require.Len(t, placed.Wrong, 1, what)
		assert.Contains(t, placed.Wrong[0], what)
		assert.Empty(t, placed.CSS, what)
	}
	assert.Len(t, fonts(strings.Repeat("serif,", 20)), mostFonts)
	_, err := ReadPlace(`{"ground":"` + strings.Repeat("x", longestPlace) + `"}`)
	assert.ErrorContains(t, err, "at most 2000")
	_, err = ReadPlace(`{"colour":"red"}`)
	assert.Error(t, err)
	p, err := ReadPlace(`{"ground":"#ffffff","clear":true}`)
	assert.NoError(t, err)
	assert.Equal(t, Place{Ground: "#ffffff", Clear: true}, p)
}

// A style sheet has nothing but what is meant to be in it, whatever is said.
func FuzzInAPlace(f *testing.F) {
	f.Add("rgb(1, 2, 3)", "Georgia, serif", "3px")
	f.Add("};x{", `a"b`, "1e3px")
	safe := regexp.MustCompile(`^(@media screen \{ :root \{[^{}<>\\]* \} \}\n)?$`)
	f.Fuzz(func(t *testing.T, c, font, radius string) {
		css := Theme{}.In(Place{Ground: c, Ink: c, Font: font, Radius: radius, Density: font, Scheme: c}).CSS
		if !safe.MatchString(css) || strings.Contains(css, "url(") || strings.Count(css, `"`)%2 != 0 {
			t.Fatalf("%q", css)
		}
	})
}
