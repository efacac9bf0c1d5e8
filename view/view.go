// Package view shows: what a viewer sees of a dashboard or a chart, in drawings, figures and
// words, the line above it, and the records behind its marks. What is computed it leaves to
// core, the asking to live.
package view

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/sentence"
	"eskadel/live"
	"eskadel/source"
)

// A Reader shows dashboards and charts to viewers, in words and drawings.
type Reader struct {
	*live.Engine
	profiled sync.Map // of the datasets that builders look at, by name
}

// NewReader returns a reader that asks an engine.
func NewReader(e *live.Engine) *Reader { return &Reader{Engine: e} }

// A View is a dashboard as one viewer sees it in one state.
type View struct {
	Engine  *Reader
	Doc     *dashboard.Document
	Version int // 0 for the draft
	Viewer  rule.Viewer
	State   dashboard.State
	Free    bool // the viewer may take things apart by whatever field they see
	Changes bool // the viewer may change records where a table of them lets them
	Whole   bool // the viewer may list records with all the fields that they see
	Fixed   bool // the viewer may not set filters
	Long    bool // lists are as long as they are, on paper
	Silent  bool // marks say nothing more when they are pointed at
	ctx     context.Context
	shared  map[string]map[string]string // of a draft, once they have been looked for
	looked  bool
}

// NewView checks the state against the document. ctx is that of the request.
func (e *Reader) NewView(ctx context.Context, d *dashboard.Document, version int, v rule.Viewer, s dashboard.State) (*View, error) {
	return &View{Engine: e, Doc: d, Version: version, Viewer: v, State: s, ctx: ctx}, s.Check(d)
}

// whole returns the chart document on a widget as its author made it, and its dataset; nil for a text.
func (v *View) whole(w *dashboard.Widget) (*chart.Document, *dataset.Dataset, error) {
	if w.Chart == nil {
		return nil, nil, nil
	}
	doc := w.Chart.Own
	if w.Chart.Library != "" {
		var err error
		if doc, err = v.Engine.Chart(v.ctx, w.Chart.Library, w.Chart.Version); err != nil {
			return nil, nil, err
		}
	}
	ds, err := v.Engine.Dataset(v.ctx, doc.Dataset, v.Viewer)
	ds = doc.On(ds)
	shared := *doc
	shared.Shared, shared.Sets = v.colours(), v.Engine.Sets(v.ctx, v.Viewer)
	return &shared, ds, err
}

// Document returns the chart document on a widget as the viewer looks at it, drilled down and
// closer, and its dataset; nil for a text.
func (v *View) Document(w *dashboard.Widget) (*chart.Document, *dataset.Dataset, error) {
	doc, ds, err := v.whole(w)
	if doc == nil || err != nil {
		return doc, ds, err
	}
	if len(v.State.Drills[w.ID]) > 0 {
		allowed := v.allowed(ds)
		for _, step := range v.State.Drills[w.ID] {
			if !allowed(step.Into) {
				return nil, nil, problem.New(problem.Forbidden, "drills."+w.ID, "The author of this dashboard does not let it be taken apart so.")
			}
		}
		if doc.Definition, err = v.State.Drilled(w, doc.Definition, ds, -1); err != nil {
			return nil, nil, err
		}
		doc = doc.Settled(ds)
	}
	if look, ok := v.State.Looks[w.ID]; ok {
		doc.Definition = doc.Looked(look, ds)
	}
	doc.Without = v.State.Hidden[w.ID]
	if sort, ok := v.State.Sorts[w.ID]; ok {
		doc = doc.Sorted(sort.Field, sort.Measure, sort.Descending, ds)
	}
	return doc, ds, nil
}

