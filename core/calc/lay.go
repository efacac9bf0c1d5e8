package calc

import (
	"sort"

	"golang.org/x/text/collate"
	"golang.org/x/text/language"

	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/sql"
)

// table puts groups and splits in their final order, fills gaps, computes measures and
// what is made of them. e is what came before; nil without a comparison.
func (c *computing) table(e *earlier) *Table {
	d := c.p.Definition
	by := len(d.By)
	t := &Table{Plan: c.p, Unplaced: c.unplaced, c: c, e: e, empty: len(c.cells) == 0 && !c.found}
	if t.Groups = c.groups; t.Groups == nil {
		t.Groups = c.combinations(0, by, e)
	}
	t.Splits = c.combinations(by, c.count, e)
	t.now = c.fill(t, c.begun, func(p place) (parts, bool) { return c.marg.at(p), true })
	if e != nil {
		t.Compared = e.plan
		t.was = c.fill(t, func([]Key) bool { return true }, e.at) // what lies before has begun
	}
	t.drop()
	t.shown, t.before = t.make(t.now), nil
	if t.was != nil {
		t.before = t.make(t.was)
	}
	if all := c.marg.at(place{}); all != nil {
		for _, u := range c.p.Unread {
			if n := whole(all[u.Column].is); n > 0 {
				why := "unreadable"
				if u.Undated {
					why = "undated"
				}
				t.Unplaced = append(t.Unplaced, Unplaced{Why: why, Field: u.Field, Count: n})
			}
		}
	}
	t.lines()
	return t
}

// fill computes the measures everywhere. at gives the components; it is not ok where
// there is no value to have. What has not begun has none where nothing is found.
func (c *computing) fill(t *Table, begun func([]Key) bool, at func(place) (parts, bool)) *sheet {
	by, m := len(c.p.Definition.By), &c.p.Measuring
	out := newSheet(len(t.Groups), len(t.Splits), len(c.p.Definition.Measures))
	empty := blank(c.p)
	total := func(values []field.Value, where place) {
		if p, ok := at(where); p != nil {
			p.values(m, values)
		} else if ok {
			empty.values(m, values)
		}
	}
	width := len(out.blank)
	room := make([]field.Value, len(out.cells)*width) // for all cells at once
	open := c.p.Definition.Gaps == query.GapsOpen || c.p.Definition.Gaps == query.GapsBridged
	all := make([]Key, c.count)
	for s, split := range t.Splits {
		total(out.splits[s], place{}.and(by, split))
	}
	for g, group := range t.Groups {
		copy(all, group)
		row := place{}.and(0, group)
		for s, split := range t.Splits {
			values := room[:width:width]
			room = room[width:]
			p, ok := at(row.and(len(group), split))
			switch {
			case !ok || t.empty:
			case p != nil:
				p.values(m, values)
				*out.at(g, s) = values
			case !open:
				if copy(all[by:], split); begun(all) {
					empty.values(m, values)
					*out.at(g, s) = c.zeroed(values)
				}
			}
		}
		if begun(all[:by]) {
			total(out.groups[g], row)
		}
	}
	total(out.total, place{})
	return out
}

// zeroed puts 0 where a group without records has no value, if the chart says so.
func (c *computing) zeroed(values []field.Value) []field.Value {
	if c.p.Definition.Gaps != query.GapsZero {
		return values
	}
	for i, v := range values {
		if v.IsEmpty() && c.p.Definition.Measures[i].Type(c.p.Dataset).Numeric() {
			values[i] = field.OfInt(0)
		}
	}
	return values
}

// begun tells whether what the keys stand for has begun, in years laid over each other too.
func (c *computing) begun(keys []Key) bool {
	for i, k := range keys {
		if !k.Begun {
			return false
		}
		d := c.p.Dims[i]
		if d.Part == 0 || k.Kind != One {
			continue
		}
		for j, year := range keys {
			if a := c.p.Dims[j].Axis; a != nil && year.Kind == Step && c.p.Dims[j].Field == d.Field {
				n, _ := k.Value.Decimal().Int64()
				if span, ok := a.Calendar.PartSpan(d.Part, int(n), year.From); ok && (span.From.After(a.Now) && !d.F.Planned() || c.bound.misses(span)) {
					return false
				}
			}
		}
	}
	return true
}

