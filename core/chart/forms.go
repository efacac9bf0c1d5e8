package chart

import (
	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
)

// A shape is all that is particular of a form: what is said of it, what fits it, how much it
// carries and how it is drawn, or laid out from records.
type shape struct {
	Form
	words, purpose string
	besides        bool // it can show several datasets on one axis
	tells          bool // it is figures as text
	rigid          bool // nothing of it can be left out so that it carries less
	headline       bool // its figures stand by themselves
	bare           bool // it is shown over no records, too
	uses           Use  // the parts of a finish that it has a use for
	wide, high     int  // how large a new widget of it is; 0 for 6 by 5
	laid           Laid // of a list: which records, in which order
	fits           func(t *trying) error
	load           func(l *load, t *calc.Table) // nil for marks side by side
	draw           func(d *drawer) error
	roles          func(r *Roles, f *Finish, ds *dataset.Dataset) // which of its fields it takes
	list           func(w *lister, out *Listing) error
}

// Use is parts of a finish that only some forms have a use for.
type Use int

const (
	WithValueAxis     Use = 1 << iota
	WithCategoryAxis      // names along the other side
	WithCategoryScale     // which is a scale of values itself
	WithSecondAxis        // with how each measure is drawn
	WithPalette           // one colour, or one for each group
	WithGroupColours      // each group has its own colour
	WithBarWidth
	WithRamp
	WithSlices
	WithScale // of a gauge
	WithSpark
	WithBands
	WithStages // of a sequence
	WithLevels // that are open at first
	WithMerged // repeated cells
	WithTotals // and rules for cells
	WithHeading
	WithBegin
	WithEnd
	WithStage
	WithPosition
	WithPicture
	WithOutline
)

const axes = WithValueAxis | WithCategoryAxis | WithPalette

// Laid says which records a list has, and in which order, where its document does not.
type Laid struct {
	Own     bool // the fields that the document names, rather than those that the form takes
	Most    int
	Forward bool // the earliest first
	Monthly bool // those of one month
	Counted bool // with how many each stage has
}

// shapes are in the order in which menus offer them.
var shapes []shape

