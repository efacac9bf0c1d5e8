// Package query is what a chart says that it computes: measures of a dataset, what divides
// them, which records count, what they are compared with. It reads and checks that, and
// knows nothing of how it is asked: see core/planner and core/sql.
package query

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/statement"
	"eskadel/core/upgrade"
)

// A Dimension divides records by a field.
type Dimension struct {
	Field    string       `json:"field"`
	Grain    period.Grain `json:"grain,omitempty"`    // of a date; a fitting one when left out
	Part     period.Part  `json:"part,omitempty"`     // of a date: what repeats, instead of a grain
	Largest  int          `json:"largest,omitempty"`  // keep only so many
	Smallest int          `json:"smallest,omitempty"` // or so many of the smallest
	Others   bool         `json:"others,omitempty"`   // and put the rest together
	Least    int          `json:"least,omitempty"`    // values with a smaller share of the whole, in percent, join Others
	Within   bool         `json:"within,omitempty"`   // so many within each value of the group before it
	Empty    bool         `json:"empty,omitempty"`    // also list values that no record has
	Sort     *Sort        `json:"sort,omitempty"`
}

// MostKept is how many values a cut may keep.
const MostKept = 1000

// Cut is how many values are kept, 0 for all.
func (d Dimension) Cut() int { return d.Largest + d.Smallest }

// Keeps tells whether some values may be put together, or left out.
func (d Dimension) Keeps() bool { return d.Cut() > 0 || d.Least > 0 }

// A Sort orders the values of a dimension. Without one, dates go by time, listed values by
// their list, others by the first measure, largest first. A cut keeps the first by the
// sort's measure.
type Sort struct {
	By         string   `json:"by"`                   // label, list, hand, measure, or before, change or percent of a comparison
	Measure    int      `json:"measure,omitempty"`    // which measure, from 0
	Descending bool     `json:"descending,omitempty"` // largest or last first
	Order      []string `json:"order,omitempty"`      // by hand: the values, first to last
}

// UnmarshalJSON reads a sort; one that only has an order is by hand.
func (s *Sort) UnmarshalJSON(b []byte) error {
	type plain Sort
	*s = Sort{}
	if err := problem.Decode(b, (*plain)(s)); err != nil {
		return err
	}
	if s.By == "" && len(s.Order) > 0 {
		s.By = "hand"
	}
	return nil
}

// Compared tells whether the sort looks at the comparison.
func (s *Sort) Compared() bool {
	return s != nil && (s.By == "before" || s.By == "change" || s.By == "percent")
}

// ByFigure tells whether the sort is by something computed.
func (s *Sort) ByFigure() bool { return s.By == "measure" || s.Compared() }

// Gaps say how steps without records are drawn.
const (
	GapsOpen    = "gap"    // nothing stands there
	GapsZero    = "zero"   // 0 stands there
	GapsBridged = "bridge" // a line goes on to the next step
)

// A Definition says what a chart computes.
type Definition struct {
	Version   int                `json:"version"`
	Dataset   string             `json:"dataset"`
	Own       []dataset.OwnField `json:"own,omitempty"` // fields of the chart's own
	Measures  []Measure          `json:"measures"`
	By        []Dimension        `json:"by,omitempty"`
	Split     *Dimension         `json:"split,omitempty"`
	Across    []Dimension        `json:"across,omitempty"` // further levels of the split
	Where     *filter.Condition  `json:"where,omitempty"`
	Instead   []string           `json:"instead,omitempty"` // fields whose conditions in Where stand instead of a dashboard's filter on them
	Compare   *Comparison        `json:"compare,omitempty"`
	Target    *Target            `json:"target,omitempty"`
	Results   []Result           `json:"results,omitempty"` // only groups that meet all of them
	DropZeros bool               `json:"drop_zeros,omitempty"`
	Gaps      string             `json:"gaps,omitempty"` // 0 for counts and sums, none for others, when left out
	Lines     []Line             `json:"lines,omitempty"`
	Trend     bool               `json:"trend,omitempty"`
	Forecast  int                `json:"forecast,omitempty"` // so many steps ahead
	Also      []Beside           `json:"also,omitempty"`     // measures of other datasets on the same axis
	// Listed is set where single records are shown, and By are the fields that one is chosen by.
	Listed bool `json:"-"`
}

