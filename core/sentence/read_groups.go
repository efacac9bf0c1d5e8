package sentence

import (
	"reflect"
	"slices"

	"eskadel/core/dataset"
	"eskadel/core/query"
)

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

// furthest tries to read something of each dataset there is, in that one's names, and keeps
// what goes furthest.
func (t *drafting) furthest(read func(set *dataset.Dataset) (keep func(), ok bool)) bool {
	own, from := t.v, t.at
	var best func()
	end := from
	for _, set := range t.others() {
		t.v, t.at = NewVocabulary(set, nil), from
		if keep, ok := read(set); ok && t.at > end {
			best, end = keep, t.at
		}
		t.v = own
	}
	if t.at = end; best == nil {
		return false
	}
	best()
	return true
}

// beside reads measures of another dataset.
func (t *drafting) beside() bool {
	if t.d.Sets == nil || !t.says(saysBeside) {
		return false
	}
	return t.furthest(func(set *dataset.Dataset) (func(), bool) {
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
		if len(b.Measures) == 0 || !t.says(saysOf) || !t.titled() {
			return nil, false
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
		return func() { t.d.Also = append(t.d.Also, b) }, true
	})
}

// titled reads the title of the dataset whose names are read, unless another's goes further.
func (t *drafting) titled() bool {
	rest := t.rest()
	found, n := t.v.at(rest, func(n name) bool { return n.naming == aDataset })
	if len(found) == 0 {
		return false
	}
	for _, set := range t.others() {
		title := words(set.Title)
		if len(title) <= n || len(title) > len(rest) || rest[0].quoted {
			continue
		}
		longer := true
		for i, word := range title {
			longer = longer && rest[i].word == word
		}
		if longer {
			return false
		}
	}
	t.at += n
	return true
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
