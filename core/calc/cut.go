package calc

import (
	"slices"
	"sort"
	"unique"

	"eskadel/core/field"
)

// keeping is what the cut of one dimension keeps, by the parent that it is within, the zero
// id for none.
type keeping map[id]*among

// among is the values that are kept within one parent, and the key of all others.
type among struct {
	values map[id]bool
	names  []string // of the values
	others *Key
}

func (a *among) keep(k id, name string) {
	a.values[k] = true
	a.names = append(a.names, name)
}

// keepings reads what is kept as a reference names it; nil where a dimension is not cut.
func keepings(kept [][]string) []keeping {
	out := make([]keeping, len(kept))
	for i, values := range kept {
		if values == nil {
			continue
		}
		all := &among{values: map[id]bool{}}
		for _, v := range values {
			all.keep(unique.Make("="+v), v)
		}
		out[i] = keeping{id{}: all}
	}
	return out
}

// parent names what a cut of dimension i is within.
func (c *computing) parent(i int, keys []*Key) id {
	if !c.p.Dims[i].Within {
		return id{}
	}
	return keys[i-1].id()
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
			keys []*Key
			now  map[id]parts
		}
		parents := map[id]*ranking{}
		for _, f := range c.cells {
			k := f.keys[i]
			if k.Kind != One {
				continue
			}
			keys := f.keys
			if d.Within && kept[i-1] != nil {
				keys = append([]*Key{}, keys...)
				c.toOthers(keys[:i], kept)
			}
			r := parents[c.parent(i, keys)]
			if r == nil {
				r = &ranking{now: map[id]parts{}}
				parents[c.parent(i, keys)] = r
			}
			sum := r.now[k.id()]
			if sum == nil {
				r.keys = append(r.keys, k)
			}
			if merged := sum.merge(f.parts, c.p.Columns); sum == nil {
				r.now[k.id()] = merged
			}
		}
		measure, largest := d.Ranked()
		var was map[id]map[id]parts
		if d.Sort.Compared() && e != nil && e.whole != nil {
			was = e.byKey(i, kept)
		}
		kept[i] = keeping{}
		for name, r := range parents {
			values := map[id]field.Value{}
			for _, k := range r.keys {
				v := r.now[k.id()].value(&c.p.Measuring, measure)
				if was != nil {
					var then field.Value
					if p := was[name][k.id()]; p != nil {
						then = p.value(&c.p.Measuring, measure)
					}
					v = ranked(d.Sort.By, v, then)
				}
				values[k.id()] = v
			}
			sort.Slice(r.keys, func(a, b int) bool { return before(values, r.keys[a], r.keys[b], largest) })
			these := &among{values: map[id]bool{}}
			for _, k := range r.keys[:min(d.Cut(), len(r.keys))] {
				these.keep(k.id(), k.Value.Exact())
			}
			kept[i][name] = these
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
func before(values map[id]field.Value, a, b *Key, largest bool) bool {
	x, y := values[a.id()], values[b.id()]
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

func text(k *Key) string {
	if k.Label != "" {
		return k.Label
	}
	return k.Value.Exact()
}

// cut maps what is not kept to Others and merges every total that is needed.
func (c *computing) cut(kept []keeping) {
	cells := c.cells[:0]
	for _, f := range c.cells {
		c.toOthers(f.keys, kept)
		p := f.place()
		if of := c.marg[p]; of != nil {
			of.merge(f.parts, c.p.Columns)
			continue
		}
		c.marg[p] = f.parts
		cells = append(cells, f) // whose parts are its own
	}
	c.cells = cells
	c.total()
}

// toOthers replaces the keys that are not kept.
func (c *computing) toOthers(keys []*Key, kept []keeping) {
	for i, k := range keys {
		if kept[i] == nil || k.Kind != One {
			continue
		}
		parent := c.parent(i, keys)
		these := kept[i][parent]
		if these == nil {
			these = &among{}
			kept[i][parent] = these
		}
		if these.values[k.id()] {
			continue
		}
		if these.others == nil {
			others := Key{Kind: Others, Begun: true}
			if c.p.Dims[i].Within {
				others.Not = slices.Sorted(slices.Values(these.names))
			}
			these.others = keyed(others)
		}
		keys[i] = these.others
	}
}

// total merges the cells into every total that is needed.
func (c *computing) total() {
	every := 1<<c.count - 1
	for _, set := range c.p.Margins() {
		if set == every {
			continue // the cells themselves
		}
		for i := range c.cells {
			f := &c.cells[i]
			p := f.place().by(set)
			if of := c.marg[p]; of != nil {
				of.merge(f.parts, c.p.Columns)
			} else {
				c.marg[p] = of.merge(f.parts, c.p.Columns)
			}
		}
	}
}
