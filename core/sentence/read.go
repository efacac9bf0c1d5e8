package sentence

import (
	"slices"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/query"
)

// A Reading is what typed words were read as.
type Reading struct {
	Document  *chart.Document
	Unknown   []Unknown
	Corrected []Correction
	Others    []*Reading        // what the same words may mean besides
	Nothing   bool              // no part of it was understood
	Going     bool              // it asks how it is going, of what is usually looked at
	Also      *query.Comparison // what that is set beside, besides what the chart says
	Words     *Vocabulary       // in whose names it is read, those of its own fields among them
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
	v, own := v.owning(line, list, on)
	read := func(list []token, pick int) *attempt { return v.attempt(line, list, own, now, on, sets, pick) }
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
	out := &Reading{Document: first.d, Nothing: first.parts == 0, Corrected: corrected, Unknown: v.unknown(line, list, first.unknown), Going: first.going, Also: first.also, Words: v}
	for pick := 1; pick < first.several; pick++ {
		if other := read(list, pick); len(other.unknown) <= len(first.unknown) {
			out.Others = append(out.Others, &Reading{Document: other.d, Corrected: corrected, Unknown: v.unknown(line, list, other.unknown), Words: v})
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
	going   bool  // it is asked how it is going
	also    *query.Comparison
}

func (v *Vocabulary) attempt(line string, list []token, own []dataset.OwnField, now time.Time, on *chart.Document, sets query.Sets, pick int) *attempt {
	t := &drafting{reader: reader{v: v, line: line, tokens: list, now: now}, pick: pick}
	t.d = &chart.Document{Definition: query.Definition{Version: query.Version, Dataset: v.ds.Name}, Sets: sets, Now: now}
	if on != nil {
		t.d, t.on = clone(on), true
		t.d.Now = now
	}
	t.d.Own = own
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
	out.d, out.several, out.going, out.also = t.d, t.several, t.said.going, t.also
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
	said    struct{ measure, by, where, going bool }
	also    *query.Comparison // see Reading
	across  bool              // the last dimension was one of the split
	further bool              // a group was added by "and"

	pick    int // which of several things a name stands for
	several int // how many there were
}

// clause reads one part of the sentence.
func (t *drafting) clause() bool {
	from := t.at
	for _, part := range []func() bool{t.finished, t.owned, t.list, t.form, t.going, t.ranking, t.made, t.target, t.compare, t.results, t.zeros, t.lines, t.trend, t.beside, t.order, t.rather, t.split, t.steps, t.measures, t.cuts, t.only, t.dataset, t.groups, t.narrow} {
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
