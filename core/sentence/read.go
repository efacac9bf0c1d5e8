package sentence

import (
	"encoding/json"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
)

// A Reading is what typed words were read as.
type Reading struct {
	Document  *chart.Document
	Unknown   []Unknown
	Corrected []Correction
	Others    []*Reading // what the same words may mean besides
	Nothing   bool       // no part of it was understood
}

// An Unknown is a part of what was typed that stands for nothing.
type Unknown struct {
	Text     string
	From, To int      // bytes of the line
	Offers   []string // what could stand there
}

// A Correction is a word that was read as another.
type Correction struct {
	Typed, Read string
	From, To    int
}

// Read reads typed words as a chart of the dataset. on, where there is one, is the chart that
// they go on from. sets finds the datasets beside it.
func (v *Vocabulary) Read(line string, now time.Time, on *chart.Document, sets query.Sets) *Reading {
	list := tokens(line)
	read := func(list []token, pick int) *attempt { return v.attempt(line, list, now, on, sets, pick) }
	first := read(list, 0)
	var corrected []Correction
	for _, place := range first.unknown {
		if structure[list[place].word] || slices.Contains(fillers, list[place].word) {
			continue // no slip, but out of place
		}
		nearest := v.nearest(unaccented(strings.ToLower(list[place].text))) // as typed, not in the singular
		best, word, same := first, "", false
		for _, candidate := range nearest {
			other := slices.Clone(list)
			other[place].word, other[place].text = candidate, candidate
			if trying := read(other, 0); len(trying.unknown) < len(best.unknown) {
				best, word, same = trying, candidate, false
			} else if word != "" && len(trying.unknown) == len(best.unknown) {
				same = true
			}
		}
		if word != "" && !same {
			corrected = append(corrected, Correction{list[place].text, v.spelled(word), list[place].from, list[place].to})
			list = slices.Clone(list)
			list[place].word, list[place].text = word, word
			first = best
		}
	}
	out := &Reading{Document: first.d, Nothing: first.parts == 0, Corrected: corrected, Unknown: v.unknown(line, list, first.unknown)}
	for pick := 1; pick < first.several; pick++ {
		if other := read(list, pick); len(other.unknown) <= len(first.unknown) {
			out.Others = append(out.Others, &Reading{Document: other.d, Corrected: corrected, Unknown: v.unknown(line, list, other.unknown)})
		}
	}
	return out
}

// An attempt is one reading of some tokens.
type attempt struct {
	d       *chart.Document
	unknown []int // tokens
	several int   // how many things a name could stand for, where it was not clear
	parts   int   // of the sentence that were understood
}

func (v *Vocabulary) attempt(line string, list []token, now time.Time, on *chart.Document, sets query.Sets, pick int) *attempt {
	t := &drafting{reader: reader{v: v, line: line, tokens: list, now: now}, pick: pick}
	t.d = &chart.Document{Definition: query.Definition{Version: query.Version, Dataset: v.ds.Name}, Sets: sets, Now: now}
	if on != nil {
		t.d, t.on = clone(on), true
		t.d.Now = now
	}
	out := &attempt{}
	for t.at < len(list) {
		from := t.at
		if t.clause() {
			out.parts++
			continue
		}
		t.at = from + 1
		if word := list[from]; word.quoted || !slices.Contains(fillers, word.word) && !strings.Contains(",.?!;:", word.text) {
			out.unknown = append(out.unknown, from)
		}
	}
	t.settle()
	out.d, out.several = t.d, t.several
	return out
}

// unknown joins words that stand beside each other, and says what could stand there.
func (v *Vocabulary) unknown(line string, list []token, places []int) (out []Unknown) {
	for i, place := range places {
		t := list[place]
		if n := len(out); n > 0 && places[i-1] == place-1 {
			out[n-1].To, out[n-1].Text = t.to, line[out[n-1].From:t.to]
			continue
		}
		out = append(out, Unknown{Text: line[t.from:t.to], From: t.from, To: t.to})
	}
	for i := range out {
		out[i].Offers = v.offers(out[i].Text)
	}
	return out
}

// drafting is a chart that is being read.
type drafting struct {
	reader
	d  *chart.Document
	on bool // from a chart that was there

	last    func() *query.Dimension // what an order or a cut is of
	cut     *query.Dimension        // one that stands before what it is of
	listed  bool                    // a list of records
	formed  bool                    // a form was said
	said    struct{ measure, by, where bool }
	across  bool // the last dimension was one of the split
	further bool // a group was added by "and"

	pick    int // which of several things a name stands for
	several int // how many there were
}

// clause reads one part of the sentence.
func (t *drafting) clause() bool {
	from := t.at
	for _, part := range []func() bool{t.finished, t.list, t.form, t.going, t.ranking, t.made, t.target, t.compare, t.results, t.zeros, t.lines, t.trend, t.beside, t.order, t.rather, t.split, t.steps, t.measures, t.cuts, t.only, t.dataset, t.groups, t.narrow} {
		t.at = from
		if part() {
			t.sign(",")
			return true
		}
	}
	t.at = from
	return false
}