// sound is Document for what speaks of a whole page: of a widget that does not work, which
// says so in its place, it returns nothing.
func (v *View) sound(w *dashboard.Widget) (*chart.Document, *dataset.Dataset, error) {
	doc, ds, err := v.Document(w)
	for _, code := range []string{problem.Invalid, problem.Missing, problem.NotFound, problem.Forbidden, problem.Conflict} {
		if problem.Is(err, code) {
			return nil, nil, nil
		}
	}
	return doc, ds, err
}

// Chart is what dashboard.Reach asks of a widget: its chart before anything was drilled into.
func (v *View) Chart(w *dashboard.Widget) (query.Definition, *dataset.Dataset, error) {
	doc, ds, err := v.whole(w)
	if doc == nil || err != nil {
		return query.Definition{}, nil, err
	}
	return doc.Choosing(ds), ds, nil
}

// Zone is that of the workspace, for dashboard.Reach.
func (v *View) Zone() *time.Location { return v.Engine.Calendar().Zone }

// setting is the setting of a question on behalf of the view: with the values that the
// viewer has set.
func (v *View) setting(ds *dataset.Dataset, filters filter.Condition, at time.Time) (query.Setting, error) {
	s := v.Engine.Setting(ds, v.Viewer, filters, at)
	s.Settings = v.State.Settings
	for name, value := range v.State.Settings {
		if err := ds.CheckSetting(name, value); err != nil {
			return s, err
		}
	}
	return s, nil
}

// A Note says what a widget leaves out; its mark leads to those records.
type Note struct {
	Words string           `json:"words"`
	Mark  *marks.Reference `json:"mark,omitempty"`
	Cut   bool             `json:"cut,omitempty"` // of what the form cannot carry
}

// An Answer is what a widget shows.
type Answer struct {
	Title    string          `json:"title"`
	Subtitle string          `json:"subtitle,omitempty"`
	Caption  string          `json:"caption,omitempty"`
	NoTitle  bool            `json:"no_title,omitempty"`
	Form     string          `json:"form"`
	Sentence string          `json:"sentence"`
	Notes    []Note          `json:"notes,omitempty"` // what is left out, and what does not reach it
	Fresh    string          `json:"fresh"`           // when its records were read
	Live     bool            `json:"live"`            // whether their changes are heard
	Drawing  *chart.Drawing  `json:"drawing,omitempty"`
	Grid     *chart.Grid     `json:"grid,omitempty"`
	Figures  []chart.Figure  `json:"figures,omitempty"`
	Records  *Page           `json:"records,omitempty"`
	Listed   *chart.Listing  `json:"listed,omitempty"`  // records as a board, on a calendar and so on
	Nothing  string          `json:"nothing,omitempty"` // why there is nothing to show
	Whole    marks.Reference `json:"whole"`             // leads to all records of the chart
	How      []string        `json:"how,omitempty"`     // how the database was asked, in words
	Text     string          `json:"text,omitempty"`
	Host     string          `json:"-"`                // what comes before the paths of pictures
	Open     string          `json:"-"`                // what comes before the addresses of records
	Grain    string          `json:"grain,omitempty"`  // of the time axis
	Grains   []string        `json:"grains,omitempty"` // that it could have instead
	Closer   bool            `json:"closer,omitempty"` // only a part of the range is shown
	Trail    []string        `json:"trail,omitempty"`  // what was drilled into, from the top
	Parts    string          `json:"parts,omitempty"`  // by what the parts of the last are told apart
	Deeper   *Deeper         `json:"deeper,omitempty"` // into what its marks can be drilled next
	Cut      *chart.Document `json:"-"`                // the chart as its form can carry it, where that is less
}

// Unlink takes the addresses of records away, where nothing would open them.
func (a *Answer) Unlink() {
	if a.Records != nil {
		a.Records.Unlink()
	}
	if a.Listed != nil {
		a.Listed.Each(func(c *chart.ListCard) { c.Address = "" })
	}
}