// upgrades bring charts of earlier versions to the one that is written.
var upgrades = upgrade.Chain{Kind: "chart", Steps: []upgrade.Step{sortOfGroup}}

// Version is the version of charts that is written.
var Version = upgrades.Version()

// Upgrade returns a chart, or a definition, as it is written now.
func Upgrade(data []byte) ([]byte, error) { return upgrades.Read(data) }

// ReadDefinition reads a definition, without looking at its dataset.
func ReadDefinition(data []byte) (d Definition, err error) {
	if data, err = Upgrade(data); err != nil {
		return d, err
	}
	return d, problem.Decode(data, &d)
}

// sortOfGroup makes version 2 of version 1: the sort, which stood beside the groups, is that
// of the first group.
func sortOfGroup(d map[string]any) {
	sort, ok := d["sort"]
	by, several := d["by"].([]any)
	if !ok || !several || len(by) == 0 {
		return
	}
	first, ok := by[0].(map[string]any)
	if !ok || first["sort"] != nil {
		return
	}
	first["sort"] = sort
	delete(d, "sort")
}

// MostOwn is how many fields of its own a definition may have.
const MostOwn = 8

// On is the dataset with the definition's own fields; without them where they do not suit
// it, which Check tells.
func (d Definition) On(ds *dataset.Dataset) *dataset.Dataset {
	if ds == nil || len(d.Own) == 0 || len(d.Own) > MostOwn || slices.Equal(d.Own, ds.Own()) {
		return ds
	}
	with, err := ds.With(d.Own...)
	if err != nil {
		return ds.Bare()
	}
	return with
}

// checkOwn tells in words what is wrong with the definition's own fields.
func (d Definition) checkOwn(ds *dataset.Dataset) error {
	if len(d.Own) > MostOwn {
		return problem.New(problem.TooMany, "own", "A chart has at most %d fields of its own.", MostOwn)
	}
	for i, o := range d.Own {
		place := fmt.Sprintf("own[%d]", i)
		for _, name := range formula.Uses(o.Formula) {
			if ds.Find(name) != nil {
				if _, err := Visible(ds, name); err != nil {
					return problem.At(place+".formula", err)
				}
			}
		}
		same := func(label string) bool { return strings.EqualFold(label, o.Label) }
		if slices.ContainsFunc(ds.Bare().Order(), func(f *dataset.Field) bool { return same(f.Label) }) || slices.ContainsFunc(d.Own[:i], func(o dataset.OwnField) bool { return same(o.Label) }) {
			return problem.New(problem.Invalid, place+".label", "There is a field called “%s” already.", o.Label)
		}
	}
	if len(d.Own) == 0 {
		return nil
	}
	_, err := ds.With(d.Own...)
	return err
}

// Dimensions returns the groups and the levels of the split as one list.
func (d Definition) Dimensions() []Dimension {
	dims := append([]Dimension{}, d.By...)
	if d.Split != nil {
		dims = append(dims, *d.Split)
	}
	return append(dims, d.Across...)
}

// Asks tells whether the definition needs more questions than one.
func (d Definition) Asks() bool {
	asks := d.Compare != nil || d.Target != nil || len(d.Also) > 0
	for _, dim := range d.Dimensions() {
		asks = asks || dim.Empty
	}
	return asks
}

// Others names the datasets that the definition speaks of besides its own: those beside it
// and the one of the plan that its target is taken from.
func (d Definition) Others() (out []string) {
	for _, b := range d.Also {
		out = append(out, b.Dataset)
	}
	if d.Target != nil && d.Target.Plan != "" {
		out = append(out, d.Target.Plan)
	}
	return out
}

// place names a dimension, given by its number, in the document.
func (d Definition) place(i int) string {
	switch {
	case i < len(d.By):
		return fmt.Sprintf("by[%d]", i)
	case i == len(d.By):
		return "split"
	}
	return fmt.Sprintf("across[%d]", i-len(d.By)-1)
}

// Most is how many measures a definition may have, and groups, and levels of a split.
const Most = 8