func init() {
	shapes = []shape{
		{Form: Columns, uses: axes | WithBarWidth, words: "columns", purpose: "compares amounts, above all along time", besides: true, fits: (*trying).sides, draw: (*drawer).axes},
		{Form: StackedColumns, uses: axes | WithBarWidth, words: "stacked columns", purpose: "shows an amount and what it is made of", besides: true, fits: (*trying).stacked, draw: (*drawer).axes},
		{Form: WholeColumns, uses: axes | WithBarWidth, words: "columns to 100%", purpose: "shows how the make-up changes, whatever the amount", fits: (*trying).stacked, draw: (*drawer).axes},
		{Form: Bars, uses: axes | WithBarWidth, words: "bars", purpose: "compares amounts of things with names", besides: true, fits: (*trying).sides, draw: (*drawer).axes},
		{Form: StackedBars, uses: axes | WithBarWidth, words: "stacked bars", purpose: "shows what the amount of each named thing is made of", besides: true, fits: (*trying).stacked, draw: (*drawer).axes},
		{Form: WholeBars, uses: axes | WithBarWidth, words: "bars to 100%", purpose: "compares the make-up of named things", fits: (*trying).stacked, draw: (*drawer).axes},
		{Form: Line, uses: axes, words: "a line", purpose: "follows an amount along time, or several against each other", besides: true, fits: (*trying).sides, draw: (*drawer).axes},
		{Form: Area, uses: axes, words: "an area", purpose: "follows one amount along time and shows its size", besides: true, fits: (*trying).sides, draw: (*drawer).axes},
		{Form: StackedArea, uses: axes, words: "a stacked area", purpose: "follows an amount and its parts along time", besides: true, fits: (*trying).stacked, draw: (*drawer).axes},
		{Form: WholeArea, uses: axes, words: "an area to 100%", purpose: "follows how shares move along time", fits: (*trying).stacked, draw: (*drawer).axes},
		{Form: Combined, uses: axes | WithSecondAxis, words: "columns and lines", purpose: "sets two measures of different size side by side, each with its axis", besides: true, fits: (*trying).combined, draw: (*drawer).axes},
		{Form: Pie, uses: WithSlices | WithGroupColours, words: "a pie", purpose: "shows a few shares of one whole", fits: (*trying).shares, load: slicesOf, draw: (*drawer).pie},
		{Form: Donut, uses: WithSlices | WithGroupColours, words: "a donut", purpose: "shows a few shares with the whole in the middle", fits: (*trying).shares, load: slicesOf, draw: (*drawer).pie},
		{Form: Scatter, uses: WithValueAxis | WithCategoryAxis | WithCategoryScale, words: "a scatter", purpose: "shows whether two measures go together, and what stands apart", fits: (*trying).scatter, draw: (*drawer).scatter,
			load: func(l *load, _ *calc.Table) { l.each, l.what, l.groups = 1, "points", MostMarks }},
		{Form: HeatMap, uses: WithCategoryAxis | WithRamp, words: "a heat map", purpose: "finds where two divisions meet most and least", fits: (*trying).crossed, load: crossings, draw: (*drawer).heat},
		{Form: RiskGrid, uses: WithCategoryAxis | WithBands, words: "a risk grid", purpose: "places risks by likelihood and severity, in bands of score", fits: (*trying).risks, load: crossings, draw: (*drawer).heat},
		{Form: Gauge, uses: WithScale | WithBands, bare: true, words: "a gauge", purpose: "shows one figure on its scale, with bands that say what is good", rigid: true, fits: (*trying).gauge, draw: (*drawer).gauge},
		{Form: KeyFigures, uses: WithSpark | WithBands, headline: true, bare: true, wide: 4, high: 2, tells: true, words: "key figures", purpose: "tells the headline: a number, its change, its target", besides: true, rigid: true, fits: (*trying).headline},
		{Form: Funnel, uses: WithStages, words: "a funnel", purpose: "shows how many reach each stage and how many go on", rigid: true, fits: (*trying).stages, draw: (*drawer).funnel},
		{Form: Radar, uses: WithValueAxis, words: "a radar", purpose: "compares profiles over a handful of measures or groups", besides: true, fits: (*trying).sides, draw: (*drawer).radar,
			load: func(l *load, _ *calc.Table) { l.what, l.groups = "spokes", MostSpokes }},
		{Form: Table, uses: WithMerged | WithTotals, wide: 12, high: 5, tells: true, words: "a table", purpose: "gives the figures themselves", besides: true, fits: func(*trying) error { return nil }, load: tabled},
		{Form: Grouped, uses: WithLevels | WithTotals, tells: true, words: "a grouped table", purpose: "gives figures by group with totals, and the details folded away", fits: (*trying).folded, load: tabled},
		{Form: Pivot, uses: WithLevels | WithTotals, tells: true, words: "a pivot", purpose: "crosses several levels both ways, with totals at each", fits: (*trying).nested, load: tabled},
		{Form: Records, uses: WithMerged, wide: 12, high: 5, laid: Laid{Own: true}, words: "a list of records", purpose: "lists the records themselves", list: (*lister).cards},
		{Form: Board, uses: WithHeading | WithStage, laid: Laid{Counted: true}, words: "a board", purpose: "sets records as cards in columns, one for each stage", list: (*lister).board,
			fits:  needs("A board needs a field with a pick list, whose values are its columns.", func(f *Finish) string { return f.Stage }, listed),
			roles: func(r *Roles, f *Finish, ds *dataset.Dataset) { r.Stage = Field(f.Stage, ds, listed) }},
		{Form: Cards, uses: WithHeading | WithPicture, laid: Laid{Most: 60}, words: "picture cards", purpose: "shows records with their pictures", list: (*lister).cards,
			roles: func(r *Roles, f *Finish, ds *dataset.Dataset) { r.Picture = Field(f.Picture, ds, none) }},
		{Form: Calendar, uses: WithHeading | WithBegin, laid: Laid{Monthly: true}, words: "a calendar", purpose: "shows records on their days", fits: dates, list: (*lister).calendar, roles: begins},
		{Form: Timeline, uses: WithHeading | WithBegin | WithEnd | WithStage, laid: Laid{Most: 60, Forward: true}, words: "a timeline", purpose: "shows records from their beginning to their end", fits: dates, list: (*lister).timeline,
			roles: func(r *Roles, f *Finish, ds *dataset.Dataset) {
				begins(r, f, ds)
				r.To = Field(f.To, ds, func(x *dataset.Field) bool { return dated(x) && x != r.From })
				r.Stage = Field(f.Stage, ds, none)
			}},
		{Form: Latest, uses: WithHeading | WithBegin, laid: Laid{Most: 30}, words: "the latest changes", purpose: "lists what has just happened", fits: dates, list: (*lister).latest, roles: begins},
		{Form: Plan, uses: WithHeading | WithStage | WithPosition | WithOutline, laid: Laid{Most: MostPoints}, words: "points on a plan", purpose: "shows where records lie on a plan or a map", list: (*lister).plan,
			fits: needs("Points need a field that holds positions.", func(f *Finish) string { return f.Position }, placed),
			roles: func(r *Roles, f *Finish, ds *dataset.Dataset) {
				r.Position, r.Stage = Field(f.Position, ds, placed), Field(f.Stage, ds, none)
			}},
	}
}

