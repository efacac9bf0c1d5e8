package chart

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/problem"
)

// Finish is how a chart looks, beyond its form. What is left out is as usual.
type Finish struct {
	Subtitle string            `json:"subtitle,omitempty"`
	Caption  string            `json:"caption,omitempty"`
	NoTitle  bool              `json:"no_title,omitempty"`
	Unsaid   []string          `json:"pictures_without,omitempty"` // what pictures of it do not say: title, subtitle, caption, conditions or made
	Legend   string            `json:"legend,omitempty"`           // top, right, bottom or none
	Labels   []string          `json:"labels,omitempty"`           // on marks: name, value, share, change; or none
	Tips     []string          `json:"tips,omitempty"`             // shown on a mark besides its value: share, before, change, target, total; or none
	Names    map[string]string `json:"names,omitempty"`            // own names of groups and series, in this chart only
	Colours  map[string]string `json:"colours,omitempty"`          // of values, in this chart only: c1 to c10 or #rrggbb
	Palette  string            `json:"palette,omitempty"`          // usual, one, or by group
	Ramp     string            `json:"ramp,omitempty"`             // of cells: sea, brass, moss, or tide with a middle
	Reversed bool              `json:"reversed,omitempty"`
	Category *AxisFinish       `json:"category,omitempty"`
	Value    *AxisFinish       `json:"value,omitempty"`
	Second   *AxisFinish       `json:"second,omitempty"`
	BarWidth int               `json:"bar_width,omitempty"` // of the room for it, in percent
	Drawn    []string          `json:"drawn,omitempty"`     // per measure of columns and lines: columns, line, area, each with "on the second axis" if wanted
	Bands    []Band            `json:"bands,omitempty"`     // of a gauge or of scores
	Low      json.Number       `json:"low,omitempty"`       // of a gauge's scale
	High     json.Number       `json:"high,omitempty"`
	Percent  bool              `json:"percent,omitempty"`  // bands in percent of the scale
	Least    int               `json:"least,omitempty"`    // slices below so many percent join Others
	Furthest string            `json:"furthest,omitempty"` // of a funnel: the field with the furthest stage of those that are lost
	Lost     []string          `json:"lost,omitempty"`     // stages outside the sequence
	InStage  bool              `json:"in_stage,omitempty"` // count those now in a stage, not those that reached it
	Columns  int               `json:"columns,omitempty"`  // of several pies or figures
	Captions string            `json:"captions,omitempty"` // of several pies: total with its name, or none
	Aim      string            `json:"aim,omitempty"`      // the target is drawn as: line, or columns; marks when left out
	Spark    bool              `json:"spark,omitempty"`    // a small line under each key figure
	Open     *int              `json:"open,omitempty"`     // levels of a pivot or grouped table that are open at first; one of a pivot and none of the other when left out
	Merge    bool              `json:"merge,omitempty"`    // repeated cells
	NoTotals bool              `json:"no_totals,omitempty"`
	Kept     bool              `json:"grain_kept,omitempty"` // viewers choose no other steps of time
	Cells    []CellRule        `json:"cells,omitempty"`
	From     string            `json:"from,omitempty"` // fields of forms that list records: the date they begin,
	To       string            `json:"to,omitempty"`   // end,
	Stage    string            `json:"stage,omitempty"`
	Heading  string            `json:"heading,omitempty"`
	Picture  string            `json:"picture,omitempty"`  // the field with a picture's address; of a plan, the plan's picture
	Position string            `json:"position,omitempty"` // the field with a place on the plan
	Outline  json.RawMessage   `json:"outline,omitempty"`  // of a map, GeoJSON
}

// OnPictures is what pictures say besides what is drawn: conditions are the chart's sentence, made
// is of how many records and when.
var OnPictures = []string{"title", "subtitle", "caption", "conditions", "made"}

// AxisFinish is how an axis looks.
type AxisFinish struct {
	Hidden bool        `json:"hidden,omitempty"`
	Title  string      `json:"title,omitempty"`
	NoGrid bool        `json:"no_grid,omitempty"`
	Low    json.Number `json:"low,omitempty"`
	High   json.Number `json:"high,omitempty"`
	Log    bool        `json:"log,omitempty"`
	Format string      `json:"format,omitempty"`
}