// Check tells in words what in the definition does not suit the dataset, or is still missing.
func (d Definition) Check(ds *dataset.Dataset) error {
	if d.Version != Version {
		return problem.New(problem.Invalid, "version", "This program computes version %d of a chart, not %d.", Version, d.Version)
	}
	if err := d.checkOwn(ds); err != nil {
		return err
	}
	ds = d.On(ds)
	if len(d.Measures) == 0 {
		return problem.New(problem.Missing, "measures", "Choose what to measure.")
	}
	if len(d.Measures) > Most || len(d.Dimensions()) > Most {
		return problem.New(problem.TooMany, "measures", "A chart has at most %d measures, and %d groups and splits.", Most, Most)
	}
	if len(d.Across) > 0 && d.Split == nil {
		return problem.New(problem.Invalid, "across", "Further levels of a split need a split.")
	}
	if d.Measures[0].Aside {
		return problem.New(problem.Invalid, "measures[0]", "The first measure is drawn; those after it may stand on labels and in tips only.")
	}
	for i, m := range d.Measures {
		err := m.check(ds)
		if err == nil && m.Then != nil {
			err = m.Then.check(m, d)
		}
		if err != nil {
			return problem.At(fmt.Sprintf("measures[%d]", i), err)
		}
	}
	if err := d.checkInstead(ds); err != nil {
		return err
	}
	if err := d.checkPer(ds); err != nil {
		return err
	}
	if err := d.checkBeside(); err != nil {
		return err
	}
	if err := d.checkSeveral(ds); err != nil {
		return err
	}
	if err := d.checkDimensions(ds); err != nil {
		return err
	}
	if err := d.checkResults(ds); err != nil {
		return err
	}
	if d.Where != nil {
		return problem.At("where", checkVisible(*d.Where, ds))
	}
	return nil
}

func (d Definition) checkDimensions(ds *dataset.Dataset) error {
	seen, dates := map[string]Dimension{}, 0
	for i, dim := range d.Dimensions() {
		place := d.place(i)
		f, err := Visible(ds, dim.Field)
		if err != nil {
			return problem.At(place, err)
		}
		// A date may divide twice: by what repeats and by a step, years laid over each other,
		// or by two things that repeat, such as weekday and hour.
		if before, twice := seen[dim.Field]; twice && (before.Part == dim.Part || before.Part == 0 && dim.Part == 0) {
			return problem.New(problem.Invalid, place+".field", "%s divides the chart already.", f.Label)
		}
		seen[dim.Field] = dim
		switch {
		case f.Type == field.Position:
			return problem.New(problem.Invalid, place+".field", "%s is a position and does not divide records.", f.Label)
		case dim.Part != 0:
			if !f.Type.Temporal() || f.Type == field.Date && dim.Part == period.HourOfDay {
				return problem.New(problem.Invalid, place+".part", "%s holds %s, which has no %s.", f.Label, f.Type.Words(), dim.Part)
			}
			if dim.Grain != 0 {
				return problem.New(problem.Invalid, place+".part", "A date is divided by a grain or by a part, not by both.")
			}
		case f.Type.Temporal():
			if dates++; dates > 1 {
				return problem.New(problem.Invalid, place+".field", "A chart has one time axis: %s is a second date.", f.Label)
			}
			if f.Type == field.Date && dim.Grain != 0 && dim.Grain < period.Day {
				return problem.New(problem.Invalid, place+".grain", "%s has no time of day, so it cannot be divided by %s.", f.Label, dim.Grain)
			}
			if dim.Cut() != 0 || dim.Empty || dim.Sort != nil && dim.Sort.By != "list" {
				return problem.New(problem.Invalid, place+".largest", "Steps of a time axis stand in order and are not cut; set a range of dates instead.")
			}
		case dim.Grain != 0:
			return problem.New(problem.Invalid, place+".grain", "%s is not a date and has no grain.", f.Label)
		}
		if err := d.checkCut(i, dim, ds); err != nil {
			return problem.At(place, err)
		}
	}
	return nil
}

