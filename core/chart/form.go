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

// Forms lists all forms, in the order menus offer them.
func Forms() []Form {
	out := make([]Form, len(shapes))
	for i, t := range shapes {
		out[i] = t.Form
	}
	return out
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
