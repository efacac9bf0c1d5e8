package picture

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"image/png"
	"io"
	"math"
	"os/exec"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/colour"
	"eskadel/core/theme"
	"eskadel/view"
)

// sample is a chart of two columns, one twice as high as the other, with a name that is not nice.
func sample() *view.Leaving {
	return &view.Leaving{Answer: &view.Answer{Title: `Jobs </text><script>alert("1")</script> & 日本 ▲`, Subtitle: "=1+1", Caption: "Ask the yard.", Drawing: &chart.Drawing{
		Kind: "columns", Legend: "none", Summary: "2 marks.", Axis: chart.Axis{High: 10, Ticks: []chart.Tick{{At: 0, Label: "0"}, {At: 10, Label: "10"}}},
		Groups: []chart.Group{{Label: "Ravel"}, {Label: "Pell"}},
		Series: []chart.Series{{Colour: "c1", As: "column", Marks: []*chart.Mark{{Size: 4, Label: "4", Text: "4"}, {Size: 8, Label: "8", Text: "8"}}}},
	}}, Conditions: "number of jobs", Rules: "only your yard", Made: "Made from 12 jobs on 29 Nov 2026, 21:00.", At: time.Date(2026, 11, 29, 21, 0, 0, 0, time.UTC)}
}

// The picture's pixels: columns in their colour, one twice as high as the other, on the ground
// that is asked for.
func TestPNG(t *testing.T) {
	l := sample()
	l.Unsaid = chart.OnPictures
	for _, ground := range grounds {
		for size, scale := range map[string]int{"usual": 1, "slide": 2} {
			b, err := Write(l, How{Ground: ground, Size: size})
			require.NoError(t, err)
			img, err := png.Decode(bytes.NewReader(b))
			require.NoError(t, err)
			require.Equal(t, fmt.Sprint(960*scale, 540*scale), fmt.Sprint(img.Bounds().Dx(), img.Bounds().Dy()))
			colours := theme.Theme{}.Colours(ground == "dark")
			tall := func(x int) (n int) {
				for y := range img.Bounds().Dy() {
					r, g, b, _ := img.At(x, y).RGBA()
					if colours["c1"].Bytes() == [3]int{int(r >> 8), int(g >> 8), int(b >> 8)} {
						n++
					}
				}
				return n
			}
			low, high := tall(270*scale), tall(710*scale)
			assert.Greater(t, low, 100*scale, ground)
			assert.InDelta(t, 2*low, high, float64(4*scale), ground)
			r, g, blue, a := img.At(2, 2).RGBA()
			if ground == "clear" {
				assert.Zero(t, a)
			} else {
				assert.Equal(t, colours["paper"].Bytes(), [3]int{int(r >> 8), int(g >> 8), int(blue >> 8)})
			}
		}
	}
}

// texts are the texts of an SVG, and the names of its elements.
func read(t *testing.T, svg []byte) (texts string, elements map[string]int) {
	elements = map[string]int{}
	d := xml.NewDecoder(bytes.NewReader(svg))
	var b strings.Builder
	for {
		token, err := d.Token()
		if err == io.EOF {
			return b.String(), elements
		}
		require.NoError(t, err, "it is XML")
		switch token := token.(type) {
		case xml.StartElement:
			elements[token.Name.Local]++
			for _, a := range token.Attr {
				assert.NotContains(t, a.Value, "var(", a.Name.Local)
				assert.NotContains(t, a.Value, "color-mix", a.Name.Local)
				assert.NotEqual(t, "class", a.Name.Local)
			}
		case xml.CharData:
			b.Write(token)
			b.WriteString("\n")
		}
	}
}

// An SVG says all that it should, has colours that every program knows, and nothing of what is
// written in it is taken for anything else; its letters come along where that is asked for.
func TestSVG(t *testing.T) {
	b, err := Write(sample(), How{Kind: "svg"})
	require.NoError(t, err)
	texts, elements := read(t, b)
	for _, says := range []string{`Jobs </text><script>alert("1")</script> & 日本 ▲`, "=1+1", "Ask the yard.", "Number of jobs. Only your yard.", "Made from 12 jobs on 29 Nov 2026, 21:00.", "Ravel", "8"} {
		assert.Contains(t, texts, says+"\n")
	}
	assert.Zero(t, elements["script"]+elements["style"])
	b, err = Write(sample(), How{Kind: "svg", Letters: true})
	require.NoError(t, err)
	texts, _ = read(t, b)
	assert.Equal(t, 2, strings.Count(texts, "@font-face"))
	for _, what := range chart.OnPictures {
		l := sample()
		l.Unsaid = []string{what}
		b, err = Write(l, How{Kind: "svg"})
		require.NoError(t, err)
		left, _ := read(t, b)
		gone := map[string]string{"title": "Jobs <", "subtitle": "=1+1", "caption": "Ask the yard.", "conditions": "Number of jobs.", "made": "Made from"}
		for other, says := range gone {
			assert.Equal(t, other != what, strings.Contains(left, says), "%s without %s", other, what)
		}
	}
}