// call says of the records of a list by what a click chooses them, and which cannot be chosen.
func (a *Answer) call(of *dashboard.Seen) {
	var selects []bool
	if of != nil {
		for _, c := range of.Selects() {
			selects = append(selects, c.Chosen)
		}
	}
	if a.Records != nil {
		for _, r := range a.Records.Rows {
			r.Call(selects)
		}
	}
	if a.Listed != nil {
		a.Listed.Each(func(c *chart.ListCard) { c.Call(selects) })
	}
}

// about is what a question about a widget needs: its chart, its dataset, under
// what they are asked, and in words what does not reach them.
type about struct {
	doc     *chart.Document // nil for a text
	ds      *dataset.Dataset
	setting query.Setting
	missed  []string
	waits   bool // nothing is to be shown yet
	within  bool // what is chosen is drawn within the whole
}

// about gathers what a question about a widget needs, at the time that a mark was drawn or, if it is zero, now.
func (v *View) about(w *dashboard.Widget, at time.Time) (q about, err error) {
	if q.doc, q.ds, err = v.Document(w); err != nil || q.doc == nil {
		return q, err
	}
	reach, err := v.Doc.Reach(w, q.ds, v.State, v.Viewer.Attributes, v, "")
	if err != nil {
		return q, err
	}
	if q.setting, err = v.setting(q.ds, reach.Condition, at); err != nil {
		return q, err
	}
	q.missed, q.waits = reach.Missed, reach.Waits
	if !reach.Highlight.IsZero() {
		if err := v.highlight(&q, reach); err != nil {
			return q, err
		}
	}
	for _, b := range q.doc.Also {
		set, err := v.Engine.Dataset(v.ctx, b.Dataset, v.Viewer)
		if err != nil {
			return q, err
		}
		// Which of its fields answer is said for the chart's own dataset only.
		reach, err := v.Doc.Reach(&dashboard.Widget{ID: w.ID}, set, v.State, v.Viewer.Attributes, v, "")
		if err != nil {
			return q, err
		}
		q.setting.Beside = append(q.setting.Beside, reach.Condition)
		q.missed = append(q.missed, reach.Missed...)
	}
	return q, nil
}

// highlight has what is chosen drawn within the whole; a chart that cannot show that is narrowed.
func (v *View) highlight(q *about, reach dashboard.Reach) error {
	if doc, ok := q.doc.Highlighted(reach.Highlight, q.ds); ok {
		doc.Title = sentence.Title(q.doc, q.ds)
		q.doc, q.within = doc, true
		return nil
	}
	q.missed = append(q.missed, "Narrowed by “"+reach.Chosen+"”: this chart cannot show a part within the whole.")
	var err error
	q.setting, err = v.setting(q.ds, filter.And(reach.Condition, reach.Highlight), q.setting.Now)
	return err
}

// Narrowed is the chart of a widget with what the dashboard is narrowed to as a condition of
// its own, so that it shows the same wherever it stands.
func (v *View) Narrowed(id string) (*chart.Document, error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return nil, err
	}
	return v.narrowedTo(w)
}

// Within is a chart that stands on no widget as the dashboard is narrowed: what it says of a
// field itself stands instead of what the dashboard says.
func (v *View) Within(d *chart.Document) (*chart.Document, error) {
	own := *d
	if own.Where != nil {
		for _, c := range own.Where.TopLevel() {
			if c.Field != "" && c.Part == 0 && !slices.Contains(own.Instead, c.Field) {
				own.Instead = append(slices.Clone(own.Instead), c.Field)
			}
		}
	}
	return v.narrowedTo(&dashboard.Widget{Chart: &dashboard.Chart{Own: &own}})
}

func (v *View) narrowedTo(w *dashboard.Widget) (*chart.Document, error) {
	q, err := v.about(w, time.Time{})
	if err != nil {
		return nil, err
	}
	if q.doc == nil {
		return nil, problem.New(problem.Invalid, "widget", "A text has nothing to be found in.")
	}
	return q.narrowed(), nil
}