// combinations returns the keys of dimensions from to to in order: of a single one all
// that it has, of several all combinations that have records.
func (c *computing) combinations(from, to int, e *earlier) [][]Key {
	if from == to {
		return [][]Key{{}}
	}
	var out [][]Key
	places := make([]map[id]int, to-from)
	for i := range places {
		places[i] = map[id]int{}
		for n, k := range c.values(from+i, e) {
			places[i][k.id()] = n
			if to-from == 1 {
				out = append(out, []Key{*k})
			}
		}
	}
	if to-from == 1 {
		return out
	}
	seen, these := map[place]bool{}, 1<<to-1<<from
	for _, f := range c.cells {
		p := f.place().by(these)
		if seen[p] {
			continue
		}
		seen[p] = true
		hidden := false
		var keys []Key
		for i, k := range f.keys[from:to] {
			_, listed := places[i][k.id()]
			hidden = hidden || !listed
			keys = append(keys, *k)
		}
		if !hidden {
			out = append(out, keys)
		}
	}
	ordered := map[place]field.Value{}
	value := func(keys []Key, level int, s *query.Sort) field.Value {
		p := place{}.and(from, keys[:level+1])
		v, known := ordered[p]
		if !known {
			v = c.sorted(s, p, e)
			ordered[p] = v
		}
		return v
	}
	sort.SliceStable(out, func(i, j int) bool {
		for l := range places {
			a, b := &out[i][l], &out[j][l]
			if a.id() == b.id() {
				continue
			}
			// Values stand in the order of their figures within what is before them.
			if s := c.order(from + l); l > 0 && s.ByFigure() && a.Kind == One && b.Kind == One && c.p.Dims[from+l].Axis == nil && c.p.Dims[from+l].Part == 0 {
				x, y := value(out[i], l, s), value(out[j], l, s)
				if x.IsEmpty() != y.IsEmpty() {
					return y.IsEmpty()
				}
				if n := field.Compare(x, y); n != 0 {
					return n > 0 == s.Descending
				}
			}
			return places[l][a.id()] < places[l][b.id()]
		}
		return false
	})
	return out
}

// order is the sort of a dimension, the usual one where the chart names none.
func (c *computing) order(dim int) *query.Sort {
	d := c.p.Dims[dim]
	if d.Sort != nil {
		return d.Sort
	}
	if len(d.F.List) > 0 && d.Cut() == 0 {
		return &query.Sort{By: "list"}
	}
	if d.F.IsBin() && d.Cut() == 0 {
		return &query.Sort{By: "label"}
	}
	return &query.Sort{By: "measure", Descending: d.Smallest == 0}
}

// sorted is the value that a sort by figure looks at.
func (c *computing) sorted(s *query.Sort, where place, e *earlier) field.Value {
	var now, was field.Value
	if p := c.marg.at(where); p != nil {
		now = p.value(&c.p.Measuring, s.Measure)
	}
	if e != nil && s.By != "measure" {
		if p, ok := e.at(where); ok && p != nil {
			was = p.value(&c.p.Measuring, s.Measure)
		} else if ok {
			was = blank(c.p).value(&c.p.Measuring, s.Measure)
		}
	}
	return ranked(s.By, now, was)
}