// What a PDF says can be read out of it by other programs, and they find nothing wrong with it.
func TestPDF(t *testing.T) {
	b, err := Write(sample(), How{Kind: "pdf"})
	require.NoError(t, err)
	out := func(name string, args ...string) string {
		c := exec.Command(name, args...)
		c.Stdin = bytes.NewReader(b)
		said, err := c.CombinedOutput()
		require.NoError(t, err, "%s: %s", name, said)
		return string(said)
	}
	texts := strings.Join(strings.Fields(out("pdftotext", "-layout", "-", "-")), " ")
	for _, says := range []string{`Jobs </text><script>alert("1")</script> &`, "▲", "=1+1", "Ask the yard. Number of jobs. Only your yard. Made from 12 jobs on 29 Nov 2026, 21:00.", "Ravel", "Pell"} {
		assert.Contains(t, texts, says)
	}
	info := out("pdfinfo", "-")
	assert.Contains(t, info, "2026")
	assert.Regexp(t, `JavaScript:\s+no`, info)
	assert.Regexp(t, `Page size:\s+720 x 405 pts`, info)
}

// drawn are charts with all kinds of shapes: open bars, dashed lines, slices, webs, bubbles, marks drawn
// together, turned and shortened labels, texts on marks.
func drawn() map[string]*chart.Drawing {
	axis := chart.Axis{High: 10, Ticks: []chart.Tick{{At: 0, Label: "0"}, {At: 5, Label: "5"}, {At: 10, Label: "10"}}, Title: "Hours"}
	groups := func(n int) (out []chart.Group) {
		for i := range n {
			name := fmt.Sprintf("Group of a long name %d", i+1)
			out = append(out, chart.Group{Label: name, Full: name, Colour: fmt.Sprintf("c%d", i%9+1), Partial: i == n-1, Rate: "50%"})
		}
		return out
	}
	series := func(as, role string, n, of int) chart.Series {
		s := chart.Series{Name: "Hours " + as + role, Colour: fmt.Sprintf("c%d", of+1), As: as, Role: role, Of: of}
		for i := range n {
			x := float64((i*7 + of*3) % 10)
			r := float64(i%4) / 4
			s.Marks = append(s.Marks, &chart.Mark{Size: float64((i*3+of*5)%9) + 1, X: &x, R: &r, Low: &x, High: &x, Label: "4", Text: map[bool]string{true: "4.5"}[n < 50], Tone: map[bool]string{true: "sea-7"}[as == "cell"]})
		}
		return s
	}
	plain := func(kind, as string, n, k int) *chart.Drawing {
		d := &chart.Drawing{Kind: kind, Legend: "top", Axis: axis, Across: &axis, Groups: groups(n), Total: "1,234.5", Summary: "Some."}
		for of := range k {
			d.Series = append(d.Series, series(as, "", n, of))
		}
		return d
	}
	out := map[string]*chart.Drawing{"columns": plain("columns", "column", 9, 2), "lines": plain("line", "line", 12, 3), "pie": plain("pie", "slice", 6, 1), "donut": plain("donut", "slice", 6, 1), "radar": plain("radar", "polygon", 6, 2), "scatter": plain("scatter", "point", 9, 2), "heat": plain("heat map", "cell", 14, 5), "together": plain("scatter", "point", 300, 2), "funnel": plain("funnel", "column", 5, 1)}
	lines := out["lines"]
	lines.Lines = []chart.Rule{{At: 4, Label: "Average 4"}}
	for _, role := range []string{chart.Before, chart.TrendOf, chart.Forecast} {
		lines.Series = append(lines.Series, series("line", role, 12, 0))
	}
	return out
}

// What is written on a mark can be read, whatever the mark's colour, by day and by night.
func TestMarksAreLegible(t *testing.T) {
	heat := drawn()["heat"]
	for i, s := range heat.Series {
		for g, m := range s.Marks {
			m.Tone = fmt.Sprintf("%s-%d", []string{"sea", "brass", "moss", "rust", "tide"}[i], g%9+1)
		}
	}
	l := sample()
	l.Drawing = heat
	for _, ground := range grounds {
		b, err := Write(l, How{Kind: "svg", Ground: ground})
		require.NoError(t, err)
		var on colour.Colour
		written := 0
		for _, m := range regexp.MustCompile(`<(rect|text) [^>]*?fill="(#[0-9a-f]{6})"[^>]*?(?:/>|>([^<]*)<)`).FindAllStringSubmatch(string(b), -1) {
			c, ok := colour.Parse(m[2])
			require.True(t, ok)
			if m[1] == "rect" {
				on = c
			} else if m[3] == "4.5" {
				written++
				assert.GreaterOrEqual(t, colour.Contrast(c, on), 4.5, "%s on %s, %s", c, on, ground)
			}
		}
		assert.Equal(t, 70, written, "on each of the marks")
	}
}