// narrowed is the chart with what reaches it as a condition of its own.
func (q *about) narrowed() *chart.Document {
	d := *q.doc
	d.Where = filter.With(d.Where, q.setting.Filters)
	d.Instead = nil // nothing stands around it any more
	d.Also = slices.Clone(d.Also)
	for i := range d.Also {
		d.Also[i].Where = filter.With(d.Also[i].Where, q.setting.Beside[i])
	}
	return &d
}

// Parts say what of a drawn chart is wanted; they cost time.
type Parts int

const (
	Drawing Parts = 1 << iota // what is drawn
	Figures                   // the table of what is drawn
	Long                      // lists as long as they are
)

// Widget answers one widget.
func (v *View) Widget(id string, parts Parts) (*Answer, error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return nil, err
	}
	q, err := v.about(w, time.Time{})
	if err != nil {
		return nil, err
	}
	if q.doc == nil {
		return &Answer{Form: "text", Text: w.Text}, nil
	}
	if q.waits {
		return &Answer{Title: sentence.Title(q.doc, q.ds), Form: q.doc.Form.Kind, Nothing: "Nothing is chosen yet: choose a mark beside this to see it here."}, nil
	}
	if w.Scale != "" && parts&Drawing != 0 && len(v.State.Drills[id]) == 0 {
		q.doc = v.alike(w, q)
	}
	if v.Long {
		parts |= Long
	}
	a, err := v.Engine.Answer(v.ctx, q.doc, q.ds, v.Viewer, q.setting, v.Version, parts)
	if a != nil {
		if a.Records != nil && !v.Changes {
			a.Records.Edits = nil
		}
		if q.within && a.Drawing != nil {
			a.Drawing.Fade()
		}
		if v.Silent && a.Drawing != nil {
			a.Drawing.Silence()
		}
		only, wrong := v.only([]dashboard.Widget{*w})
		for _, one := range only {
			a.Notes = append(a.Notes, Note{Words: "This chart alone: " + one.set + "."})
		}
		for _, words := range q.missed {
			a.Notes = append(a.Notes, Note{Words: words})
		}
		if a.Nothing != "" && len(v.State.Narrow) > 0 {
			a.Nothing = "Nothing found for “" + v.State.Narrow[len(v.State.Narrow)-1].Words + "”."
		}
		a.Closer = v.State.Looks[id].Part != nil
		if a.Records != nil || a.Listed != nil {
			a.call(v.Doc.Clicked(w, v))
		}
		err = errors.Join(err, wrong, v.trail(a, w))
	}
	return a, err
}