func (f Form) shape() *shape {
	for i := range shapes {
		if shapes[i].Form == f {
			return &shapes[i]
		}
	}
	return &shape{Form: f, words: f.Kind, fits: func(t *trying) error { return t.no("There is no form “%s”.", f.Kind) }}
}

// Words names the form in a sentence: "stacked columns".
func (f Form) Words() string { return f.shape().words }

// Purpose says what the form is for: "compares amounts, above all along time".
func (f Form) Purpose() string { return f.shape().purpose }

// Lists tells whether the form shows single records rather than figures.
func (f Form) Lists() bool { return f.shape().list != nil }

// Tells tells whether the form is figures as text.
func (f Form) Tells() bool { return f.shape().tells }

// Headlines tells whether the form's figures stand by themselves, each with its own change.
func (f Form) Headlines() bool { return f.shape().headline }

// Bare tells whether the form is shown over no records, too.
func (f Form) Bare() bool { return f.shape().bare }

// Uses tells whether the form has a use for a part of a finish.
func (f Form) Uses(part Use) bool { return f.shape().uses&part != 0 }

// Size is how large a new widget of the form is.
func (f Form) Size() (wide, high int) {
	if s := f.shape(); s.wide > 0 {
		return s.wide, s.high
	}
	return 6, 5
}

// Laid is which records a list of the form has where its document does not say.
func (f Form) Laid() Laid {
	out := f.shape().laid
	if out.Most == 0 {
		out.Most = MostListed
	}
	return out
}

func slicesOf(l *load, _ *calc.Table) { l.each, l.what, l.groups = 1, "slices", MostSlices }

func crossings(l *load, _ *calc.Table) { l.each, l.what, l.splits = 1, "cells", MostMarks }

func tabled(l *load, t *calc.Table) {
	l.most, l.what, l.splits, l.groups = 1<<30, "cells", max(1, mostColumns/max(1, t.Plan.Definition.Width())), 1<<30
}

func none(*dataset.Field) bool     { return false }
func dated(x *dataset.Field) bool  { return x.Type.Temporal() }
func listed(x *dataset.Field) bool { return len(x.List) > 0 }
func placed(x *dataset.Field) bool { return x.Type == field.Position }

// begins takes the date of the dataset, or the first there is.
func begins(r *Roles, f *Finish, ds *dataset.Dataset) {
	usual := dated
	if ds.Date != "" {
		usual = func(x *dataset.Field) bool { return x.Name == ds.Date }
	}
	r.From = Field(f.From, ds, usual)
}

// needs checks that a list has the field it stands on: the one named, or the first that suits.
func needs(words string, name func(*Finish) string, fits func(*dataset.Field) bool) func(*trying) error {
	return func(t *trying) error {
		x := t.ds.Find(name(t.d.finish()))
		if x == nil {
			x = Field("", t.ds, fits)
		}
		if x == nil || !fits(x) {
			return t.no("%s", words)
		}
		return nil
	}
}

func dates(t *trying) error {
	return needs(t.form.words+" needs a date.", func(f *Finish) string { return f.From }, dated)(t)
}