// form reads how the chart is drawn.
func (t *drafting) form() bool {
	t.says(saysAs)
	from, best := t.at, t.at
	for _, f := range chart.Forms() {
		for _, words := range append(saying{f.Words()}, otherForms[f]...) {
			t.at = from
			if t.pattern(words) && t.at > best {
				t.d.Form, best = f, t.at
			}
		}
	}
	t.at = best
	if best > from {
		t.formed = true
		return true
	}
	return false
}

// list reads that records are listed: "The Jobs with Kind and Yard".
func (t *drafting) list() bool {
	from := t.at
	if from == 0 && t.says(saysThe) {
		if found, n := t.v.at(t.rest(), func(n name) bool { return n.naming == aDataset || n.naming == aRecord }); len(found) > 0 {
			t.at += n
			t.numbered(found)
			t.listed = true
			return true
		}
	}
	t.at = from
	if !t.listed {
		return false
	}
	if t.says(saysWith) {
		if names := t.fields(); len(names) > 0 {
			t.d.Show = names
			return true
		}
	}
	t.at = from
	if t.says(saysOrder) {
		if f := t.field(nil); f != nil {
			at := t.at
			t.sign(",")
			last := t.says(saysLast)
			if !last {
				t.at = at
			}
			t.d.Order = &chart.Order{Field: f.Name, Descending: last}
			return true
		}
	}
	t.at = from
	if n, ok := t.counts(saysFirst); ok {
		t.d.Most = number(n[0])
		return true
	}
	return false
}

func number(s string) int {
	n, _, _ := apd.NewFromString(s)
	whole, _ := n.Int64()
	return int(whole)
}

// measures reads measures, with "and" between.
func (t *drafting) measures() bool {
	from := t.at
	again := (t.said.measure || t.on) && t.says(saysAnd)
	m, ok := t.measure()
	if !ok {
		t.at = from
		return false
	}
	if t.says(saysThose) {
		if c, ok := t.bracketed(); ok {
			m.Where = &c
		}
	}
	m.Aside = t.says(saysAside)
	if t.on && !t.said.measure && !again {
		t.d.Measures = nil
	}
	t.d.Measures, t.said.measure = append(t.d.Measures, m), true
	return true
}

// bracketed reads a condition in brackets, or one alone.
func (r *reader) bracketed() (filter.Condition, bool) {
	from := r.at
	if r.sign("(") {
		if c, ok := r.condition(); ok && r.sign(")") {
			return c, true
		}
	}
	r.at = from
	return r.single()
}

// measure reads one measure.
func (r *reader) measure() (m query.Measure, ok bool) {
	from := r.at
	defer func() {
		if !ok {
			r.at = from
		}
	}()
	if r.sign("`") {
		for start := r.at; r.at < len(r.tokens); r.at++ {
			if t := r.tokens[r.at]; !t.quoted && t.text == "`" {
				r.at++
				return query.Measure{Formula: strings.TrimSpace(r.line[r.tokens[start-1].to:t.from])}, true
			}
		}
		return m, false // it is not closed
	}
	// The name of a measure, unless what the language says there goes further.
	found, n := r.v.at(r.rest(), func(n name) bool { return n.naming == aMeasure })
	if len(found) > 0 && !r.meant(found) {
		found = nil
	}
	m, ok = r.computed()
	if end := r.at; len(found) > 0 {
		r.at = from + n
		kept := r.numbered(found)
		if !ok || end <= r.at {
			return query.Measure{Name: kept.name}, true
		}
		r.at = end
	}
	return m, ok
}

// computed reads a measure that is said by what is computed.
func (r *reader) computed() (m query.Measure, ok bool) {
	from := r.at
	defer func() {
		if !ok {
			r.at = from
		}
	}()
	if p, found := r.counts(saysPercentile); found {
		d, _, err := apd.NewFromString(p[0])
		if err != nil {
			return m, false
		}
		d.Exponent -= 2
		d.Reduce(d)
		return r.aggregated(query.Measure{Aggregate: aggregate.Percentile, P: d.Text('f')})
	}
	if r.says(saysDifferent) {
		if f := r.field(nil); f != nil {
			return query.Measure{Aggregate: aggregate.Distinct, Field: f.Name}, true
		}
		r.at = from
	}
	if r.says(saysNumberWith) {
		if f := r.field(nil); f != nil {
			return query.Measure{Aggregate: aggregate.Count, Field: f.Name}, true
		}
		r.at = from
	}
	if r.says(saysNumber) {
		if r.records() {
			return query.Measure{Aggregate: aggregate.Count, Field: query.Records}, true
		}
		if f := r.field(nil); f != nil {
			return query.Measure{Aggregate: aggregate.Distinct, Field: f.Name}, true
		}
		r.at = from
	}
	if a, found := oneOf(r, aggregations); found {
		if m, ok = r.aggregated(query.Measure{Aggregate: a}); ok {
			return m, true
		}
		r.at = from
	}
	if found, _ := r.v.at(r.rest(), func(n name) bool { return n.naming == aField }); len(found) == 0 || !r.meant(found) {
		return m, false
	}
	if f := r.field(numeric); f != nil {
		if next := r.at; true {
			if _, compared := r.op(); compared {
				return m, false // a condition begins
			}
			r.at = next
		}
		m = query.Measure{Aggregate: aggregate.Sum, Field: f.Name}
		if f.Usual != "" && aggregate.Name(f.Usual).Known() {
			m.Aggregate = aggregate.Name(f.Usual)
		}
		for _, total := range []struct {
			words string
			is    aggregate.Name
		}{{"in total", aggregate.Sum}, {"altogether", aggregate.Sum}, {"on average", aggregate.Average}} {
			if r.pattern(total.words) {
				m.Aggregate = total.is
			}
		}
		return m, true
	}
	return m, false
}

