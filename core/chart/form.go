package chart

import (
	"encoding/json"
	"strings"

	"eskadel/core/problem"
)

// A Form is how a chart is drawn. In JSON a name, or {"columns": "stacked"}.
type Form struct {
	Kind  string
	Style string
}

// Styles of columns, bars and areas.
const (
	SideBySide = "side by side"
	Stacked    = "stacked"
	Whole      = "to 100%"
)

// The forms there are.
var (
	Columns        = Form{"columns", SideBySide}
	StackedColumns = Form{"columns", Stacked}
	WholeColumns   = Form{"columns", Whole}
	Bars           = Form{"bars", SideBySide}
	StackedBars    = Form{"bars", Stacked}
	WholeBars      = Form{"bars", Whole}
	Line           = Form{"line", ""}
	Area           = Form{"area", SideBySide}
	StackedArea    = Form{"area", Stacked}
	WholeArea      = Form{"area", Whole}
	Combined       = Form{"columns and lines", ""}
	Pie            = Form{"pie", ""}
	Donut          = Form{"donut", ""}
	Scatter        = Form{"scatter", ""}
	HeatMap        = Form{"heat map", ""}
	RiskGrid       = Form{"risk grid", ""}
	Gauge          = Form{"gauge", ""}
	KeyFigures     = Form{"key figures", ""}
	Funnel         = Form{"funnel", ""}
	Radar          = Form{"radar", ""}
	Table          = Form{"table", ""}
	Grouped        = Form{"grouped table", ""}
	Pivot          = Form{"pivot", ""}
	Records        = Form{"records", ""}
	Board          = Form{"board", ""}
	Cards          = Form{"cards", ""}
	Calendar       = Form{"calendar", ""}
	Timeline       = Form{"timeline", ""}
	Latest         = Form{"latest", ""}
	Plan           = Form{"plan", ""}
)

// A formText is what is said of a form: in a sentence, in the list of forms, and what it
// is for.
type formText struct {
	form           Form
	words, purpose string
}

var formTexts = []formText{
	{Columns, "columns", "compares amounts, above all along time"},
	{StackedColumns, "stacked columns", "shows an amount and what it is made of"},
	{WholeColumns, "columns to 100%", "shows how the make-up changes, whatever the amount"},
	{Bars, "bars", "compares amounts of things with names"},
	{StackedBars, "stacked bars", "shows what the amount of each named thing is made of"},
	{WholeBars, "bars to 100%", "compares the make-up of named things"},
	{Line, "a line", "follows an amount along time, or several against each other"},
	{Area, "an area", "follows one amount along time and shows its size"},
	{StackedArea, "a stacked area", "follows an amount and its parts along time"},
	{WholeArea, "an area to 100%", "follows how shares move along time"},
	{Combined, "columns and lines", "sets two measures of different size side by side, each with its axis"},
	{Pie, "a pie", "shows a few shares of one whole"},
	{Donut, "a donut", "shows a few shares with the whole in the middle"},
	{Scatter, "a scatter", "shows whether two measures go together, and what stands apart"},
	{HeatMap, "a heat map", "finds where two divisions meet most and least"},
	{RiskGrid, "a risk grid", "places risks by likelihood and severity, in bands of score"},
	{Gauge, "a gauge", "shows one figure on its scale, with bands that say what is good"},
	{KeyFigures, "key figures", "tells the headline: a number, its change, its target"},
	{Funnel, "a funnel", "shows how many reach each stage and how many go on"},
	{Radar, "a radar", "compares profiles over a handful of measures or groups"},
	{Table, "a table", "gives the figures themselves"},
	{Grouped, "a grouped table", "gives figures by group with totals, and the details folded away"},
	{Pivot, "a pivot", "crosses several levels both ways, with totals at each"},
	{Records, "a list of records", "lists the records themselves"},
	{Board, "a board", "sets records as cards in columns, one for each stage"},
	{Cards, "picture cards", "shows records with their pictures"},
	{Calendar, "a calendar", "shows records on their days"},
	{Timeline, "a timeline", "shows records from their beginning to their end"},
	{Latest, "the latest changes", "lists what has just happened"},
	{Plan, "points on a plan", "shows where records lie on a plan or a map"},
}

// Forms lists all forms, in the order menus offer them.
func Forms() []Form {
	out := make([]Form, len(formTexts))
	for i, t := range formTexts {
		out[i] = t.form
	}
	return out
}

func (f Form) text() formText {
	for _, t := range formTexts {
		if t.form == f {
			return t
		}
	}
	return formText{words: f.Kind}
}

// Words names the form in a sentence: "stacked columns".
func (f Form) Words() string { return f.text().words }

// Purpose says what the form is for: "compares amounts, above all along time".
func (f Form) Purpose() string { return f.text().purpose }

// Lists tells whether the form shows single records rather than figures.
func (f Form) Lists() bool {
	switch f {
	case Records, Board, Cards, Calendar, Timeline, Latest, Plan:
		return true
	}
	return false
}

// Tells tells whether the form is figures as text.
func (f Form) Tells() bool {
	return f == Table || f == Grouped || f == Pivot || f == KeyFigures
}

// besides tells whether the form can show several datasets on one axis.
func (f Form) besides() bool {
	switch f {
	case Columns, Bars, StackedColumns, StackedBars, Line, Area, StackedArea, Combined, Radar, Table, KeyFigures:
		return true
	}
	return false
}

// stacks tells whether parts stand on each other.
func (f Form) stacks() bool { return f.Style == Stacked || f.Style == Whole }

func (f Form) MarshalJSON() ([]byte, error) {
	if f.Style == "" || f.Style == SideBySide {
		return json.Marshal(f.Kind)
	}
	return json.Marshal(map[string]string{f.Kind: f.Style})
}

func (f *Form) UnmarshalJSON(b []byte) error {
	var kind, style string
	var styled map[string]string
	if json.Unmarshal(b, &kind) != nil {
		if err := json.Unmarshal(b, &styled); err != nil || len(styled) != 1 {
			return problem.New(problem.Invalid, "", "A form is a name such as \"line\", or {\"columns\": \"stacked\"}.")
		}
	}
	for k, s := range styled {
		kind, style = k, s
	}
	for _, known := range Forms() {
		if known.Kind == kind && (known.Style == style || styled == nil) {
			*f = known
			return nil
		}
	}
	return problem.New(problem.Invalid, "", "There is no form “%s”.", strings.TrimSpace(style+" "+kind))
}