// Answer computes a chart. An incomplete chart is answered with what is missing.
func (e *Reader) Answer(ctx context.Context, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting, version int, parts Parts) (*Answer, error) {
	a := &Answer{Title: sentence.Title(doc, ds), Form: doc.Form.Kind, Sentence: e.says(ctx, doc, ds, v)}
	if missing := sentence.Missing(doc, ds); missing != "" {
		a.Nothing = missing
		return a, nil
	}
	a.Subtitle, a.Caption, a.NoTitle = doc.Finishing().Subtitle, doc.Finishing().Caption, doc.Finishing().NoTitle
	if doc.Form.Lists() {
		return a, e.list(ctx, a, doc, ds, v, s, version, parts&Long != 0)
	}
	t, at, err := e.Table(ctx, doc.Computed(ds), ds, v, s)
	if err != nil {
		return nil, err
	}
	var cuts []string // what the form cannot carry
	if parts&Drawing != 0 {
		if doc, t, cuts, err = e.fitted(ctx, doc, t, ds, v, s); err != nil {
			return nil, err
		}
		if len(cuts) > 0 {
			a.Cut, a.Title, a.Sentence = doc, sentence.Title(doc, ds), e.says(ctx, doc, ds, v)
		}
	}
	a.Fresh, a.Live = e.fresh(ds, at)
	a.Whole = t.Reference(version, 0, nil)
	if parts&Figures != 0 {
		a.How = t.Explain()
	}
	if grain, offered := t.Plan.Offered(); grain != 0 && !doc.Finishing().Kept {
		a.Grain = grain.String()
		for _, g := range offered {
			a.Grains = append(a.Grains, g.String())
		}
	}
	for _, words := range cuts {
		a.Notes = append(a.Notes, Note{Words: words, Mark: &a.Whole, Cut: true})
	}
	a.Notes = append(a.Notes, Notes(t, version)...)
	if t.IsEmpty() && !doc.Form.Bare() {
		a.Nothing = "Nothing found: no " + ds.Record[1] + " meet what is set."
		return a, nil
	}
	if len(t.Groups) == 0 {
		a.Nothing = "No group meets the conditions on results."
		return a, nil
	}
	switch {
	case doc.Form.Headlines():
		a.Figures, err = e.figures(ctx, t, doc, ds, v, s)
	case doc.Form.Tells():
	case parts&Drawing != 0:
		if a.Drawing, err = chart.Draw(t, doc, version); err == nil {
			for _, words := range a.Drawing.Notes {
				a.Notes = append(a.Notes, Note{Words: words})
			}
		}
	}
	if p := problem.Of(err); p != nil && (p.Code == problem.TooMany || p.Code == problem.Invalid) {
		a.Nothing = p.Words
		return a, nil
	}
	if err != nil {
		return nil, err
	}
	if doc.Form.Headlines() && parts == Figures { // as a file has them
		a.Grid = chart.MakeGrid(t, doc, version)
	}
	if !doc.Form.Headlines() && (parts&Figures != 0 || doc.Form.Tells()) {
		a.Grid = chart.MakeFigures(t, doc, version)
		if parts&Drawing != 0 {
			if words := a.Grid.Cut(t.Manner()); words != "" {
				a.Notes = append(a.Notes, Note{Words: words, Mark: &a.Whole})
			}
		}
	}
	return a, nil
}

// Seen tells what a chart shows, for those who set how; nil where it computes nothing or
// cannot be drawn as it is.
func (e *Reader) Seen(ctx context.Context, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting) (*chart.Seen, error) {
	if doc.Form.Lists() {
		return nil, nil
	}
	t, _, err := e.Table(ctx, doc.Computed(ds), ds, v, s)
	if err != nil { // its figures are there without what they are held against
		bare := *doc
		bare.Form, bare.Target, bare.Compare, bare.Results = chart.Table, nil, nil, nil
		doc = &bare
		t, _, err = e.Table(ctx, doc.Computed(ds), ds, v, s)
	}
	if err == nil {
		doc, t, _, err = e.fitted(ctx, doc, t, ds, v, s)
	}
	if err != nil {
		return nil, err
	}
	var drawn *chart.Drawing
	if sentence.Missing(doc, ds) == "" && !doc.Form.Headlines() && !doc.Form.Tells() && !t.IsEmpty() && len(t.Groups) > 0 {
		drawn, _ = chart.Draw(t, doc, 0) // what it cannot draw is said where it would be
	}
	return chart.See(t, doc, drawn), nil
}

// says is a chart's sentence, in which the linked records that its conditions ask for have the
// names that the viewer knows them by; keys say the others.
func (e *Reader) says(ctx context.Context, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer) string {
	var known []sentence.Value
	for name, of := range sentence.LinkedKeys(doc, ds) {
		list, err := e.NamesOf(ctx, ds, name, of, v)
		if err != nil {
			continue
		}
		for _, one := range list {
			known = append(known, sentence.Value{Field: ds.Find(name), Key: one.Key, Label: one.Label})
		}
	}
	return sentence.NewVocabulary(ds, known).Text(doc)
}