// meant tells whether a name that could begin a part of the sentence is one.
func (r *reader) meant(found []name) bool {
	t, _ := r.peek()
	return t.quoted || !structural(found[0].label)
}

// records reads a word for the dataset's records.
func (r *reader) records() bool {
	found, n := r.v.at(r.rest(), func(n name) bool { return n.naming == aRecord })
	r.at += n
	return len(found) > 0 || r.says(saysRecords)
}

// aggregated reads what an aggregation is of: a field, or what is measured per something.
func (r *reader) aggregated(m query.Measure) (query.Measure, bool) {
	from := r.at
	if r.pattern("the") {
		if of, ok := r.measure(); ok && r.says(saysPer) {
			per, at := query.Per{}, r.at
			f := (*dataset.Field)(nil)
			if per.Grain = r.grain(); per.Grain != 0 && r.pattern("of") {
				f = r.field(dated)
			}
			if step := r.at; f == nil {
				r.at = at
				if f = r.field(nil); f != nil || per.Grain == 0 {
					per.Grain = 0
				} else if f, r.at = r.date(), step; f != nil && r.tokens[step-1].word == "of" {
					r.at--
				}
			}
			if f != nil {
				per.Field = f.Name
				m.Of, m.Per = &of, &per
				return m, true
			}
		}
	}
	r.at = from
	f := r.field(func(f *dataset.Field) bool { return m.Aggregate.Is().Accepts(f.Type) && !f.IsLink() })
	if f == nil {
		return m, false
	}
	m.Field = f.Name
	return m, true
}

// made reads what is made of the last measure.
func (t *drafting) made() bool {
	if !t.says(saysAsA) {
		return false
	}
	then, ok := t.then()
	if ok {
		t.counted()
		t.d.Measures[len(t.d.Measures)-1].Then = &then
	}
	return ok
}

// counted measures the number of records where nothing else is measured.
func (t *drafting) counted() {
	if len(t.d.Measures) == 0 {
		t.d.Measures = []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}
	}
}

func (r *reader) then() (out query.Then, ok bool) {
	if n, found := r.counts(saysMovingShorter); found {
		return query.Then{MovingAverage: &query.MovingAverage{Steps: number(n[0]), Shorter: true}}, true
	}
	if n, found := r.counts(saysMoving); found {
		return query.Then{MovingAverage: &query.MovingAverage{Steps: number(n[0])}}, true
	}
	if r.says(saysRunning) {
		running := &query.RunningTotal{}
		if from := r.at; r.says(saysRestart) {
			if running.Restart = r.grain(); running.Restart == 0 {
				r.at = from
			}
		}
		return query.Then{RunningTotal: running}, true
	}
	return oneOf(r, thens)
}

// dataset reads the name of the dataset, or a word for its records.
func (t *drafting) dataset() bool {
	t.says(saysOf)
	found, n := t.v.at(t.rest(), func(n name) bool { return n.naming == aDataset || n.naming == aRecord })
	t.at += n
	if len(found) > 0 {
		t.numbered(found)
	}
	return len(found) > 0
}

// beside reads measures of another dataset.
func (t *drafting) beside() bool {
	if t.d.Sets == nil || !t.says(saysBeside) {
		return false
	}
	own, from := t.v, t.at
	defer func() { t.v = own }()
	for _, set := range t.others() {
		t.v, t.at = NewVocabulary(set, nil), from
		b := query.Beside{Dataset: set.Name}
		for {
			m, ok := t.measure()
			if !ok {
				break
			}
			if t.says(saysThose) {
				if c, ok := t.bracketed(); ok {
					m.Where = &c
				}
			}
			m.Aside = t.says(saysAside)
			if at := t.at; t.says(saysAsA) {
				if then, ok := t.then(); ok {
					m.Then = &then
				} else {
					t.at = at
				}
			}
			b.Measures = append(b.Measures, m)
			if !t.says(saysAnd) {
				break
			}
		}
		if len(b.Measures) == 0 || !t.says(saysOf) {
			continue
		}
		found, n := t.v.at(t.rest(), func(n name) bool { return n.naming == aDataset })
		if t.at += n; len(found) == 0 {
			continue
		}
		if t.says(saysByIts) {
			if f := t.field(nil); f != nil {
				b.By = f.Name
			}
		}
		if t.says(saysThose) {
			if c, ok := t.bracketed(); ok {
				b.Where = &c
			}
		}
		t.d.Also = append(t.d.Also, b)
		return true
	}
	return false
}

