package colour

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestContrast(t *testing.T) {
	for _, c := range []struct {
		a, b string
		is   float64
	}{{"#000000", "#ffffff", 21}, {"#777777", "#ffffff", 4.48}, {"#ff0000", "#ffffff", 4.0}, {"#123456", "#123456", 1}} {
		a, ok := Parse(c.a)
		require.True(t, ok)
		b, _ := Parse(c.b)
		assert.InDelta(t, c.is, Contrast(a, b), 0.01)
		assert.InDelta(t, c.is, Contrast(b, a), 0.01)
	}
	for _, s := range []string{"", "#12345", "1234567", "#12345g", "red", "#1234567"} {
		_, ok := Parse(s)
		assert.False(t, ok, s)
	}
}

func TestThereAndBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := fmt.Sprintf("#%06x", rapid.IntRange(0, 1<<24-1).Draw(t, "colour"))
		c, ok := Parse(text)
		require.True(t, ok)
		require.Equal(t, text, c.String())
		require.Equal(t, text, c.Lab().Colour().String())
		require.Equal(t, text, c.Lab().With(c.Lab()[0], c.Lab().Chroma()).String())
		other, _ := Parse("#2d6a8a")
		require.Equal(t, text, Mix(c, other, 0).String())
		require.Equal(t, "#2d6a8a", Mix(c, other, 1).String())
		require.GreaterOrEqual(t, Contrast(Against(c, White, 4.5), White), 4.5)
		require.GreaterOrEqual(t, Contrast(Against(c, Black, 4.5), Black), 4.5)
		room := Roomy(c, 8)
		require.GreaterOrEqual(t, max(Contrast(room, Black), Contrast(room, White)), 8.0)
		require.Equal(t, c.Dark(), room.Dark())
	})
	half := Mix(Black, White, 0.5)
	assert.Equal(t, "#636363", half.String(), "half as light to the eye")
}

// Colours are read as browsers write those that they have worked out.
func TestComputed(t *testing.T) {
	for text, is := range map[string]string{
		"#2d6a8a": "#2d6a8a", "rgb(45, 106, 138)": "#2d6a8a", "RGB(45 106 138)": "#2d6a8a", "rgba(45, 106, 138, 0.5)": "#2d6a8a", "rgb(300, -5, 0)": "#ff0000",
		"color(srgb 1 0.5 0)": "#ff8000", "color(srgb-linear 1 1 1 / 0.2)": "#ffffff", "oklab(1 0 0)": "#ffffff", "oklch(0.627955 0.257683 29.2338)": "#ff0000", "oklch(0.5 none none)": "#636363",
	} {
		c, _, ok := Computed(text)
		require.True(t, ok, text)
		assert.Equal(t, is, c.String(), text)
	}
	_, opaque, _ := Computed("rgba(0, 0, 0, 0)")
	assert.Zero(t, opaque)
	_, opaque, _ = Computed("#ffffff")
	assert.Equal(t, 1.0, opaque)
	_, opaque, _ = Computed("oklab(1 0 0 / 0.25)")
	assert.Equal(t, 0.25, opaque)
	for _, text := range []string{"", "teal", "rgb(1, 2)", "rgb(1, 2, 3, 4, 5)", "color(rec2020 1 1 1)", "rgb(srgb 1 1 1)", "color(1 1 1)", "hsl(1 2 3)", "rgb(1e400, 0, 0)", "rgb(--, 0, 0)", "oklab(1 0 0", "url(x)"} {
		_, _, ok := Computed(text)
		assert.False(t, ok, text)
	}
}