// Told says in a sentence what a chart answers, in the names of a vocabulary.
func (e *Reader) Told(ctx context.Context, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting, names *sentence.Vocabulary, beside *query.Comparison) (string, error) {
	if doc.Form.Lists() || sentence.Missing(doc, ds) != "" {
		return "", nil
	}
	t, _, err := e.Table(ctx, doc.Computed(ds), ds, v, s)
	if err != nil {
		return "", err
	}
	if beside == nil {
		return names.Answer(doc, t, nil), nil
	}
	d := doc.Computed(ds)
	d.Compare = beside
	also, _, err := e.Table(ctx, d, ds, v, s)
	if err != nil {
		return "", err
	}
	return names.Answer(doc, t, also), nil
}

// fitted computes a chart anew while it has more than its form can carry: with the largest
// values only, or with larger steps.
func (e *Reader) fitted(ctx context.Context, doc *chart.Document, t *calc.Table, ds *dataset.Dataset, v rule.Viewer, s query.Setting) (*chart.Document, *calc.Table, []string, error) {
	var cuts []string
	for i, d := range t.Plan.Dims {
		if d.Axis != nil && d.Axis.Asked != 0 {
			doc = doc.Per(i, d.Axis.Grain)
			cuts = append(cuts, fmt.Sprintf("Per %s there would be more steps than can be drawn: it is shown per %s.", d.Axis.Asked, d.Axis.Grain))
		}
	}
	for range 3 {
		fit, words := doc.Fitting(t)
		if fit == nil {
			break
		}
		again, _, err := e.Table(ctx, fit.Computed(ds), ds, v, s)
		if err != nil {
			return nil, nil, nil, err
		}
		doc, t, cuts = fit, again, append(cuts, words)
	}
	return doc, t, cuts, nil
}

// figures makes key figures, with the same measures along time where they have small lines.
func (e *Reader) figures(ctx context.Context, t *calc.Table, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting) ([]chart.Figure, error) {
	var along *calc.Table
	if doc.Finishing().Spark && ds.Date != "" {
		d := query.Definition{Version: query.Version, Dataset: ds.Name, Measures: doc.Measures, Where: doc.Where, By: []query.Dimension{{Field: ds.Date}}}
		var err error
		if along, _, err = e.Table(ctx, d, ds, v, s); err != nil {
			return nil, err
		}
	}
	return chart.Figures(t, along, doc), nil
}

// read is when records were read, in the workspace's zone; while the time is held, what it is held at.
func (e *Reader) read(at time.Time) time.Time {
	if e.Hub.Pinned() {
		at = e.Hub.Clock()
	}
	return at.In(e.Calendar().Zone)
}

// fresh says when a dataset's records were read, and whether their changes are heard.
func (e *Reader) fresh(ds *dataset.Dataset, at time.Time) (words string, live bool) {
	words = "as of " + e.read(at).Format("15:04:05")
	if !e.Hub.Heard(ds.Source) || !ds.Live() {
		return words + ", not live", false
	}
	return words + ", live", true
}

// Changed says when records of a dataset changed last, as far as that is heard.
func (e *Reader) Changed(ds *dataset.Dataset) string {
	at, since, heard := e.Hub.LastChanged(ds.Source, ds.Heard())
	say := func(t time.Time) string {
		return e.Manner().Date(t.In(e.Calendar().Zone), "2 Jan 2006") + ", " + t.In(e.Calendar().Zone).Format("15:04")
	}
	switch {
	case !heard || !ds.Live():
		return "whether records change is not heard"
	case at.Before(since):
		return "no record has changed since " + say(since)
	}
	return "records changed " + say(at)
}

// Notes says what a chart leaves out, those of the datasets beside it too.
func Notes(t *calc.Table, version int) []Note {
	out := notes(t, version, 0)
	for i, other := range t.Beside() {
		out = append(out, notes(other, version, i+1)...)
	}
	return out
}