// All finds all datasets that a chart may speak of.
type All interface {
	query.Sets
	All() []*dataset.Dataset
}

func (t *drafting) others() []*dataset.Dataset {
	if all, ok := t.d.Sets.(All); ok {
		return all.All()
	}
	return nil
}

// dimension reads a field that divides, with its steps or its part.
func (r *reader) dimension() (dim query.Dimension, ok bool) {
	from := r.at
	f := r.field(divides)
	named := r.at
	r.at = from
	if dim.Part = r.part(); dim.Part != 0 {
		of, at := r.date(), r.at
		if r.pattern("of") {
			if f := r.field(dated); f != nil {
				of, at = f, r.at
			}
		}
		if r.at = at; of != nil && (f == nil || at > named) {
			dim.Field = of.Name
			return dim, true
		}
	}
	dim.Part, r.at = 0, named
	if f == nil {
		r.at = from
		return dim, false
	}
	dim.Field = f.Name
	if at := r.at; f.Type.Temporal() && !r.pattern(saysFitting.say()) && r.says(saysPer) {
		if dim.Grain = r.grain(); dim.Grain == 0 {
			r.at = at
		}
	}
	return dim, true
}

// date is the date that is meant where none is named.
func (r *reader) date() *dataset.Field {
	if f := r.v.ds.Find(r.v.ds.Date); f != nil {
		return f
	}
	for _, f := range r.v.ds.Visible() {
		if f.Type.Temporal() {
			return f
		}
	}
	return nil
}

// divide adds a group.
func (t *drafting) divide(dim query.Dimension) bool {
	if t.on && !t.said.by {
		t.d.By = nil
	}
	if t.cut != nil {
		dim.Largest, dim.Smallest, dim.Others = t.cut.Largest, t.cut.Smallest, t.cut.Others
		t.cut = nil
	}
	t.d.By, t.said.by, t.across = append(t.d.By, dim), true, false
	i := len(t.d.By) - 1
	t.last = func() *query.Dimension { return &t.d.By[i] }
	return true
}

// steps reads steps of time: "per week of Opened", "monthly", "over time".
func (t *drafting) steps() bool {
	dim := query.Dimension{}
	from := t.at
	if g, ok := oneOf(&t.reader, adverbs); ok {
		dim.Grain = g
	} else if t.says(saysPer) {
		if t.part() != 0 {
			return false
		}
		named := t.at
		dim.Grain = t.grain()
		step := t.at
		if t.at = named; t.field(nil) != nil && t.at >= step { // "by Year", where a field is called so
			if t.at = step; !t.pattern("of") || t.field(dated) == nil {
				return false
			}
		}
		t.at = step
	}
	if dim.Grain == 0 {
		if t.at = from; !t.says(saysFitting) {
			return false
		}
	}
	at, f := t.at, (*dataset.Field)(nil)
	if t.pattern("of") || t.pattern("in") {
		if f = t.field(dated); f == nil {
			t.at = at
		}
	} else {
		f = t.field(dated)
	}
	if f == nil {
		f = t.date()
	}
	if f == nil {
		return false
	}
	dim.Field = f.Name
	return t.divide(dim)
}

// groups reads "by Kind", "by Kind and Yard".
func (t *drafting) groups() bool {
	from := t.at
	further := (t.said.by || t.on) && (t.says(saysAndBy) || t.says(saysAnd))
	if !further && !t.says(saysBy) || t.at == from {
		return false
	}
	dim, ok := t.dimension()
	if !ok {
		return false
	}
	t.said.by = t.said.by || further
	t.further = t.further || further
	return t.divide(dim)
}

// split reads the split and its further levels.
func (t *drafting) split() bool {
	if t.across && t.d.Split != nil && t.says(saysAndBy) {
		dim, ok := t.dimension()
		if !ok {
			return false
		}
		t.d.Across = append(t.d.Across, dim)
		i := len(t.d.Across) - 1
		t.last = func() *query.Dimension { return &t.d.Across[i] }
		return true
	}
	if !t.says(saysSplit) {
		return t.on && t.pattern("no split") && t.unsplit()
	}
	dim, ok := t.dimension()
	if !ok {
		return false
	}
	t.d.Split, t.d.Across, t.across = &dim, nil, true
	t.last = func() *query.Dimension { return t.d.Split }
	return true
}

func (t *drafting) unsplit() bool {
	t.d.Split, t.d.Across = nil, nil
	return true
}