// A Band is a named span of a scale, lower border included, up to the next band.
type Band struct {
	From json.Number `json:"from"`
	Name string      `json:"name"`
	Tone string      `json:"tone"` // good, fair, poor, plain, or #rrggbb
}

// A CellRule shows a number of a table by more than its digits. Rules on one column apply
// in order; the first with something to say about the colour says it.
type CellRule struct {
	Measure  int       `json:"of"`
	Bar      *CellBar  `json:"bar,omitempty"`
	Ranges   []Range   `json:"ranges,omitempty"`
	Percent  bool      `json:"percent,omitempty"` // ranges are in percent of the column's largest
	Gradient *Gradient `json:"gradient,omitempty"`
	Levels   []int     `json:"levels,omitempty"` // of a pivot: 0 for the finest; all when left out
}

// A CellBar is a bar in a cell.
type CellBar struct {
	Most       json.Number `json:"most,omitempty"` // where the bar is full; the largest of the column when left out
	HideNumber bool        `json:"hide_number,omitempty"`
	Colour     string      `json:"colour,omitempty"` // above zero
	Below      string      `json:"below,omitempty"`  // the colour below zero
}

// A Range colours what is at least From, and less than the next range.
type Range struct {
	From json.Number `json:"from,omitempty"` // the first has none
	Tone string      `json:"tone"`
	Sign string      `json:"sign,omitempty"` // a word or sign that goes with the colour
}

// A Gradient colours by size in a number of steps: along a ramp, or between two colours.
type Gradient struct {
	Ramp     string `json:"ramp,omitempty"`
	From     string `json:"from,omitempty"`  // the colours of the smallest
	To       string `json:"to,omitempty"`    // and of the largest, instead of a ramp
	Steps    int    `json:"steps,omitempty"` // 5 when left out
	Reversed bool   `json:"reversed,omitempty"`
}

// Ramps lists the ramps of colour: each in one hue but the last, which has a neutral middle.
func Ramps() []string { return []string{"sea", "brass", "moss", "rust", "tide"} }

// Tones lists the colours with a meaning, and what each says.
func Tones() []string { return []string{"good", "fair", "poor", "grave", "plain"} }

var colourForm = regexp.MustCompile(`^(#[0-9a-fA-F]{6}|c([1-9]|10))$`)

