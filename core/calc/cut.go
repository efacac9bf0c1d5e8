package calc

import (
	"math/bits"
	"slices"
	"sort"
	"unique"

	"github.com/cockroachdb/apd/v3"

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
	c.number()
	for i, d := range c.p.Dims {
		if !d.Keeps() {
			continue
		}
		type ranking struct {
			keys []*Key
			now  map[id]parts
		}
		parents := map[id]*ranking{}
		cells := c.cells
		if !d.Within {
			cells = c.fold(cells, 1<<i, nil, true).cells
		}
		for _, f := range cells {
			k := f.keys[i]
			if k.Kind != One {
				continue
			}
			keys := f.keys
			if d.Within && kept[i-1] != nil {
				keys = append([]*Key{}, keys...)
				c.toOthers(&fine{keys: keys[:i]}, kept)
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
		if c.valued == nil {
			c.valued = make([]int, c.count)
		}
		for name, r := range parents {
			c.valued[i] += len(r.keys)
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
			most := len(r.keys)
			if d.Cut() > 0 {
				most = min(d.Cut(), most)
			}
			for _, k := range r.keys[:most] {
				if d.Least == 0 || c.share(r.now[k.id()], d.Least) {
					these.keep(k.id(), k.Value.Exact())
				}
			}
			kept[i][name] = these
		}
	}
	return kept
}

// share tells whether the first measure over some records is at least so many percent of
// that over all.
func (c *computing) share(of parts, percent int) bool {
	if c.whole == nil {
		for _, f := range c.cells {
			c.whole = c.whole.merge(f.parts, c.p.Columns)
		}
	}
	share := Share(of.value(&c.p.Measuring, 0), c.whole.value(&c.p.Measuring, 0)).Decimal()
	return share == nil || share.Cmp(apd.New(int64(percent), -2)) >= 0
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
	c.number()
	for i := range c.cells {
		c.toOthers(&c.cells[i], kept)
	}
	every := 1<<c.count - 1
	all := c.fold(c.cells, every, c.cells[:0], false)
	c.cells = all.cells
	folds := map[int]*folded{every: all}
	sets := c.p.Margins()
	slices.SortFunc(sets, func(a, b int) int { return bits.OnesCount(uint(b)) - bits.OnesCount(uint(a)) })
	for _, set := range sets {
		if folds[set] == nil {
			from := c.cells // or the fewest that are divided by these dimensions, too
			for more, f := range folds {
				if more&set == set && len(f.cells) < len(from) {
					from = f.cells
				}
			}
			folds[set] = c.fold(from, set, nil, true)
		}
	}
	c.marg.fold(folds, c.cells, c.sizes)
}

// number gives the keys of each dimension numbers from 0 on, by which cells are told apart
// quickly: 0 is Others, which there may be later. Keys that are the same have one number.
// Keys that were read have theirs; those of cells put together from others get them here.
func (c *computing) number() {
	if c.sizes != nil {
		return
	}
	c.sizes = make([]int, c.count)
	for dim := range c.sizes {
		byKey, byID := map[*Key]int32{}, map[id]int32{}
		byID[unique.Make(Key{Kind: Others}.Name())] = 0
		for i := range c.cells {
			k := c.cells[i].keys[dim]
			n, known := byKey[k]
			if !known {
				if n, known = byID[k.id()]; !known {
					n = int32(len(byID))
					byID[k.id()] = n
				}
				byKey[k] = n
			}
			c.cells[i].at[dim] = n
		}
		c.sizes[dim] = len(byID)
	}
}

// toOthers replaces the keys of a cell that are not kept.
func (c *computing) toOthers(f *fine, kept []keeping) {
	for i, k := range f.keys {
		if kept[i] == nil || k.Kind != One {
			continue
		}
		parent := c.parent(i, f.keys)
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
		f.keys[i], f.at[i] = these.others, 0
	}
}

// fold merges cells that differ only in dimensions without a bit in set: into out, which
// may be the beginning of cells, with their components or with copies.
func (c *computing) fold(cells []fine, set int, out []fine, copies bool) *folded {
	to := newFolded(set, c.sizes, len(cells))
	for i := range cells {
		f := &cells[i]
		if n := to.find(&f.at, int32(len(out)+1)); n > 0 {
			out[n-1].parts.merge(f.parts, c.p.Columns)
			continue
		}
		out = append(out, *f)
		if copies {
			out[len(out)-1].parts = parts(nil).merge(f.parts, c.p.Columns)
		}
	}
	to.cells = out
	return to
}