// cuts reads how many values are kept of the last dimension, or of the one that follows.
func (t *drafting) cuts() bool {
	cut := query.Dimension{}
	if n, ok := t.counts(saysLargest); ok {
		cut.Largest = number(n[0])
	} else if n, ok := t.counts(saysSmallest); ok {
		cut.Smallest = number(n[0])
	} else if n, ok := t.counts(saysLess); ok && t.last != nil {
		t.last().Least = number(n[0])
		return true
	} else if t.says(saysEmpty) && t.last != nil {
		t.last().Empty = true
		return true
	} else if t.says(saysOneMost) {
		cut.Largest = 1
	} else if t.says(saysOneLeast) {
		cut.Smallest = 1
	} else if t.says(saysTop) {
		cut.Largest = 10
	} else if t.says(saysBottom) {
		cut.Smallest = 10
	} else {
		return false
	}
	at := t.at
	named, _ := t.v.at(t.rest(), func(n name) bool { return n.naming == aField })
	if dim, ok := t.dimension(); ok && len(named) > 0 && !structural(named[0].label) { // "top 5 yards"
		dim.Largest, dim.Smallest = cut.Largest, cut.Smallest
		t.divide(dim)
		t.last().Others = t.says(saysOthers)
		if at := t.at; !t.pattern("by") || !t.measures() { // by which they are ranked
			t.at = at
		}
		return true
	}
	t.at = at
	if t.last == nil {
		t.cut = &cut
		t.cut.Others = t.says(saysOthers)
		return true
	}
	dim := t.last()
	dim.Largest, dim.Smallest = cut.Largest, cut.Smallest
	dim.Within = t.says(saysWithin)
	dim.Others = t.says(saysOthers)
	return true
}

// order reads what the last dimension is sorted by.
func (t *drafting) order() bool {
	if t.last == nil || !t.says(saysOrder) {
		return false
	}
	s, ok := t.sort()
	if ok {
		t.last().Sort = &s
	}
	return ok
}

func (t *drafting) sort() (s query.Sort, ok bool) {
	if value, any := t.peek(); any && t.says(saysHand) {
		value, any = t.peek()
		s.By = "hand"
		for any && value.quoted {
			s.Order = append(s.Order, value.text)
			t.at++
			at := t.at
			if !t.sign(",") {
				break
			}
			if value, any = t.peek(); !any || !value.quoted {
				t.at = at
				break
			}
		}
		return s, true
	}
	if s, ok = oneOf(&t.reader, orders); ok {
		return s, true
	}
	if s.By, ok = oneOf(&t.reader, figures); !ok {
		s.By = "measure"
	}
	if s.Measure, ok = t.figure(); !ok {
		return s, false
	}
	t.sign(",")
	s.Descending, _ = oneOf(&t.reader, directions)
	return s, true
}

// figure reads which of the chart's measures is meant.
func (t *drafting) figure() (int, bool) {
	if n, ok := t.counts(saysFigure); ok {
		return number(n[0]) - 1, true
	}
	m, ok := t.measure()
	if !ok {
		return 0, false
	}
	t.counted()
	i := slices.IndexFunc(t.d.Measures, func(known query.Measure) bool {
		known.Where, known.Then, known.Aside, known.Label, known.Format = nil, nil, false, "", ""
		return reflect.DeepEqual(known, m)
	})
	return i, i >= 0
}

// compare reads what the chart is compared with.
func (t *drafting) compare() bool {
	if !t.says(saysCompared) {
		return false
	}
	c := query.Comparison{}
	if t.says(saysWhole) || t.says(saysTime) { // a range, whatever it is called
	} else if c.With, _ = oneOf(&t.reader, earlier); c.With != "" {
		return t.compared(c)
	}
	if span, ok := t.span(); ok {
		c.Range = &span
	} else {
		return false
	}
	return t.compared(c)
}

// compared reads by which date a comparison is, and keeps it.
func (t *drafting) compared(c query.Comparison) bool {
	if at := t.at; t.says(saysOnDate) {
		if f := t.field(dated); f != nil {
			c.On = f.Name
		} else {
			t.at = at
		}
	}
	t.d.Compare = &c
	return true
}

// target reads what should be reached.
func (t *drafting) target() bool {
	target := query.Target{}
	switch {
	case t.says(saysTargets):
		if target.Grain = t.grain(); target.Grain == 0 || !t.sign(":") {
			return false
		}
		target.Steps = map[string]json.Number{}
		for {
			n, ok := t.decimal()
			if !ok || !t.pattern("from") {
				break
			}
			day, ok := t.day()
			if !ok {
				return false
			}
			target.Steps[day] = json.Number(n)
			at := t.at
			if !t.sign(",") {
				break
			}
			if _, ok := t.decimal(); !ok {
				t.at = at
				break
			}
			t.at = at + 1
		}
	case t.says(saysPlan):
		if !t.plan(&target) {
			return false
		}
	case t.says(saysTarget):
		n, ok := t.decimal()
		if !ok {
			return false
		}
		target.Constant = json.Number(n)
	default:
		return false
	}
	if at := t.at; t.says(saysFor) {
		var ok bool
		if target.Measure, ok = t.figure(); !ok {
			t.at, target.Measure = at, 0
		}
	}
	target.Label = t.called()
	t.d.Target = &target
	return true
}

// called reads a name that somebody gave.
func (r *reader) called() string {
	if from := r.at; r.says(saysCalled) {
		if t, any := r.peek(); any && t.quoted {
			r.at++
			return t.text
		}
		r.at = from
	}
	return ""
}