// check tells in words what is wrong with the finish.
func (f *Finish) check(d *Document, ds *dataset.Dataset) error {
	wrong := func(place, words string, args ...any) error {
		return problem.New(problem.Invalid, place, words, args...)
	}
	oneOf := func(place, value string, allowed ...string) error {
		if value == "" || slices.Contains(allowed, value) {
			return nil
		}
		return wrong(place, "“%s” is not one of: %s.", value, strings.Join(allowed, ", "))
	}
	written := func(place, value string, allowed ...string) error {
		if m, named := measureNamed(value); named && m >= 0 && m < d.Width() {
			return nil
		}
		return oneOf(place, value, allowed...)
	}
	number := func(place string, n json.Number) error {
		if n == "" {
			return nil
		}
		if _, err := field.Parse(field.Number, n.String()); err != nil || len(n) > 40 {
			return wrong(place, "“%s” is not a number.", n)
		}
		return nil
	}
	tone := func(place, t string) error {
		if slices.Contains(Tones(), t) || colourForm.MatchString(t) {
			return nil
		}
		return wrong(place, "A tone is %s or a colour like #1D3557, not “%s”.", strings.Join(Tones(), ", "), t)
	}
	checks := []error{
		oneOf("legend", f.Legend, "top", "right", "bottom", "none"),
		oneOf("palette", f.Palette, "usual", "one", "by group"),
		oneOf("ramp", f.Ramp, Ramps()...),
		oneOf("captions", f.Captions, "total", "none"), oneOf("aim", f.Aim, "line", "columns"),
		number("low", f.Low), number("high", f.High),
	}
	if x := d.Overlaps(ds); x != nil && (slices.Contains(f.Labels, "share") || slices.Contains(f.Tips, "share")) {
		checks = append(checks, wrong("labels", "A record may count more than once, since %s can hold several values: there are no shares.", x.Label))
	}
	for i, l := range f.Unsaid {
		checks = append(checks, oneOf(fmt.Sprintf("pictures_without[%d]", i), l, OnPictures...))
	}
	for i, l := range f.Labels {
		checks = append(checks, written(fmt.Sprintf("labels[%d]", i), l, "name", "value", "share", "change", "none"))
	}
	for i, l := range f.Tips {
		checks = append(checks, written(fmt.Sprintf("tips[%d]", i), l, "share", "before", "change", "target", "total", "none"))
	}
	for value, c := range f.Colours {
		if !colourForm.MatchString(c) {
			checks = append(checks, wrong("colours."+value, "A colour is c1 to c10 or like #1D3557, not “%s”.", c))
		}
	}
	for place, a := range map[string]*AxisFinish{"category": f.Category, "value": f.Value, "second": f.Second} {
		if a == nil {
			continue
		}
		checks = append(checks, number(place+".low", a.Low), number(place+".high", a.High))
		if low, high := limit(a.Low), limit(a.High); low != nil && high != nil && *low >= *high {
			checks = append(checks, wrong(place+".high", "The axis ends (%s) before it begins (%s).", a.High, a.Low))
		}
		if low := limit(a.Low); a.Log && low != nil && *low <= 0 {
			checks = append(checks, wrong(place+".low", "A logarithmic axis has no zero and nothing below it; begin above 0."))
		}
	}
	for i, b := range f.Bands {
		place := fmt.Sprintf("bands[%d]", i)
		checks = append(checks, number(place+".from", b.From), tone(place+".tone", b.Tone))
		if b.Name == "" {
			checks = append(checks, wrong(place+".name", "Name the band, so that its colour is not alone."))
		}
		if i > 0 && limit(b.From) != nil && limit(f.Bands[i-1].From) != nil && *limit(b.From) <= *limit(f.Bands[i-1].From) {
			checks = append(checks, wrong(place+".from", "Bands follow one another: each begins above the one before."))
		}
	}
	for i, r := range f.Cells {
		place := fmt.Sprintf("cells[%d]", i)
		if r.Measure < 0 || r.Measure >= max(1, len(d.Measures)) {
			checks = append(checks, wrong(place+".of", "There is no measure %d to colour.", r.Measure))
		}
		if r.Bar != nil {
			checks = append(checks, number(place+".bar.most", r.Bar.Most))
			for part, c := range map[string]string{".bar.colour": r.Bar.Colour, ".bar.below": r.Bar.Below} {
				if c != "" {
					checks = append(checks, tone(place+part, c))
				}
			}
		}
		for j, span := range r.Ranges {
			checks = append(checks, number(fmt.Sprintf("%s.ranges[%d].from", place, j), span.From), tone(fmt.Sprintf("%s.ranges[%d].tone", place, j), span.Tone))
		}
		if g := r.Gradient; g != nil {
			checks = append(checks, oneOf(place+".gradient.ramp", g.Ramp, Ramps()...))
			for part, c := range map[string]string{".gradient.from": g.From, ".gradient.to": g.To} {
				if c != "" && (!strings.HasPrefix(c, "#") || !colourForm.MatchString(c)) {
					checks = append(checks, wrong(place+part, "A gradient goes between colours like #1D3557, not “%s”.", c))
				}
			}
			if (g.From == "") != (g.To == "") {
				checks = append(checks, wrong(place+".gradient", "A gradient between two colours has both of them."))
			}
			if g.Steps != 0 && (g.Steps < 2 || g.Steps > 12) {
				checks = append(checks, wrong(place+".gradient.steps", "A gradient has 2 to 12 steps."))
			}
		}
	}
	for place, name := range map[string]string{"from": f.From, "to": f.To, "stage": f.Stage, "heading": f.Heading, "position": f.Position, "furthest": f.Furthest} {
		if name == "" {
			continue
		}
		if x, err := ds.Field(name); err != nil || x.Hidden {
			checks = append(checks, problem.New(problem.NotFound, place, "%s has no field “%s”.", ds.Title, name))
		}
	}
	if f.BarWidth != 0 && (f.BarWidth < 10 || f.BarWidth > 100) {
		checks = append(checks, wrong("bar_width", "Bars take 10 to 100 percent of their room."))
	}
	if f.Least < 0 || f.Least > 50 {
		checks = append(checks, wrong("least", "Slices below 0 to 50 percent join Others."))
	}
	for _, err := range checks {
		if err != nil {
			return err
		}
	}
	return nil
}

// limit is a number that was typed, nil for none.
func limit(n json.Number) *float64 {
	if n == "" {
		return nil
	}
	x, err := n.Float64()
	if err != nil {
		return nil
	}
	return &x
}
