package drawing

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/chart"
	"eskadel/core/theme"
)

// grey stands for every colour: layout does not depend on it, but for what text is written in.
func grey(css string) [3]int {
	c := theme.Theme{}.Colours(false)
	if len(css) > 7 {
		if of, ok := c[css[6:len(css)-1]]; ok {
			return of.Bytes()
		}
	}
	return [3]int{124, 124, 124}
}

// A Drawn is a drawing alone: its shapes, and where its marks lie by the numbers of series and group.
type Drawn struct {
	Root   *Shape                `json:"root"`
	Places map[string][2]float64 `json:"places"`
}

// Draw makes a drawing alone.
func Draw(d *chart.Drawing, width, height int, c Colours) (*Drawn, error) {
	var out Drawn
	return &out, call("drawn", d, width, height, c, &out)
}

// kinds are the drawn forms with what their series are drawn as.
var kinds = map[string]string{"columns": "column", "bars": "column", "line": "line", "area": "area", "pie": "slice", "donut": "slice", "radar": "polygon", "heat map": "cell", "risk grid": "cell", "scatter": "point", "funnel": "column", "gauge": "column"}

// model is a drawing model of any size, with names short and long.
func model(t *rapid.T) *chart.Drawing {
	kind := rapid.SampledFrom([]string{"columns", "bars", "line", "area", "pie", "donut", "radar", "heat map", "scatter", "funnel", "gauge"}).Draw(t, "kind")
	name := rapid.StringMatching(`[A-Za-z0-9£éŁ本 ]{1,40}`)
	groups, series := rapid.IntRange(1, 30).Draw(t, "groups"), rapid.IntRange(1, 6).Draw(t, "series")
	if kind == "gauge" || kind == "funnel" {
		series = 1
	}
	if kind == "gauge" {
		groups = 1
	}
	axis := chart.Axis{Low: 0, High: 100, Ticks: []chart.Tick{{At: 0, Label: "0"}, {At: 50, Label: "50 thousand"}, {At: 100, Label: "100 thousand"}}, Title: rapid.SampledFrom([]string{"", "A title of an axis"}).Draw(t, "title")}
	m := &chart.Drawing{Kind: kind, Axis: axis, Across: &axis, Legend: "none", Total: "1,234"}
	m.Category.Time = rapid.Bool().Draw(t, "time")
	for i := range groups {
		label := name.Draw(t, "label")
		m.Groups = append(m.Groups, chart.Group{Label: label, Full: label, Colour: fmt.Sprintf("c%d", i%10+1), Rate: map[bool]string{true: "50%"}[i > 0]})
	}
	for i := range series {
		s := chart.Series{Name: name.Draw(t, "series name"), Colour: fmt.Sprintf("c%d", i%10+1), As: kinds[kind], Of: i}
		for range groups {
			if groups > 1 && rapid.IntRange(0, 9).Draw(t, "gap") == 0 {
				s.Marks = append(s.Marks, nil)
				continue
			}
			v, x := rapid.Float64Range(0, 100).Draw(t, "v"), rapid.Float64Range(0, 100).Draw(t, "x")
			s.Marks = append(s.Marks, &chart.Mark{Size: v, X: &x, Label: "12", Text: "12.5", Tone: "c3"})
		}
		m.Series = append(m.Series, s)
	}
	return m
}

var number = regexp.MustCompile(`-?[0-9.]+|NaN|Infinity|undefined|null`)

// Whatever is drawn, in whatever size: every mark has a place within the drawing, no shape is
// nowhere, and nothing that is written upright stands out of it.
func TestLayout(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		m := model(t)
		width, height := rapid.IntRange(120, 1400).Draw(t, "width"), rapid.IntRange(90, 900).Draw(t, "height")
		d, err := Draw(m, width, height, grey)
		require.NoError(t, err)
		for i, s := range m.Series {
			for g, mark := range s.Marks {
				at, placed := d.Places[fmt.Sprintf("%d %d", i, g)]
				if mark == nil || (m.Kind == "pie" || m.Kind == "donut") && sum(s) == 0 {
					continue
				}
				if !assert.True(t, placed, "%s: mark %d %d has a place", m.Kind, i, g) {
					return
				}
				assert.True(t, at[0] >= -1 && at[0] <= float64(width)+1 && at[1] >= -1 && at[1] <= float64(height)+1, "%s: mark %d %d lies at %v of %d × %d", m.Kind, i, g, at, width, height)
			}
		}
		each(d.Root, func(s *Shape) {
			for name, v := range s.Attributes {
				for _, n := range number.FindAllString(fmt.Sprint(v), -1) {
					if f, err := strconv.ParseFloat(n, 64); name != "class" && name != "data-finish" && (err != nil || math.IsInf(f, 0) || math.IsNaN(f)) && n != "." {
						t.Fatalf("%s: %s of %s is %v", m.Kind, name, s.Name, v)
					}
				}
			}
			if s.Name != "text" || s.Attributes["transform"] != nil {
				return
			}
			y := s.Attributes["y"].(float64)
			assert.True(t, y >= 4 && y <= float64(height)+4, "%s: “%s” is written at %v of %d", m.Kind, s.Children[0].Text, y, height)
		})
	})
}

func sum(s chart.Series) (all float64) {
	for _, m := range s.Marks {
		if m != nil {
			all += m.Size
		}
	}
	return all
}

func each(s *Shape, do func(*Shape)) {
	do(s)
	for _, c := range s.Children {
		if c.Shape != nil {
			each(c.Shape, do)
		}
	}
}

// A picture has what is said of it from the top and from the foot, and the chart between; of a
// legend that is larger than it the rest is counted.
func TestPicturesAreLaidOut(t *testing.T) {
	m := &chart.Drawing{Kind: "line", Axis: chart.Axis{High: 10, Ticks: []chart.Tick{{At: 0, Label: "0"}, {At: 10, Label: "10"}}}, Groups: []chart.Group{{Label: "Mon"}, {Label: "Tue"}}, Legend: "top"}
	for i := range 40 {
		m.Series = append(m.Series, chart.Series{Name: fmt.Sprintf("Crew number %d of the yard", i+1), Colour: "c1", As: "line", Of: i, Marks: []*chart.Mark{{Size: 1}, {Size: 9}}})
	}
	m.Series[1].Off = true
	p := &Picture{Drawing: m, Title: "What it is called", Subtitle: "And what that means", Caption: "Worth a look.", Below: []string{"Jobs per day.", "Made from 3 jobs."}}
	for _, legend := range []string{"top", "bottom", "right", "none"} {
		m.Legend = legend
		root, err := p.Shapes(600, 340, grey)
		require.NoError(t, err)
		var texts []string
		at := map[string]float64{}
		each(root, func(s *Shape) {
			if s.Name == "text" {
				texts = append(texts, s.Children[0].Text)
				at[s.Children[0].Text] = s.Attributes["y"].(float64)
			}
		})
		assert.Less(t, at["What it is called"], at["And what that means"], legend)
		assert.Less(t, at["Worth a look."], at["Jobs per day."], legend)
		assert.Less(t, at["Jobs per day."], at["Made from 3 jobs."], legend)
		assert.Less(t, at["Made from 3 jobs."], 340.0, legend)
		assert.NotContains(t, texts, "Crew number 2 of the yard", "it is hidden")
		if legend == "none" {
			assert.NotContains(t, texts, "Crew number 1 of the yard")
		} else {
			assert.Contains(t, texts, "Crew number 1 of the yard", legend)
			assert.Regexp(t, `and \d+ more`, fmt.Sprint(texts), legend)
		}
	}
}