// plan reads a target that another dataset holds.
func (t *drafting) plan(target *query.Target) bool {
	own, from := t.v, t.at
	defer func() { t.v = own }()
	for _, set := range t.others() {
		t.v, t.at = NewVocabulary(set, nil), from
		m, ok := t.measure()
		if !ok {
			continue
		}
		if t.says(saysThose) {
			if c, ok := t.bracketed(); ok {
				m.Where = &c
			}
		}
		found, n := []name(nil), 0
		if t.says(saysOf) {
			found, n = t.v.at(t.rest(), func(n name) bool { return n.naming == aDataset })
		}
		if t.at += n; len(found) == 0 {
			continue
		}
		target.Plan, target.Planned = set.Name, &m
		if t.says(saysByIts) {
			if f := t.field(nil); f != nil {
				target.On = f.Name
			}
		}
		for {
			at, plan := t.at, t.v
			t.sign(",")
			t.v = own
			mine := t.field(nil)
			t.v = plan
			if mine == nil || !t.says(saysFor) || !t.pattern("its") {
				t.at = at
				break
			}
			theirs := t.field(nil)
			if theirs == nil {
				t.at = at
				break
			}
			if target.Fields == nil {
				target.Fields = map[string]string{}
			}
			target.Fields[mine.Name] = theirs.Name
		}
		return true
	}
	return false
}

// results reads conditions on what is computed.
func (t *drafting) results() bool {
	if !t.says(saysGroups) {
		return false
	}
	for {
		r := query.Result{}
		if value, ok := oneOf(&t.reader, figures); ok {
			r.Value = value
		}
		var ok bool
		if r.Measure, ok = t.figure(); !ok {
			return false
		}
		for {
			op, found := t.op()
			n, given := t.decimal()
			if !found || !given {
				return false
			}
			switch op {
			case filter.Above:
				r.Above = json.Number(n)
			case filter.AtLeast:
				r.AtLeast = json.Number(n)
			case filter.Below:
				r.Below = json.Number(n)
			case filter.AtMost:
				r.AtMost = json.Number(n)
			default:
				return false
			}
			at := t.at
			if t.says(saysAnd) {
				if _, more := t.op(); more {
					t.at = at + 1
					continue
				}
			}
			t.at = at
			break
		}
		t.d.Results = append(t.d.Results, r)
		if at := t.at; !t.says(saysAnd) || !t.says(saysWhose) {
			t.at = at
			return true
		}
	}
}

// zeros reads what becomes of groups of nothing, and of steps without records.
func (t *drafting) zeros() bool {
	if t.says(saysNoZeros) {
		t.d.DropZeros = true
		return true
	}
	how, ok := oneOf(&t.reader, gaps)
	if ok {
		t.d.Gaps = how
	}
	return ok
}

// lines reads lines across the chart.
func (t *drafting) lines() bool {
	if !t.says(saysLine) {
		return false
	}
	var list []query.Line
	for {
		l, ok := t.line()
		if !ok {
			break
		}
		list = append(list, l)
		at := t.at
		if t.says(saysAnd) {
			if next := t.at; true {
				if _, more := t.line(); more {
					t.at = next
					continue
				}
			}
		}
		t.at = at
		break
	}
	if len(list) == 0 {
		return false
	}
	t.d.Lines = append(t.d.Lines, list...)
	return true
}

func (t *drafting) line() (l query.Line, ok bool) {
	from := t.at
	t.pattern("the")
	if n, found := t.slots("{nth} percentile"); found {
		d, _, err := apd.NewFromString(n[0])
		if err != nil {
			return l, false
		}
		d.Exponent -= 2
		d.Reduce(d)
		l.At, l.P = "percentile", json.Number(d.Text('f'))
	} else if t.at = from; true {
		if at, found := oneOf(&t.reader, lineKinds); found {
			l.At = at
		} else if n, found := t.decimal(); found {
			l.Constant = json.Number(n)
		} else {
			return l, false
		}
	}
	if at := t.at; t.says(saysFor) {
		if l.Measure, ok = t.figure(); !ok {
			t.at, l.Measure = at, 0
		}
	}
	l.Label = t.called()
	return l, true
}

// trend reads the trend and the forecast.
func (t *drafting) trend() bool {
	from := t.at
	t.says(saysWith)
	t.says(saysAnd)
	trend := t.says(saysTrend)
	if trend {
		if at := t.at; !t.says(saysAnd) || !t.forecast() {
			t.at = at
		}
		t.d.Trend = true
		return true
	}
	if t.forecast() {
		return true
	}
	t.at = from
	return false
}

func (t *drafting) forecast() bool {
	n, ok := t.counts(saysForecast)
	if ok {
		t.d.Forecast = number(n[0])
	}
	return ok
}

// only reads the chart's own condition.
func (t *drafting) only() bool {
	if !t.says(saysWhere) {
		return false
	}
	c, ok := t.condition()
	if !ok {
		return false
	}
	t.admit(c)
	if at := t.at; t.sign(",") {
		if !t.rather() {
			t.at = at
		}
	}
	return true
}