// checkInstead checks that each field of Instead has a condition of its own.
func (d Definition) checkInstead(ds *dataset.Dataset) error {
	own := filter.Condition{}
	if d.Where != nil {
		own = *d.Where
	}
	for i, name := range d.Instead {
		f, err := Visible(ds, name)
		if err != nil {
			return problem.At(fmt.Sprintf("instead[%d]", i), err)
		}
		if !slices.ContainsFunc(own.TopLevel(), func(c filter.Condition) bool { return c.Field == name }) {
			return problem.New(problem.Missing, fmt.Sprintf("instead[%d]", i), "The chart has no condition on %s of its own, which could stand instead of the dashboard's.", f.Label)
		}
	}
	return nil
}

// checkCut checks what is kept of a dimension, and its order.
func (d Definition) checkCut(i int, dim Dimension, ds *dataset.Dataset) error {
	switch {
	case dim.Largest < 0 || dim.Smallest < 0 || dim.Cut() > MostKept || dim.Others && dim.Cut() == 0:
		return problem.New(problem.Invalid, "largest", "Keep from 1 to %d of the largest or of the smallest.", MostKept)
	case dim.Largest > 0 && dim.Smallest > 0:
		return problem.New(problem.Invalid, "smallest", "Keep the largest or the smallest, not both.")
	case dim.Least < 0 || dim.Least > 50:
		return problem.New(problem.Invalid, "least", "Values below 0 to 50 percent join Others.")
	case dim.Least > 0 && (dim.Within || !d.mergeable(ds) || !d.Measures[0].Additive()):
		return problem.New(problem.Invalid, "least", "Values below a share join Others where the first measure adds up, which is a count or a sum, and nothing is cut within each group.")
	case dim.Within && (dim.Cut() == 0 || i == 0 || i >= len(d.By) || d.By[i-1].OnAxis(ds)):
		return problem.New(problem.Invalid, "within", "Within each value of what? A cut within needs a group before it that is not a time axis.")
	}
	if (dim.Within || dim.Cut() > 0 && dim.Sort.Compared()) && !d.mergeable(ds) {
		return problem.New(problem.Invalid, "within", "A cut within each group, or by a comparison, needs measures that can be put together from parts; medians, percentiles and numbers of different values cannot.")
	}
	s := dim.Sort
	if s == nil {
		return nil
	}
	switch {
	case s.Measure < 0 || s.Measure >= len(d.Measures), s.By != "label" && s.By != "list" && s.By != "hand" && !s.ByFigure():
		return problem.New(problem.Invalid, "sort", "Sort by label, by list, by hand, by one of the measures or by its comparison.")
	case s.Compared() && d.Compare == nil:
		return problem.New(problem.Invalid, "sort", "There is no comparison to sort by.")
	case s.By == "hand" && len(s.Order) == 0:
		return problem.New(problem.Missing, "sort.order", "In which order?")
	}
	return nil
}

// mergeable tells whether all measures can be had from their parts.
func (d Definition) mergeable(ds *dataset.Dataset) bool {
	return !slices.ContainsFunc(d.Measures, func(m Measure) bool { return !m.mergeable(ds) })
}

// mergeable tells whether the measure can be had from its parts.
func (m Measure) mergeable(ds *dataset.Dataset) bool {
	e, err := m.Expr(ds)
	switch {
	case err != nil:
		return false
	case m.Of != nil:
		return m.Of.Aggregate.Is().Mergeable
	case e == nil:
		return m.Aggregate.Is().Mergeable
	}
	return !slices.ContainsFunc(e.Aggregates(), func(call formula.Aggregate) bool {
		return call.Of != nil && call.Distinct || !aggregate.InFormula(call.Func).Mergeable
	})
}

