package chart

import (
	"eskadel/core/field"
	"eskadel/core/marks"
	"eskadel/core/query"
)

// What a drawing may carry.
const (
	MostMarks  = 2000
	MostSeries = 60
	MostSlices = 50
	MostSpokes = 24
)

// A Drawing is everything that is drawn of a chart. Sizes are binary floating point,
// because pixels are; every label was made from exact values.
type Drawing struct {
	Kind      string          `json:"kind"`            // the form's
	Style     string          `json:"style,omitempty"` // side by side, stacked, to 100%
	Groups    []Group         `json:"groups"`
	Series    []Series        `json:"series"`
	Axis      Axis            `json:"axis"`
	Second    *Axis           `json:"second,omitempty"`
	Across    *Axis           `json:"across,omitempty"` // the lower axis of a scatter
	Category  CategoryAxis    `json:"category"`
	Lines     []Rule          `json:"lines,omitempty"`
	Bands     []BandAt        `json:"bands,omitempty"`
	Legend    string          `json:"legend"` // top, right, bottom or none
	Key       []Step          `json:"key,omitempty"`
	Captions  string          `json:"captions,omitempty"` // above each of several pies: total with its name, or none
	Ramp      *Ramp           `json:"ramp,omitempty"`     // of cells that are coloured by size
	BarWidth  int             `json:"bar_width,omitempty"`
	Bridge    bool            `json:"bridge,omitempty"` // lines go on over steps without a value
	Total     string          `json:"total,omitempty"`  // in the middle of a donut
	Columns   int             `json:"columns,omitempty"`
	Silent    bool            `json:"silent,omitempty"` // marks that are pointed at say nothing
	Notes     []string        `json:"-"`
	Summary   string          `json:"summary"`         // for those who do not see it
	Hints     []string        `json:"hints,omitempty"` // for the author: what of the finish has no effect
	Reference marks.Reference `json:"reference"`
}

// A Group is a place on the category axis: a step, a slice, a stage, a spoke, a point.
type Group struct {
	Label   string    `json:"label"`
	Full    string    `json:"full"`
	Short   string    `json:"short,omitempty"` // of a repeating part: where there is little room
	Rank    int       `json:"rank,omitempty"`  // along time: how large a unit of the calendar begins with it
	Partial bool      `json:"partial,omitempty"`
	Ahead   bool      `json:"ahead,omitempty"` // a forecast step, which has no records
	Key     marks.Key `json:"key"`
	Words   string    `json:"words"` // the condition it stands for: "opened week of 3 March 2026"
	Colour  string    `json:"colour,omitempty"`
	Off     bool      `json:"off,omitempty"`  // of a pie: hidden by its legend
	Rate    string    `json:"rate,omitempty"` // of a funnel: what goes on from the stage before
	step    rate      // the same exactly
	overall rate      // of the first stage
}

// A rate is a part of something, written and exactly.
type rate struct{ Text, Exact string }

// Roles of a series besides showing a measure.
const (
	Before   = "before"
	Aim      = "target"
	TrendOf  = "trend"
	Forecast = "forecast"
)

// A Series is the marks of one split value or measure, one per group; a mark without a
// value is null.
type Series struct {
	Name    string     `json:"name"`
	Colour  string     `json:"colour"` // a name of the palette, c1 … c10, others or none, or a colour of the pick list, #1D3557
	As      string     `json:"as"`     // column, line, area, tick, slice, cell, point …
	Role    string     `json:"role,omitempty"`
	Second  bool       `json:"second,omitempty"` // measured on the second axis
	Stack   bool       `json:"stack,omitempty"`  // one of those that stand on each other
	Measure int        `json:"measure"`
	Of      int        `json:"of"` // the series that before, target, trend and forecast belong to
	Key     *marks.Key `json:"key,omitempty"`
	Words   string     `json:"words,omitempty"` // of a split value: "kind rework"
	Total   string     `json:"total,omitempty"`
	Off     bool       `json:"off,omitempty"` // hidden by the legend: it has no marks
	Marks   []*Mark    `json:"marks"`
}

// A Mark is one drawn thing. The words of its series and group say what it stands for.
type Mark struct {
	Size  float64      `json:"size"`
	From  float64      `json:"from"`           // where it begins, in units of the axis
	X     *float64     `json:"x,omitempty"`    // across, of a scatter
	R     *float64     `json:"r,omitempty"`    // how much of the largest area, of a bubble
	Low   *float64     `json:"low,omitempty"`  // of a forecast's interval
	High  *float64     `json:"high,omitempty"` //
	Label string       `json:"label"`          // the value
	Text  string       `json:"text,omitempty"` // what stands on the mark
	More  []string     `json:"more,omitempty"` // further lines of its tip
	Tone  string       `json:"tone,omitempty"` // a colour of its own
	Exact string       `json:"exact"`          // what is shown
	Base  string       `json:"base,omitempty"` // what its records give, where that is not what is shown
	Run   *Run         `json:"run,omitempty"`  // of a running figure: the records of all that it goes over
	Then  *query.Spell `json:"then,omitempty"` // of a comparison: the span it lies in

	value field.Value // the figure that is drawn
}

// A Run is what a running figure goes over.
type Run struct {
	Key marks.Key `json:"key"`
	Was string    `json:"was"` // the measure over all of its records
}

// A CategoryAxis is how the groups' axis looks.
type CategoryAxis struct {
	Title  string `json:"title,omitempty"`
	Hidden bool   `json:"hidden,omitempty"`
	Time   bool   `json:"time,omitempty"`
}

// An Axis is a value axis with its ticks.
type Axis struct {
	Low    float64 `json:"low"`
	High   float64 `json:"high"`
	Log    bool    `json:"log,omitempty"`
	Hidden bool    `json:"hidden,omitempty"`
	NoGrid bool    `json:"no_grid,omitempty"`
	Title  string  `json:"title,omitempty"`
	Ticks  []Tick  `json:"ticks"`
}

// A Tick is a labelled place on an axis.
type Tick struct {
	At    float64 `json:"at"`
	Label string  `json:"label"`
}

// A Rule is a line across the drawing.
type Rule struct {
	At     float64 `json:"at"`
	Label  string  `json:"label"`
	Second bool    `json:"second,omitempty"`
}

// A BandAt is a band of a gauge, from and to in units of the axis.
type BandAt struct {
	From float64 `json:"from"`
	To   float64 `json:"to"`
	Name string  `json:"name"`
	Tone string  `json:"tone"`
}

// A Ramp is the colours from the smallest to the largest figure.
type Ramp struct {
	Tones []string `json:"tones"`
	Low   string   `json:"low"`
	High  string   `json:"high"`
}

// A Step is one colour of a key that explains bands.
type Step struct {
	Tone  string `json:"tone"`
	Label string `json:"label"`
}