// rather reads which of its conditions stand instead of the dashboard's.
func (t *drafting) rather() bool {
	if !t.says(saysInstead) {
		return false
	}
	names := t.fields()
	t.d.Instead = append(t.d.Instead, names...)
	return len(names) > 0
}

// admit adds a condition; going on from a chart, it stands for one on the same field.
func (t *drafting) admit(c filter.Condition) {
	if t.d.Where == nil {
		t.d.Where = &c
		return
	}
	var kept []filter.Condition
	for _, p := range t.d.Where.TopLevel() {
		if !(t.on && p.Field == c.Field && c.Field != "") {
			kept = append(kept, p)
		}
	}
	all := filter.And(append(kept, c)...)
	t.d.Where = &all
}

// narrow reads conditions that are said shortly: "rework", "for Tarn Quay", "last month",
// "cost over 2,000", "not late", "without boat".
func (t *drafting) narrow() bool {
	from := t.at
	if t.said.where {
		t.says(saysAnd)
	}
	not := false
	switch {
	case t.says(saysWithout):
		not = true
	case t.says(saysOnly):
		not = t.says(saysWithout)
	}
	c, ok := t.brief(not)
	if !ok {
		t.at = from
		return false
	}
	t.said.where = true
	t.admit(c)
	return true
}

func (t *drafting) brief(not bool) (c filter.Condition, ok bool) {
	from := t.at
	negated := func(c filter.Condition) (filter.Condition, bool) {
		if not {
			return filter.Negate(c), true
		}
		return c, true
	}
	if found, n := t.v.at(t.rest(), func(n name) bool { return n.naming == aCondition }); len(found) > 0 && t.meant(found) {
		t.at += n
		return negated(filter.Condition{Named: t.numbered(found).name})
	}
	if named, _ := t.v.at(t.rest(), func(n name) bool { return n.naming == aField }); len(named) == 0 || t.meant(named) {
		if c, ok := t.comparison(); ok {
			return negated(c)
		}
	}
	if span, ok := t.span(); ok && !not {
		if f := t.date(); f != nil {
			return filter.During(f.Name, span), true
		}
	}
	t.at = from
	if c, ok := t.valued(not); ok {
		return c, true
	}
	t.at = from
	f := t.field(nil)
	if f == nil {
		return c, false
	}
	// "kind rework": the field before its value
	if f.Type != field.Boolean {
		if values, ok := t.values(f); ok {
			return alternatives(f, values, not), true
		}
	}
	if f.Type == field.Boolean {
		return filter.Compare(f.Name, filter.Is, map[bool]string{true: "false", false: "true"}[not]), true
	}
	if at := from; not && t.at > at {
		return filter.Compare(f.Name, filter.Empty), true
	}
	if before := t.tokens[max(0, from-1)]; from > 0 && before.word == "with" {
		return filter.Compare(f.Name, filter.Filled), true
	}
	return c, false
}

// valued reads values of one field that is not named.
func (t *drafting) valued(not bool) (c filter.Condition, ok bool) {
	found, n := t.v.at(t.rest(), func(n name) bool { return n.naming == aValue })
	if n == 0 || len(found) == 0 {
		return c, false
	}
	var fields []*dataset.Field
	for _, n := range exact(found, t.typed(n)) {
		if !slices.Contains(fields, n.field) {
			fields = append(fields, n.field)
		}
	}
	f := fields[0]
	if len(fields) > 1 {
		t.several = max(t.several, len(fields))
		f = fields[min(t.pick, len(fields)-1)]
	}
	values, ok := t.values(f)
	return alternatives(f, values, not), ok
}

// going reads "how is this week going": the usual measures of the time that is named, beside
// the time before.
func (t *drafting) going() bool {
	if !t.says(saysHow) {
		return false
	}
	t.pattern("it")
	t.says(saysGoing)
	span, ok := t.span()
	if !ok {
		span = period.Relative{Named: "this week to date"}
	}
	if t.says(saysGoing); !ok && !slices.ContainsFunc(t.tokens, func(w token) bool { return w.word == "going" || w.word == "doing" }) {
		return false
	}
	date := t.date()
	if date == nil {
		return false
	}
	if whole, running := strings.CutPrefix(span.Named, "this "); running && !strings.Contains(whole, "to date") {
		span.Named += " to date" // as much of it as has passed is set beside as much of the one before
	}
	t.admit(filter.During(date.Name, span))
	t.d.Compare = &query.Comparison{With: query.PeriodBefore}
	if date.Name != t.v.ds.Date {
		t.d.Compare.On = date.Name
	}
	t.d.Measures = t.v.usual()
	t.said.measure, t.d.By, t.d.Split = true, nil, nil
	t.d.Form, t.formed = chart.KeyFigures, true
	return true
}

// usual is what is usually looked at of a dataset: the number of its records, its own measures,
// and what is usual of its numbers.
func (v *Vocabulary) usual() []query.Measure {
	out := []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}
	const most = 4
	for _, m := range v.ds.Measures {
		if kept, err := v.ds.Measure(m.Name); err == nil && kept.Expr.Type.Numeric() && len(out) < most {
			out = append(out, query.Measure{Name: m.Name})
		}
	}
	for _, f := range v.ds.Visible() {
		if a := aggregate.Name(f.Usual); f.Usual != "" && a.Known() && a.Is().Accepts(f.Type) && numeric(f) && len(out) < most {
			out = append(out, query.Measure{Aggregate: a, Field: f.Name})
		}
	}
	return out
}

