package theme

import (
	"fmt"
	"io/fs"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/colour"
	"eskadel/golden"
)

func drawn(t *rapid.T, what string) string {
	return fmt.Sprintf("#%06x", rapid.IntRange(0, 1<<24-1).Draw(t, what))
}

// Whatever is chosen, in light and in dark everything can be read and seen.
func TestEverythingCanBeRead(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		th := Theme{Ground: drawn(t, "ground"), Ink: drawn(t, "ink"), Accent: drawn(t, "accent"), Palette: []string{drawn(t, "one"), drawn(t, "two")}}
		require.NoError(t, th.Check())
		light, dark := th.Looks()
		require.False(t, light.Dark)
		require.True(t, dark.Dark)
		for _, l := range []Look{light, dark} {
			require.GreaterOrEqual(t, colour.Contrast(l.Ink, l.Ground), LeastText)
			require.GreaterOrEqual(t, colour.Contrast(l.Accent, l.Ground), LeastText)
			require.Len(t, l.Palette, MostPalette)
			for _, c := range l.Palette {
				require.GreaterOrEqual(t, colour.Contrast(c, l.Ground), 3.0)
			}
		}
		css := th.CSS()
		soft := regexp.MustCompile(`--soft: light-dark\((#[0-9a-f]{6}), (#[0-9a-f]{6})\);`).FindStringSubmatch(css)
		require.NotEmpty(t, soft)
		for i, l := range []Look{light, dark} {
			c, _ := colour.Parse(soft[1+i])
			require.GreaterOrEqual(t, colour.Contrast(c, l.Ground), LeastText)
		}
	})
}

// A colour that can be read is drawn as it is chosen; another says how it is drawn.
func TestFindings(t *testing.T) {
	good := Theme{Ground: "#ffffff", Ink: "#1d232b", Accent: "#2b5aa6"}
	for _, f := range good.Findings() {
		assert.Empty(t, f.Tuned, f.What)
	}
	poor := Theme{Ground: "#ffffff", Ink: "#cccccc", Accent: "#2b5aa6", Palette: []string{"#ffff00"}}
	f := poor.Findings()
	require.Len(t, f, 3, "nothing is said of a ground that leaves room")
	grey := Theme{Ground: "#808080", Ink: "#000000", Accent: "#000000"}.Findings()
	require.Len(t, grey, 3)
	assert.Equal(t, "The ground leaves too little room for what is written on it", grey[0].What)
	assert.Equal(t, "5.3 : 1", grey[0].Contrast)
	assert.NotEmpty(t, grey[0].Tuned)
	assert.Equal(t, "Ink on the ground", f[0].What)
	assert.Equal(t, "1.6 : 1", f[0].Contrast)
	assert.NotEmpty(t, f[0].Tuned)
	assert.Empty(t, f[1].Tuned)
	assert.Equal(t, "1.1 : 1", f[2].Contrast)
	assert.NotEmpty(t, f[2].Tuned)
}

func TestShippedAndOwn(t *testing.T) {
	assert.Empty(t, Theme{}.CSS(), "the look of Eskadel is its style sheet's")
	for _, s := range Shipped() {
		require.NoError(t, Theme{Name: s.Name}.Check())
		assert.Equal(t, s.CSS(), Theme{Name: s.Name}.CSS(), "its name is enough")
		for _, f := range s.Findings() {
			assert.Empty(t, f.Tuned, "%s: %s", s.Name, f.What)
		}
	}
	own := Theme{Name: "slate", Accent: "#8a1f1f", Font: "Open Sans"}
	assert.Contains(t, own.CSS(), "--accent: light-dark(#8a1f1f, ")
	assert.Contains(t, own.CSS(), "--ink: light-dark(#1d232b, ")
	assert.Contains(t, own.CSS(), `--bs-body-font-family: "Open Sans", Figtree, sans-serif;`)
	assert.NotContains(t, Theme{Accent: "#8a1f1f"}.CSS(), "--c1", "the palette stays")
	for place, wrong := range map[string]Theme{
		"name": {Name: "gone"}, "ground": {Ground: "white"}, "font": {Font: `x"; } body { display: none`}, "palette[1]": {Palette: []string{"#123456", "c2"}},
		"palette": {Palette: make([]string, 11)}, "ink": {Ink: "#12345"}, "accent": {Accent: "url(x)"},
	} {
		assert.ErrorContains(t, wrong.Check(), "", place)
		assert.Empty(t, wrong.CSS(), "nothing unchecked gets into a style sheet")
	}
}

// What is drawn outside of a page has the colours that pages have: those of the style sheet that
// all have, and of the theme where it says others.
func TestColours(t *testing.T) {
	said := regexp.MustCompile(`--([a-z0-9-]+): (?:light-dark\((#\w+), (#\w+)\)|(#\w+));`)
	all, err := fs.ReadFile(Styles, "colours.css")
	require.NoError(t, err)
	for _, th := range append(Shipped(), Theme{}, Theme{Accent: "#8a1f1f"}) {
		want := [2]map[string]string{{}, {}}
		for _, m := range said.FindAllStringSubmatch(string(all)+th.CSS(), -1) {
			want[0][m[1]], want[1][m[1]] = m[2]+m[4], m[3]+m[4]
		}
		for i, dark := range []bool{false, true} {
			is := map[string]string{}
			for name, c := range th.Colours(dark) {
				is[name] = c.String()
			}
			assert.Equal(t, want[i], is, "%+v %v", th, dark)
		}
	}
}

// The style sheets of the themes that ship, and of one with letters of the reader's system.
func TestStyleSheets(t *testing.T) {
	var b strings.Builder
	for _, s := range append(Shipped(), Theme{Accent: "#8a1f1f", Font: "system"}, Theme{Font: "serif"}) {
		b.WriteString(s.CSS())
	}
	golden.Compare(t, "testdata/sheets.css", b.String())
}