// A PDF, as another program draws it, is the same picture as the PNG.
func TestPDFIsThePNG(t *testing.T) {
	for name, d := range drawn() {
		l := sample()
		l.Drawing = d
		l.Title = "Hours of crews, by kind"
		pdf, err := Write(l, How{Kind: "pdf"})
		require.NoError(t, err)
		b, err := Write(l, How{Kind: "png"})
		require.NoError(t, err)
		c := exec.Command("pdftoppm", "-r", "96", "-png", "-singlefile", "-")
		c.Stdin = bytes.NewReader(pdf)
		raster, err := c.Output()
		require.NoError(t, err)
		theirs, err := png.Decode(bytes.NewReader(raster))
		require.NoError(t, err)
		ours, err := png.Decode(bytes.NewReader(b))
		require.NoError(t, err)
		require.Equal(t, ours.Bounds(), theirs.Bounds())
		other := 0
		for y := range ours.Bounds().Dy() {
			for x := range ours.Bounds().Dx() {
				r, g, bl, _ := ours.At(x, y).RGBA()
				r2, g2, b2, _ := theirs.At(x, y).RGBA()
				for _, pair := range [][2]uint32{{r, r2}, {g, g2}, {bl, b2}} {
					if max(pair[0], pair[1])-min(pair[0], pair[1]) > 100<<8 {
						other++
						break
					}
				}
			}
		}
		assert.Less(t, other, 2400, "%s: pixels that are another colour", name)
	}
}

// What is asked for is one of what there is, or the sentence says what there is.
func TestHow(t *testing.T) {
	for words, how := range map[string]How{"“gif” is not the kind of a picture: png, svg, pdf is.": {Kind: "gif"}, "not the ground": {Ground: "pink"}, "not the size": {Size: "9999"}} {
		_, err := Write(sample(), how)
		assert.ErrorContains(t, err, words)
	}
}

// Paths are read as SVG has them, arcs as curves that stay on their circle.
func TestPaths(t *testing.T) {
	still := matrix{1, 0, 0, 1, 0, 0}
	for d, want := range map[string]string{
		"M1 2L3 4Z":           "M1,2 L3,4 Z",
		"M-6 6-2-6h8V6z":      "M-6,6 L-2,-6 L6,-6 L6,6 Z",
		"m1 1l2 0 0 2":        "M1,1 L3,1 L3,3",
		"M10,20H30v-5.50":     "M10,20 L30,20 L30,14.5",
		"M1e1 0L-.5.5":        "M10,0 L-0.5,0.5",
		"M0 0 x":              "M0,0",
		"M0 0L":               "M0,0 L0,0",
		"M3 4zl1 1":           "M3,4 Z L4,5",
		"M5 5a5 5 0 1 0 0 0z": "M5,5 Z",
	} {
		var out []string
		for _, s := range placed(d, still) {
			if s.kind == 'Z' {
				out = append(out, "Z")
			} else {
				out = append(out, fmt.Sprintf("%c%g,%g", s.kind, s.p[0], s.p[1]))
			}
		}
		assert.Equal(t, want, strings.Join(out, " "), d)
	}
	for _, large := range []bool{false, true} {
		for _, sweep := range []bool{false, true} {
			flag := map[bool]int{true: 1}
			all := placed(fmt.Sprintf("M0 -10A10 10 0 %d %d 10 0", flag[large], flag[sweep]), still)
			quarters := map[bool]int{false: 1, true: 3}[large]
			assert.Len(t, all, 1+quarters, "%v %v", large, sweep)
			centre := map[bool][2]float64{true: {0, 0}, false: {10, -10}}[large != sweep]
			for _, s := range all[1:] {
				assert.InDelta(t, 10, math.Hypot(s.p[4]-centre[0], s.p[5]-centre[1]), 1e-9, "%v %v", large, sweep)
			}
			assert.InDelta(t, 10, all[quarters].p[4], 1e-9)
			assert.InDelta(t, 0, all[quarters].p[5], 1e-9)
		}
	}
	x, y := transform("rotate(90 1 1)").at(2, 1)
	assert.InDeltaSlice(t, []float64{1, 2}, []float64{x, y}, 1e-9)
	x, y = transform("translate(3 4)").then(transform("scale(2)")).at(1, 1)
	assert.InDeltaSlice(t, []float64{5, 6}, []float64{x, y}, 1e-9)
}

// Colours are as pages have them: names of the theme, colours, and mixtures.
func TestColours(t *testing.T) {
	p := paints(theme.Theme{}.Colours(false))
	for css, want := range map[string]string{"var(--ink)": "#17233b", "#1D3557": "#1d3557", "color-mix(in srgb, #000000 38%, var(--paper))": "#9b9a99", "none": "", "transparent": "", "var(--nothing)": ""} {
		rgb, ok := p.rgb(css)
		assert.Equal(t, want != "", ok, css)
		if ok {
			assert.Equal(t, want, hex(rgb), css)
		}
	}
}