// ranking reads a question for what has most: "which yard has the most jobs".
func (t *drafting) ranking() bool {
	if !t.says(saysWhich) {
		return false
	}
	dim, ok := t.dimension()
	if !ok {
		return false
	}
	t.says(saysHas)
	fewest := t.says(saysFewest)
	if !fewest && !t.says(saysMost) {
		return false
	}
	if !t.measures() {
		t.records()
	}
	if fewest {
		dim.Sort = &query.Sort{By: "measure"}
	}
	return t.divide(dim)
}

// values reads values of a field with commas, "and" or "or" between.
func (t *drafting) values(f *dataset.Field) (out []filter.Operand, ok bool) {
	for {
		o, found := t.operand(f, 0)
		if !found {
			return out, len(out) > 0
		}
		out = append(out, o...)
		at := t.at
		if t.sign(",") || t.says(saysOr) || t.says(saysAnd) {
			if next := t.at; !t.begins() {
				if _, more := t.operand(f, 0); more {
					t.at = next
					continue
				}
			}
		}
		t.at = at
		return out, true
	}
}

// alternatives is the condition that a field has one of some values, or none of them.
func alternatives(f *dataset.Field, values []filter.Operand, not bool) filter.Condition {
	op := map[[2]bool]filter.Op{{false, false}: filter.Is, {false, true}: filter.IsNot, {true, false}: filter.OneOf, {true, true}: filter.NoneOf}[[2]bool{len(values) > 1, not}]
	return filter.Condition{Field: f.Name, Op: op, Values: values}
}

// settle completes what was not said: the number of records is measured, and the form is one
// that fits.
func (t *drafting) settle() {
	d := t.d
	if t.listed || t.formed && d.Form.Lists() {
		if !t.formed {
			d.Form = chart.Records
		}
		t.counted()
		return
	}
	t.counted()
	if len(d.By) == 0 && d.Split != nil && !t.formed {
		d.By, d.Split = []query.Dimension{*d.Split}, nil
	}
	if len(d.By) == 2 && d.Split == nil && (t.further || !t.formed) { // time goes along the chart, the other splits it
		along := 0
		if d.By[1].OnAxis(t.v.ds) && !d.By[0].OnAxis(t.v.ds) {
			along = 1
		}
		other, split := clone(d), d.By[1-along]
		other.By, other.Split = []query.Dimension{d.By[along]}, &split
		if !t.formed || d.Fits(d.Form, t.v.ds) != nil && other.Fits(d.Form, t.v.ds) == nil {
			d.By, d.Split = other.By, other.Split
		}
	}
	if t.formed {
		return
	}
	if d.Compare != nil && d.Where != nil && !slices.ContainsFunc(d.Dimensions(), func(dim query.Dimension) bool { return dim.OnAxis(t.v.ds) }) {
		ended := t.ended(*d.Where)
		d.Where = &ended
	}
	for i := range d.By {
		if f := t.v.ds.Find(d.By[i].Field); f != nil && d.By[i].Cut() == 0 && t.v.ds.Many(f, 12) {
			d.By[i].Largest, d.By[i].Others = 10, true
		}
	}
	if d.Split != nil && d.Split.Cut() == 0 {
		if f := t.v.ds.Find(d.Split.Field); f != nil && t.v.ds.Many(f, 8) {
			d.Split.Largest, d.Split.Others = 6, true
		}
	}
	if t.on && d.Fits(d.Form, t.v.ds) == nil {
		return
	}
	forms := []chart.Form{chart.Bars, chart.Table}
	switch {
	case len(d.By) == 0:
		forms = []chart.Form{chart.KeyFigures}
	case d.By[0].OnAxis(t.v.ds) && d.Split != nil:
		forms = []chart.Form{chart.StackedColumns, chart.Line, chart.Table}
	case d.By[0].OnAxis(t.v.ds):
		forms = []chart.Form{chart.Columns, chart.Line, chart.Table}
	case d.Split != nil:
		forms = []chart.Form{chart.StackedBars, chart.Bars, chart.Table}
	}
	for _, f := range forms {
		if d.Form = f; d.Fits(f, t.v.ds) == nil {
			return
		}
	}
}

// ended ends what began at a date and has no end with today: it is compared with as long a time.
func (t *drafting) ended(c filter.Condition) filter.Condition {
	f := t.v.ds.Find(c.Field)
	if c.Op == filter.Within && c.Range.Since != "" && f != nil && !f.Planned() {
		return filter.During(c.Field, period.Relative{From: c.Range.Since, To: t.now.Format(time.DateOnly)})
	}
	if len(c.All) > 0 {
		all := make([]filter.Condition, len(c.All))
		for i, p := range c.All {
			all[i] = t.ended(p)
		}
		c.All = all
	}
	return c
}
