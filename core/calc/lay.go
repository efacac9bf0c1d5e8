package calc

import (
	"sort"

	"golang.org/x/text/collate"
	"golang.org/x/text/language"

	"eskadel/core/field"
	"eskadel/core/query"
)

// lay puts groups and splits in their final order, fills gaps and computes measures.
func (c *computing) lay() {
	t, by := c.table, len(c.p.Definition.By)
	t.Groups = c.groups(by)
	t.Splits = []Key{{Kind: Whole, Begun: true}}
	if by < c.count {
		t.Splits = c.order1(by, nil)
	}
	empty := blank(c.p)
	compute := func(p parts) []field.Value {
		if p == nil {
			p = empty
		}
		return p.values(&c.p.Measuring)
	}
	all := make([]Key, c.count)
	found := len(c.cells) > 0
	for g, group := range t.Groups {
		copy(all, group)
		begun := true
		for _, k := range group {
			begun = begun && k.Begun
		}
		for s, split := range t.Splits {
			if by < c.count {
				all[by] = split
			}
			// A step that has not begun has no value.
			if p := c.marginal(all, func(int) bool { return true }); p != nil || found && begun {
				t.cells[[2]int{g, s}] = compute(p)
			}
		}
		t.groups = append(t.groups, compute(c.marginal(all, func(i int) bool { return i < by })))
	}
	for _, split := range t.Splits {
		if by < c.count {
			all[by] = split
		}
		t.splits = append(t.splits, compute(c.marginal(all, func(i int) bool { return i == by })))
	}
	t.total = compute(c.marginal(all, func(int) bool { return false }))
}

// groups returns the groups in order: all combinations that have records, and for a
// single dimension also empty steps and, on request, empty listed values.
func (c *computing) groups(by int) [][]Key {
	if by == 0 {
		return [][]Key{{}}
	}
	if by == 1 {
		var out [][]Key
		for _, k := range c.order1(0, c.p.Definition.Sort) {
			out = append(out, []Key{k})
		}
		return out
	}
	places := make([]map[string]int, by)
	for i := 0; i < by; i++ {
		places[i] = map[string]int{}
		var s *query.Sort
		if i == 0 {
			s = c.p.Definition.Sort
		}
		for n, k := range c.order1(i, s) {
			places[i][k.same()] = n
		}
	}
	seen := map[string]bool{}
	var out [][]Key
	for _, f := range c.cells {
		name := mask(f.keys[:by], func(int) bool { return true })
		if !seen[name] {
			seen[name] = true
			out = append(out, f.keys[:by])
		}
	}
	sort.Slice(out, func(i, j int) bool {
		for d := 0; d < by; d++ {
			a, b := places[d][out[i][d].same()], places[d][out[j][d].same()]
			if a != b {
				return a < b
			}
		}
		return false
	})
	return out
}

// order1 returns the keys of one dimension in order. Others come after all values,
// then those without a value.
func (c *computing) order1(dim int, s *query.Sort) []Key {
	d := c.p.Dims[dim]
	if d.Axis != nil {
		return c.steps
	}
	seen := map[string]bool{}
	var keys, last []Key
	for _, f := range c.cells {
		k := f.keys[dim]
		if seen[k.same()] {
			continue
		}
		seen[k.same()] = true
		if k.Kind == One {
			keys = append(keys, k)
		} else {
			last = append(last, k)
		}
	}
	listed := map[string]int{}
	for i, v := range d.F.List {
		listed[v] = i + 1
	}
	if d.Part != 0 {
		keys = c.repeating(d, keys, seen)
		return append(keys, last...)
	}
	if d.Empty && !d.F.IsLink() && (len(c.cells) > 0) {
		for _, v := range d.F.List {
			if value, err := field.Parse(d.F.KeyType(), v); err == nil && !seen["="+v] {
				keys = append(keys, Key{Kind: One, Value: value, Begun: true}.named())
			}
		}
	}
	sort.Slice(last, func(i, j int) bool { return last[i].Kind < last[j].Kind })
	c.sort(dim, keys, s, listed)
	return append(keys, last...)
}

// repeating puts the values of a repeating part into the calendar's order, with those
// that no record has in between.
func (c *computing) repeating(d query.Dim, keys []Key, seen map[string]bool) []Key {
	if len(c.cells) == 0 {
		return nil
	}
	var out []Key
	for _, v := range c.p.Setting.Calendar.Values(d.Part) {
		k := Key{Kind: One, Value: field.OfInt(int64(v)), Begun: true}.named()
		if seen[k.same()] || d.Largest == 0 {
			out = append(out, k)
		}
	}
	return out
}

func (c *computing) sort(dim int, keys []Key, s *query.Sort, listed map[string]int) {
	if s == nil {
		s = &query.Sort{By: "measure", Descending: true}
		if len(listed) > 0 && c.p.Dims[dim].Largest == 0 {
			s = &query.Sort{By: "list"}
		}
	}
	order := collate.New(language.Und, collate.Numeric)
	switch s.By {
	case "measure":
		values := map[string]field.Value{}
		probe := make([]Key, c.count)
		for _, k := range keys {
			probe[dim] = k
			if p := c.marginal(probe, func(i int) bool { return i == dim }); p != nil {
				values[k.same()] = p.values(&c.p.Measuring)[s.Measure]
			}
		}
		sort.Slice(keys, func(i, j int) bool {
			a, b := values[keys[i].same()], values[keys[j].same()]
			if !s.Descending && !a.IsEmpty() && !b.IsEmpty() && field.Compare(a, b) != 0 {
				return field.Compare(a, b) < 0
			}
			return larger(values, keys[i], keys[j])
		})
	case "list":
		sort.Slice(keys, func(i, j int) bool {
			a, b := listed[text(keys[i])], listed[text(keys[j])]
			if a == 0 || b == 0 || a == b {
				if (a == 0) != (b == 0) {
					return b == 0
				}
				return byLabel(order, keys[i], keys[j])
			}
			return (a < b) != s.Descending
		})
	default:
		sort.Slice(keys, func(i, j int) bool {
			if s.Descending {
				return byLabel(order, keys[j], keys[i])
			}
			return byLabel(order, keys[i], keys[j])
		})
	}
}

// byLabel orders by the root collation of Unicode (UTS #10), digits by their value;
// equal labels by bytes, then by key.
func byLabel(order *collate.Collator, a, b Key) bool {
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