// checkResults checks what is done with results.
func (d Definition) checkResults(ds *dataset.Dataset) error {
	if d.Compare != nil {
		if f, _, err := d.Compared(ds); err != nil {
			return problem.At("compare", err)
		} else if d.Compare.Range != nil {
			if err := d.Compare.Range.Check(); err != nil {
				return problem.At("compare.range", err)
			}
		} else if _, twice := d.Laid(f.Name); twice {
			return problem.New(problem.Invalid, "compare", "Years laid over each other are compared already.")
		}
	}
	if d.Target != nil {
		if err := d.Target.check(d, ds); err != nil {
			return problem.At("target", err)
		}
	}
	for i, r := range d.Results {
		if err := r.check(d); err != nil {
			return problem.At(fmt.Sprintf("results[%d]", i), err)
		}
	}
	for i, l := range d.Lines {
		if err := l.check(d); err != nil {
			return problem.At(fmt.Sprintf("lines[%d]", i), err)
		}
	}
	if d.Gaps != "" && d.Gaps != GapsOpen && d.Gaps != GapsZero && d.Gaps != GapsBridged {
		return problem.New(problem.Invalid, "gaps", "Steps without records are a gap, zero or bridged.")
	}
	if d.Forecast < 0 || d.Forecast > 60 {
		return problem.New(problem.Invalid, "forecast", "A forecast goes 1 to 60 steps ahead.")
	}
	if (d.Trend || d.Forecast > 0) && (len(d.By) != 1 || !d.By[0].OnAxis(ds)) {
		return problem.New(problem.Invalid, "trend", "A trend or a forecast needs a time axis, and nothing else, to go along.")
	}
	return nil
}

// OnAxis tells whether a dimension is divided into steps of time.
func (d Dimension) OnAxis(ds *dataset.Dataset) bool {
	f := ds.Find(d.Field)
	return f != nil && f.Type.Temporal() && d.Part == 0
}

// Laid finds the repeating part over which years of a date are laid.
func (d Definition) Laid(name string) (part period.Part, ok bool) {
	axis := false
	for _, dim := range d.Dimensions() {
		if dim.Field == name && dim.Part != 0 {
			part = dim.Part
		} else if dim.Field == name {
			axis = true
		}
	}
	return part, axis && part != 0
}

// Compared finds the date whose condition a comparison shifts, and its place among the
// dimensions, -1 where it does not divide the chart.
func (d Definition) Compared(ds *dataset.Dataset) (*dataset.Field, int, error) {
	for i, dim := range d.Dimensions() {
		if dim.OnAxis(ds) {
			return ds.Find(dim.Field), i, nil
		}
	}
	name := ""
	if d.Compare != nil {
		name = d.Compare.On
	}
	if name == "" {
		name = ds.Date
	}
	if name == "" {
		return nil, 0, problem.New(problem.Missing, "on", "Compared by which date?")
	}
	f, err := Visible(ds, name)
	if err == nil && !f.Type.Temporal() {
		err = problem.New(problem.Invalid, "on", "%s is not a date.", f.Label)
	}
	return f, -1, err
}

// Visible finds a field that charts may refer to: to them a hidden one does not exist.
func Visible(ds *dataset.Dataset, name string) (*dataset.Field, error) {
	if f, err := ds.Field(name); err != nil || !f.Hidden {
		return f, err
	}
	return nil, problem.New(problem.NotFound, "field", "%s has no field “%s”.", ds.Title, ds.Called(name))
}

// checkVisible refuses hidden fields where a condition names them itself; a condition that
// the builder keeps by name may use them.
func checkVisible(c filter.Condition, ds *dataset.Dataset) error {
	for _, name := range c.Fields() {
		if _, err := Visible(ds, name); err != nil {
			return err
		}
	}
	if err := ds.CheckSettings(c); err != nil {
		return err
	}
	return c.In(ds.Context(nil, nil)).Check(dataset.NewScope(ds, nil, filter.Env{Bind: &statement.Binder{}, Calendar: period.ISO(time.UTC)}))
}

// CheckCondition tells in words what is wrong with a condition that a person set on a dataset.
func CheckCondition(c filter.Condition, ds *dataset.Dataset) error { return checkVisible(c, ds) }

// Settings returns the settings of the dataset that the definition's numbers depend on,
// by way of its fields, measures and conditions.
func (d Definition) Settings(ds *dataset.Dataset) []string {
	var names []string
	condition := func(c *filter.Condition) {
		if c != nil {
			whole := c.Unfolded(ds.Context(nil, nil).Named)
			names = append(names, whole.Fields()...)
			names = append(names, whole.Settings()...)
		}
	}
	for _, m := range d.Measures {
		names = append(names, m.Field)
		if e, err := m.Expr(ds); err == nil && e != nil {
			names = append(names, e.Uses()...)
		}
		condition(m.Where)
	}
	for _, dim := range d.Dimensions() {
		names = append(names, dim.Field)
	}
	condition(d.Where)
	condition(ds.BaseFilter)
	return ds.SettingsOf(names)
}
