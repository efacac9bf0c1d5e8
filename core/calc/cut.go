package calc

import (
	"sort"

	"eskadel/core/field"
)

// keeping is what the cut of one dimension keeps: by the parent that it is within, "" for
// none, the values.
type keeping map[string]map[string]bool

// keepings reads what is kept as a reference names it; nil where a dimension is not cut.
func keepings(kept [][]string) []keeping {
	out := make([]keeping, len(kept))
	for i, values := range kept {
		if values == nil {
			continue
		}
		among := map[string]bool{}
		for _, v := range values {
			among["="+v] = true
		}
		out[i] = keeping{"": among}
	}
	return out
}

// parent names what a cut of dimension i is within.
func (c *computing) parent(i int, keys []Key) string {
	if !c.p.Dims[i].Within {
		return ""
	}
	return keys[i-1].same()
}

// choose ranks the values of each dimension that is cut over all records, each dimension
// apart: those without a value last; ties by label in byte order, then by key. e is what
// came before, for ranking by a comparison; nil without one.
func (c *computing) choose(e *earlier) []keeping {
	kept := make([]keeping, c.count)
	for i, d := range c.p.Dims {
		if d.Cut() == 0 {
			continue
		}
		type ranking struct {
			keys []Key
			now  map[string]parts
		}
		parents := map[string]*ranking{}
		for _, f := range c.cells {
			k := f.keys[i]
			if k.Kind != One {
				continue
			}
			keys := f.keys
			if d.Within && kept[i-1] != nil && keys[i-1].Kind == One && !kept[i-1][c.parent(i-1, keys)][keys[i-1].same()] {
				keys = append([]Key{}, keys...)
				keys[i-1] = Key{Kind: Others, Begun: true}.named()
			}
			r := parents[c.parent(i, keys)]
			if r == nil {
				r = &ranking{now: map[string]parts{}}
				parents[c.parent(i, keys)] = r
			}
			if r.now[k.same()] == nil {
				r.keys = append(r.keys, k)
			}
			r.now[k.same()] = r.now[k.same()].merge(f.parts, c.p.Columns)
		}
		measure, largest := d.Ranked()
		var was map[string]map[string]parts
		if d.Sort.Compared() && e != nil && e.whole != nil {
			was = e.byKey(i, kept)
		}
		kept[i] = keeping{}
		for name, r := range parents {
			values := map[string]field.Value{}
			for _, k := range r.keys {
				v := r.now[k.same()].value(&c.p.Measuring, measure)
				if was != nil {
					var then field.Value
					if p := was[name][k.same()]; p != nil {
						then = p.value(&c.p.Measuring, measure)
					}
					v = ranked(d.Sort.By, v, then)
				}
				values[k.same()] = v
			}
			sort.Slice(r.keys, func(a, b int) bool { return before(values, r.keys[a], r.keys[b], largest) })
			kept[i][name] = map[string]bool{}
			for n, k := range r.keys {
				if n < d.Cut() {
					kept[i][name][k.same()] = true
				}
			}
		}
	}
	return kept
}

// ranked is what a sort by name looks at: a figure or its comparison.
func ranked(by string, now, was field.Value) field.Value {
	f := Figure{Base: now, Shown: now, Before: was}
	switch by {
	case "before":
		return was
	case "change":
		return f.Change()
	case "percent":
		return f.Percent()
	}
	return now
}

// before orders two keys by their values, largest first or smallest, those without one last.
func before(values map[string]field.Value, a, b Key, largest bool) bool {
	x, y := values[a.same()], values[b.same()]
	switch {
	case x.IsEmpty() != y.IsEmpty():
		return y.IsEmpty()
	case field.Compare(x, y) != 0:
		return field.Compare(x, y) > 0 == largest
	case text(a) != text(b):
		return text(a) < text(b)
	}
	return field.Compare(a.Value, b.Value) < 0
}

func text(k Key) string {
	if k.Label != "" {
		return k.Label
	}
	return k.Value.Exact()
}

// cut maps what is not kept to Others and merges every total that is needed.
func (c *computing) cut(kept []keeping) {
	merged := make(map[string]int, len(c.cells))
	cells := make([]fine, 0, len(c.cells))
	var room [128]byte
	for _, f := range c.cells {
		c.toOthers(f.keys, kept)
		name := masked(room[:0], f.keys, func(int) bool { return true })
		if at, ok := merged[string(name)]; ok {
			cells[at].parts.merge(f.parts, c.p.Columns)
			continue
		}
		merged[string(name)] = len(cells)
		cells = append(cells, f) // whose parts are its own
	}
	c.cells = cells
	c.total()
}

// toOthers replaces the keys that are not kept.
func (c *computing) toOthers(keys []Key, kept []keeping) {
	for i, k := range keys {
		if kept[i] == nil || k.Kind != One {
			continue
		}
		among := kept[i][c.parent(i, keys)]
		if among[k.same()] {
			continue
		}
		others := Key{Kind: Others, Begun: true}
		if c.p.Dims[i].Within {
			for same := range among {
				others.Not = append(others.Not, same[1:]) // without the sign of a value
			}
			sort.Strings(others.Not)
		}
		keys[i] = others.named()
	}
}

// total merges the cells into every total that is needed.
func (c *computing) total() {
	every := 1<<c.count - 1
	for _, set := range c.p.Margins() {
		chosen := func(i int) bool { return set&(1<<i) != 0 }
		var room [128]byte
		for i := range c.cells {
			f := &c.cells[i]
			name := masked(room[:0], f.keys, chosen)
			if set == every {
				c.marg[string(name)] = f.parts
			} else if of := c.marg[string(name)]; of != nil {
				of.merge(f.parts, c.p.Columns)
			} else {
				c.marg[string(name)] = of.merge(f.parts, c.p.Columns)
			}
		}
	}
}