// notes says what a chart leaves out; of the dataset beside with a number from 1, or its own.
func notes(t *calc.Table, version, beside int) []Note {
	var out []Note
	ds := t.Plan.Dataset
	if f := t.Plan.Definition.Overlaps(ds); f != nil {
		out = append(out, Note{Words: "One " + ds.Record[0] + " may count more than once: “" + f.Label + "” can hold several values. Totals count each once."})
	}
	for _, u := range t.Unplaced {
		are := "are"
		if u.Count == 1 {
			are = "is"
		}
		label := strings.ToLower(ds.Label(u.Field))
		if f := ds.Find(u.Field); u.Why == "outside" && f != nil && f.IsBin() {
			u.Why = "bins"
		}
		why := map[string]string{
			"none":        "%s without a date in “%s” %s not shown.",
			"outside":     "%s whose “%s” lies far outside the others %s not shown.",
			"later":       "%s whose “%s” lies in the future %s not shown.",
			"bins":        "%s in none of the bins of “%s” %s not shown.",
			"unplaceable": "%s whose “%s” cannot be read %s not shown.",
			"undated":     "%s without “%s” %s left out of what is measured per each.",
			"unreadable":  "%s whose “%s” cannot be read %s left out of its figures.",
		}[u.Why]
		mark := u.Reference(t, version)
		mark.Beside = beside
		out = append(out, Note{Words: fmt.Sprintf(why, format.Records(ds, u.Count), label, are), Mark: &mark})
	}
	if t.Dropped > 0 {
		groups, are := "groups", "are"
		if t.Dropped == 1 {
			groups, are = "group", "is"
		}
		out = append(out, Note{Words: fmt.Sprintf("%s %s that the conditions on results leave out %s not shown; totals have them.", t.Manner().Count(int64(t.Dropped)), groups, are)})
	}
	if t.Plan.Definition.Compare != nil && t.Compared == nil && !t.IsEmpty() {
		out = append(out, Note{Words: "All dates are shown, so nothing lies before them: set a range of dates, or compare with dates of your own."})
	}
	if t.Targets != nil && t.Targets.Withheld != "" {
		out = append(out, Note{Words: t.Targets.Withheld})
	}
	for _, d := range t.Plan.Dims {
		if r, ok := t.Plan.Together(d); ok {
			if years := format.Years(r); years != "" {
				out = append(out, Note{Words: years + " together."})
			}
		}
	}
	return out
}

// Tables returns what some widgets depend on, widget → tables, and for each of the tables
// which of its changes concern the viewer.
func (v *View) Tables(widgets []dashboard.Widget) (depends map[string]map[string]bool, concerns map[string]live.Concern, err error) {
	depends, concerns = map[string]map[string]bool{}, map[string]live.Concern{}
	for i := range widgets {
		doc, ds, failed := v.Document(&widgets[i])
		if failed != nil {
			err = errors.Join(err, failed)
			continue
		}
		if ds == nil {
			continue
		}
		tables := map[string]bool{}
		of := []*dataset.Dataset{ds}
		for _, b := range doc.Also {
			if set, err := v.Engine.Dataset(v.ctx, b.Dataset, v.Viewer); err == nil {
				of = append(of, set)
			}
		}
		for _, ds := range of {
			for _, t := range ds.Heard() {
				name := live.Table(ds.Source, t)
				tables[name] = true
				concern := v.concern(ds, t)
				if before, known := concerns[name]; known && (before == nil || concern == nil) {
					concern = nil
				}
				concerns[name] = concern
			}
		}
		depends[widgets[i].ID] = tables
	}
	return depends, concerns, err
}

// concern tells which changes of a table concern the viewer; nil for all of them.
func (v *View) concern(ds *dataset.Dataset, table string) live.Concern {
	t := ds.Linked(table)
	if t == nil || t.ID() != table || ds.Ruling(table) {
		return nil
	}
	sees := rule.Concerns(t, v.Viewer)
	if sees == nil {
		return nil
	}
	return func(c source.Change) bool { return sees(c.Values) }
}
