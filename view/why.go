package view

import (
	"cmp"
	"fmt"
	"math/big"
	"slices"
	"strings"
	"sync"
	"time"

	"eskadel/core/calc"
	"eskadel/core/cause"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/marks"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// Two marks that are compared, and what they call themselves: what is now, and what was before or is
// beside it.
type Two struct {
	Now, Before           marks.Reference
	NowWords, BeforeWords string
}

// Why is a difference taken apart.
type Why struct {
	Measure     string // "Net amount"
	Now, Before string // the figures
	NowWords    string
	BeforeWords string
	Is          string // the difference, with its sign
	Says        string // what explains it, in a sentence
	Refused     string // why it cannot be taken apart
	Ratio       bool
	Fields      []WhyField // those that explain most first
	Left        []string   // labels of fields whose parts do not add up
	Entered     *WhyMoved  // by record, of sums and counts: those that are there now only,
	Gone        *WhyMoved  // that were there before only,
	Both        *WhyMoved  // and those at both sides, which add nothing
}

// WhyMoved is how many records came or went, and what that adds.
type WhyMoved struct{ Records, Adds string }

// A WhyField is a field by whose values a difference is taken apart.
type WhyField struct {
	Name, Label string
	Parts       []WhyPart
	More        *WhyPart // all others together; nil for none
	score       float64
	says        string
}

// A WhyPart is what the records of one value add.
type WhyPart struct {
	Label             string
	Now, Before       string
	Adds, Size, Value string
	Key               *marks.Key // leads to its records; nil for several together
	Wide, From        int        // of its bar, in hundredths of the largest, and where that begins, with 100 for nothing
	Less              bool
}

// mostWhy is how many fields are asked, mostParts how many parts of each are listed.
const (
	mostWhy   = 24
	mostParts = 8
	whyAtOnce = 4
)

// sides are the conditions that the records of two marks meet, with the chart's dataset and
// definition, and the measure as it is taken apart.
type sides struct {
	ds          *dataset.Dataset
	d           query.Definition
	s           query.Setting
	measure     query.Measure
	now, before filter.Condition
}

func (v *View) sides(id string, two Two) (*sides, error) {
	q, err := v.recorded(id, two.Now)
	if err != nil {
		return nil, err
	}
	out := &sides{}
	for i, ref := range []marks.Reference{two.Now, two.Before} {
		d, ds, s, r, err := ref.Behind(q.doc.Computed(q.ds), q.ds, q.setting, v.Engine.Sets(v.ctx, v.Viewer))
		if err != nil {
			return nil, err
		}
		p, err := planner.NewRecords(d, ds, s, r)
		if err != nil {
			return nil, err
		}
		if i == 0 {
			out.ds, out.d, out.s, out.measure, out.now = ds, d, s, d.Measures[r.Measure], p.Where
			continue
		}
		if ds.Name != out.ds.Name || two.Now.Measure != two.Before.Measure {
			return nil, problem.New(problem.Invalid, "before", "These two show different measures: choose two marks of one.")
		}
		out.before = p.Where
	}
	out.measure.Where, out.measure.Aside = nil, false // the conditions hold it already
	out.s.Filters = filter.Condition{}
	return out, nil
}

// Why takes the difference between two marks of a widget apart.
func (v *View) Why(id string, two Two) (*Why, error) {
	of, err := v.sides(id, two)
	if err != nil {
		return nil, err
	}
	out := &Why{Measure: locale.Upper(chart.MeasureLabel(of.measure, of.ds)), NowWords: cmp.Or(two.NowWords, "now"), BeforeWords: cmp.Or(two.BeforeWords, "before")}
	if then := two.Before.Then; then != nil && two.BeforeWords == "" {
		out.BeforeWords = of.ds.Manner.Day(then.From) + " to " + of.ds.Manner.Day(then.To.Add(-time.Nanosecond))
	}
	m, err := cause.Of(of.measure, of.ds)
	if err != nil {
		out.Refused = problem.Of(err).Words
		return out, nil
	}
	out.Ratio = m.Under != nil
	whole, err := v.asked(of, m, "")
	if err != nil {
		return nil, err
	}
	n := writing(of, whole)
	out.Now, out.Before, out.Is = n.figure(whole.Now), n.figure(whole.Before), n.more(whole.Is())
	if whole.Now == nil || whole.Before == nil {
		out.Refused = "One side has no records that this could be taken of, so there is nothing to compare."
		return out, nil
	}
	if !out.Ratio {
		if err := v.moved(of, m, out, n); err != nil {
			return nil, err
		}
	}
	var names []string
	allowed := v.allowed(of.ds)
	for _, f := range of.ds.Visible() {
		switch {
		case !allowed(f.Name):
		case f.Sorts() && len(names) < mostWhy:
			names = append(names, f.Name)
		case f.Divides() && f.Several:
			out.Left = append(out.Left, f.Label)
		}
	}
	fields := make([]*WhyField, len(names))
	errs := make([]error, len(names))
	var all sync.WaitGroup
	turn := make(chan struct{}, whyAtOnce)
	for i, name := range names {
		all.Add(1)
		go func() {
			defer all.Done()
			turn <- struct{}{}
			defer func() { <-turn }()
			fields[i], errs[i] = v.whyField(of, m, name, n)
		}()
	}
	all.Wait()
	for i, f := range fields {
		switch {
		case problem.Is(errs[i], problem.TooMany): // of too many values to be told
			out.Left = append(out.Left, of.ds.Label(names[i]))
		case errs[i] != nil:
			return nil, errs[i]
		case f != nil:
			out.Fields = append(out.Fields, *f)
		}
	}
	slices.SortStableFunc(out.Fields, func(a, b WhyField) int { return cmp.Compare(b.score, a.score) })
	switch {
	case whole.Is().Sign() == 0:
		out.Says = "Both are the same; what some parts add, others take away."
	case len(out.Fields) > 0 && out.Fields[0].score >= telling:
		out.Says = out.Fields[0].says
	default:
		out.Says = "No few values of one field explain it: it is spread over all of them."
	}
	return out, nil
}

// telling is from which score on something is said to explain a difference.
const telling = 0.15

// asked takes a difference apart by a field, as it is on one snapshot; "" for the whole alone.
func (v *View) asked(of *sides, m cause.Measure, name string) (*answered, error) {
	t, _, err := v.Engine.Table(v.ctx, m.Question(of.d, of.before, of.now, name), of.ds, v.Viewer, of.s)
	if err != nil {
		return nil, err
	}
	side := func(figure func(measure int) calc.Figure, at int) cause.Side {
		s := cause.Side{Over: rat(figure(at).Base)}
		if m.Under != nil {
			s.Under = rat(figure(2 + at).Base)
		}
		return s
	}
	total := func(measure int) calc.Figure { return t.TotalFigure(measure) }
	before, now := side(total, 0), side(total, 1)
	var parts []cause.Part
	if name != "" {
		rest := cause.Part{Group: -1, Before: before, Now: now}
		for g := range t.Groups {
			figure := func(measure int) calc.Figure { return t.GroupFigure(g, measure) }
			p := cause.Part{Group: g, Before: side(figure, 0), Now: side(figure, 1)}
			rest.Before, rest.Now = less(rest.Before, p.Before), less(rest.Now, p.Now)
			parts = append(parts, p)
		}
		if !empty(rest.Before) || !empty(rest.Now) { // what no group can hold
			parts = append(parts, rest)
		}
	}
	d, err := m.Difference(before, now, parts)
	if err != nil && name != "" {
		return nil, nil
	}
	return &answered{d, t}, nil
}

type answered struct {
	cause.Difference
	table *calc.Table
}

// Is is the difference, 0 where one side has no figure.
func (a *answered) Is() *big.Rat {
	if a.Now == nil || a.Before == nil {
		return new(big.Rat)
	}
	return a.Difference.Is()
}

func rat(v field.Value) *big.Rat {
	r, ok := new(big.Rat).SetString(v.Exact())
	if v.IsEmpty() || !ok {
		return new(big.Rat)
	}
	return r
}

func less(a, b cause.Side) cause.Side {
	out := cause.Side{Over: new(big.Rat).Sub(a.Over, b.Over)}
	if a.Under != nil {
		out.Under = new(big.Rat).Sub(a.Under, b.Under)
	}
	return out
}

func empty(s cause.Side) bool {
	return s.Over.Sign() == 0 && (s.Under == nil || s.Under.Sign() == 0)
}

// whyField takes a difference apart by one field; nil where that has one value only.
func (v *View) whyField(of *sides, m cause.Measure, name string, n whyWriting) (*WhyField, error) {
	a, err := v.asked(of, m, name)
	if err != nil || a == nil || len(a.Parts) < 2 {
		return nil, err
	}
	out := &WhyField{Name: name, Label: of.ds.Label(name)}
	score, few := a.Explains()
	out.score = score
	parts := a.Parts
	if len(parts) > mostParts+1 {
		parts = append(slices.Clone(parts[:mostParts]), cause.Together(parts[mostParts:]))
	}
	var adds []*big.Rat
	largest := new(big.Rat)
	for _, p := range parts {
		adds = append(adds, p.Adds)
		if abs := new(big.Rat).Abs(p.Adds); abs.Cmp(largest) > 0 {
			largest = abs
		}
	}
	written, _ := cause.Written(adds, n.digits)
	var named []string
	made := new(big.Rat) // by those that are named
	for i, p := range parts {
		before, now := p.Figures(m.Under != nil)
		w := WhyPart{Label: "what cannot be read", Now: n.figure(now), Before: n.figure(before), Adds: n.written(written[i]), Less: p.Adds.Sign() < 0}
		if p.Group >= 0 {
			key := a.table.Groups[p.Group][0]
			_, w.Label = format.Key(a.table.Manner(), key, a.table.Plan.Dims[0])
			r := a.table.Reference(0, 0, []calc.Key{key})
			w.Key = &r.Keys[0]
		} else if i == mostParts && len(a.Parts) > mostParts+1 {
			w.Label = fmt.Sprintf("%s others", of.ds.Manner.Count(int64(len(a.Parts)-mostParts)))
		}
		if m.Under != nil {
			// What its value adds is the rest of what it adds as that is written.
			size, _ := cause.Written([]*big.Rat{p.Size}, n.digits)
			whole, _ := new(big.Rat).SetString(written[i])
			bySize, _ := new(big.Rat).SetString(size[0])
			w.Size, w.Value = n.written(size[0]), n.more(new(big.Rat).Sub(whole, bySize))
		}
		if largest.Sign() > 0 {
			wide, _ := new(big.Rat).Quo(new(big.Rat).Abs(p.Adds), largest).Float64()
			w.Wide = int(100*wide + 0.5)
		}
		if w.From = 100; w.Less {
			w.From -= w.Wide
		}
		if p.Group >= 0 && len(named) < few && p.Adds.Sign() == a.Is().Sign() {
			named, made = append(named, "“"+w.Label+"” "+w.Adds), made.Add(made, p.Adds)
		}
		if w.Key == nil && i == mostParts && len(a.Parts) > mostParts+1 {
			out.More = &w
			continue
		}
		out.Parts = append(out.Parts, w)
	}
	if len(named) > 0 {
		share, _ := new(big.Rat).Quo(made, a.Is()).Float64()
		out.says = fmt.Sprintf("%s explains most: %s, %.0f %% of the difference.", out.Label, strings.Join(named, ", "), 100*share)
	}
	return out, nil
}

// moved says by record what came, what went and what stayed.
func (v *View) moved(of *sides, m cause.Measure, out *Why, n whyWriting) error {
	both := filter.And(of.before, of.now)
	d := m.Question(of.d, of.before, of.now, "")
	count := query.Measure{Aggregate: "count", Field: query.Records}
	d.Measures = []query.Measure{m.Over.Among(of.before), m.Over.Among(of.now), m.Over.Among(both), count.Among(of.before), count.Among(of.now), count.Among(both)}
	t, _, err := v.Engine.Table(v.ctx, d, of.ds, v.Viewer, of.s)
	if err != nil {
		return err
	}
	get := func(measure int) *big.Rat { return rat(t.TotalFigure(measure).Base) }
	records := func(all, shared int) string {
		return format.Records(of.ds, new(big.Rat).Sub(get(all), get(shared)).Num().Int64())
	}
	entered, gone := new(big.Rat).Sub(get(1), get(2)), new(big.Rat).Sub(get(2), get(0))
	written, _ := cause.Written([]*big.Rat{entered, gone}, n.digits)
	out.Entered, out.Gone = &WhyMoved{records(4, 5), n.written(written[0])}, &WhyMoved{records(3, 5), n.written(written[1])}
	if get(5).Sign() > 0 {
		out.Both = &WhyMoved{format.Records(of.ds, get(5).Num().Int64()), n.more(new(big.Rat))}
	}
	return nil
}

// whyWriting is how figures and differences are written: all with the same digits.
type whyWriting struct {
	number format.Number
	digits int // after the point, of the value itself
}

func writing(of *sides, whole *answered) whyWriting {
	m := of.measure
	m.Format = ""
	n := whyWriting{number: format.Of(m, of.ds)}
	n.number.Compact = false
	places := n.number.Decimals
	if places < 0 {
		places = 0
		for _, r := range []*big.Rat{whole.Now, whole.Before} {
			for r != nil && places < 6 && new(big.Rat).Mul(r, big.NewRat(pow10(places), 1)).Denom().Cmp(big.NewInt(1)) != 0 {
				places++
			}
		}
	} else if n.number.Percent {
		places += 2
	}
	// So many that the difference has two digits that tell something.
	for is := new(big.Rat).Abs(whole.Is()); is.Sign() > 0 && places < 8 && is.Cmp(big.NewRat(10, pow10(places))) < 0; {
		places++
	}
	n.digits, n.number.Decimals = places, places
	if n.number.Percent {
		n.number.Decimals = max(places-2, 0)
	}
	return n
}

func pow10(n int) int64 {
	out := int64(1)
	for range n {
		out *= 10
	}
	return out
}

func (n whyWriting) figure(r *big.Rat) string {
	if r == nil {
		return format.Nothing
	}
	return n.number.Value(number(r.FloatString(n.digits)))
}

func (n whyWriting) more(r *big.Rat) string { return n.written(r.FloatString(n.digits)) }

func (n whyWriting) written(s string) string { return n.number.More().Value(number(s)) }

func number(s string) field.Value {
	v, _ := field.Parse(field.Number, s)
	return v
}

// WhyRecords lists the records of one side of a difference: of one value of a field, of all of them, or
// those that are at this side only.
func (v *View) WhyRecords(id string, two Two, before bool, name string, key *marks.Key, only bool, p Paging) (*Page, error) {
	of, err := v.sides(id, two)
	if err != nil {
		return nil, err
	}
	where, other := of.now, of.before
	if before {
		where, other = other, where
	}
	if only {
		where = filter.And(where, filter.Negate(other))
	}
	measure := of.measure
	measure.Format = "" // as exactly as the parts are written
	d := query.Definition{Version: query.Version, Dataset: of.d.Dataset, Own: of.d.Own, Measures: []query.Measure{measure}, Where: &where}
	ref := marks.Reference{Now: time.Time{}}
	if name != "" && key != nil {
		if f := of.ds.Find(name); f == nil || !f.Sorts() || !v.allowed(of.ds)(name) {
			return nil, problem.New(problem.Invalid, "field", "This field is not one that the difference was taken apart by.")
		}
		d.By, ref.Keys = []query.Dimension{{Field: name}}, []marks.Key{*key}
	}
	p.Words = map[bool]string{true: cmp.Or(two.BeforeWords, "before"), false: cmp.Or(two.NowWords, "now")}[before]
	return v.Engine.Drawer(v.ctx, &chart.Document{Definition: d, Form: chart.Table}, of.ds, v.Viewer, of.s, ref, p)
}