// values returns the keys of one dimension in order. Others come after all values, then
// those without a value.
func (c *computing) values(dim int, e *earlier) []*Key {
	d := c.p.Dims[dim]
	if d.Axis != nil {
		out := make([]*Key, len(c.steps))
		for i := range c.steps {
			out[i] = &c.steps[i]
		}
		return out
	}
	seen := map[id]bool{}
	var keys, last []*Key
	take := func(k *Key) {
		if seen[k.id()] {
			return
		}
		seen[k.id()] = true
		switch {
		case k.Kind == One:
			keys = append(keys, k)
		case k.Kind == Others && !d.Together(): // only the kept are asked for; totals have all
		default:
			last = append(last, k)
		}
	}
	for _, f := range c.cells {
		take(f.keys[dim])
	}
	for _, k := range c.listed(dim) {
		take(k)
	}
	sort.Slice(last, func(i, j int) bool { return last[i].Kind < last[j].Kind })
	if d.Part != 0 && (d.Sort == nil || !d.Sort.ByFigure()) {
		return append(c.repeating(d, seen), last...)
	}
	c.sort(dim, keys, e)
	return append(keys, last...)
}

// listed returns the values that a dimension has besides those of its records: its list, or
// the linked records that the viewer may see, where it shows empty groups; and what
// datasets beside have.
func (c *computing) listed(dim int) (out []*Key) {
	d := c.p.Dims[dim]
	if len(c.cells) == 0 && c.count > 0 && d.Empty {
		return nil
	}
	if d.Empty && !d.F.IsLink() {
		for _, v := range d.F.List {
			if value, err := field.Parse(d.F.KeyType(), v); err == nil {
				out = append(out, keyed(Key{Kind: One, Value: value, Begun: true}))
			}
		}
	}
	return append(out, c.extra[dim]...)
}

// repeating puts the values of a repeating part into the calendar's order, with those
// that no record has in between.
func (c *computing) repeating(d sql.Dim, seen map[id]bool) []*Key {
	if len(seen) == 0 {
		return nil
	}
	var out []*Key
	for _, v := range c.p.Setting.Calendar.Values(d.Part) {
		k := keyed(Key{Kind: One, Value: field.OfInt(int64(v)), Begun: true})
		if seen[k.id()] || d.Cut() == 0 && !(d.Part == period.ISOWeek && v == 53) {
			out = append(out, k)
		}
	}
	return out
}

func (c *computing) sort(dim int, keys []*Key, e *earlier) {
	s := c.order(dim)
	collator := collate.New(language.Und, collate.Numeric)
	places := map[string]int{}
	list := c.p.Dims[dim].F.List
	if s.By == "hand" {
		list = s.Order
	}
	for i, v := range list {
		places[v] = i + 1
	}
	switch {
	case s.ByFigure():
		values := map[id]field.Value{}
		for _, k := range keys {
			var where place
			where[dim] = k.id()
			values[k.id()] = c.sorted(s, where, e)
		}
		sort.Slice(keys, func(i, j int) bool { return before(values, keys[i], keys[j], s.Descending) })
	case c.p.Dims[dim].Axis != nil:
	case s.By == "list" || s.By == "hand":
		place := func(k *Key) int {
			if p := places[text(k)]; p != 0 {
				return p
			}
			return places[k.Value.Exact()]
		}
		sort.Slice(keys, func(i, j int) bool {
			a, b := place(keys[i]), place(keys[j])
			if a == 0 || b == 0 || a == b {
				if (a == 0) != (b == 0) {
					return b == 0
				}
				return byLabel(collator, keys[i], keys[j])
			}
			return (a < b) != s.Descending
		})
	default:
		sort.Slice(keys, func(i, j int) bool {
			if s.Descending {
				return byLabel(collator, keys[j], keys[i])
			}
			return byLabel(collator, keys[i], keys[j])
		})
	}
}

// byLabel orders by the root collation of Unicode (UTS #10), digits by their value;
// equal labels by bytes, then by key.
func byLabel(order *collate.Collator, a, b *Key) bool {
	if a.Value.Type() != field.Text && a.Label == "" {
		return field.Compare(a.Value, b.Value) < 0
	}
	if n := order.CompareString(text(a), text(b)); n != 0 {
		return n < 0
	}
	if text(a) != text(b) {
		return text(a) < text(b)
	}
	return field.Compare(a.Value, b.Value) < 0
}
