package calc

import (
	"iter"

	"eskadel/core/query"
)

// totals are the components of every place, cells and what they add up to: of cells that
// were folded where they were folded to, of what was read or taken over by their place.
type totals struct {
	placed  map[place]parts
	folds   map[int]*folded // by the dimensions that divide, a bit for each
	numbers []map[id]int32  // of the keys that folded cells have, by dimension
}

// folded are cells that differ in the dimensions dims alone, one for each of their places.
type folded struct {
	dims   []int
	sizes  []int // how many keys of each dimension have numbers
	cells  []fine
	first  []int32 // by place, the number from 1 of its cell; nil where there could be far more places than cells
	sparse map[[query.Most]int32]int32
}

// newFolded is empty, for the cells of at most so many rows in the dimensions of set.
func newFolded(set int, sizes []int, most int) *folded {
	f := &folded{sizes: sizes}
	all := 1
	for dim, size := range sizes {
		if set&(1<<dim) != 0 {
			f.dims = append(f.dims, dim)
			all = min(all*size, 1<<30)
		}
	}
	if all <= 4*most+16 {
		f.first = make([]int32, all)
	} else {
		f.sparse = make(map[[query.Most]int32]int32, most)
	}
	return f
}

// find returns the number from 1 of the cell at the keys' numbers. Where there is none it
// is 0, and becomes next.
func (f *folded) find(at *[query.Most]int32, next int32) (n int32) {
	if f.first != nil {
		where := 0
		for _, dim := range f.dims {
			where = where*f.sizes[dim] + int(at[dim])
		}
		if n = f.first[where]; n == 0 && next > 0 {
			f.first[where] = next
		}
		return n
	}
	var where [query.Most]int32
	for _, dim := range f.dims {
		where[dim] = at[dim]
	}
	if n = f.sparse[where]; n == 0 && next > 0 {
		f.sparse[where] = next
	}
	return n
}

// fold takes over what cells were folded to; by is their numbers' dimensions.
func (t *totals) fold(folds map[int]*folded, cells []fine, sizes []int) {
	t.folds, t.numbers = folds, make([]map[id]int32, len(sizes))
	for dim, size := range sizes {
		numbers, seen := make(map[id]int32, size), make([]bool, size)
		for i := range cells {
			if at := cells[i].at[dim]; !seen[at] {
				seen[at] = true
				numbers[cells[i].keys[dim].id()] = at
			}
		}
		t.numbers[dim] = numbers
	}
}

// at returns the components of a place; nil where it has no records.
func (t *totals) at(p place) parts {
	if len(t.placed) > 0 {
		if found, ok := t.placed[p]; ok {
			return found
		}
	}
	set, at := 0, [query.Most]int32{}
	for dim, numbers := range t.numbers {
		if p[dim] == (id{}) {
			continue
		}
		n, ok := numbers[p[dim]]
		if !ok {
			return nil
		}
		set |= 1 << dim
		at[dim] = n
	}
	f := t.folds[set]
	if f == nil {
		return nil
	}
	if n := f.find(&at, 0); n > 0 {
		return f.cells[n-1].parts
	}
	return nil
}

// put sets the components of a place.
func (t *totals) put(p place, of parts) {
	if t.placed == nil {
		t.placed = map[place]parts{}
	}
	t.placed[p] = of
}

// all goes over every place that has records.
func (t *totals) all() iter.Seq2[place, parts] {
	return func(yield func(place, parts) bool) {
		for p, of := range t.placed {
			if !yield(p, of) {
				return
			}
		}
		for set, f := range t.folds {
			for i := range f.cells {
				if !yield(f.cells[i].place().by(set), f.cells[i].parts) {
					return
				}
			}
		}
	}
}

// len is how many places have records.
func (t *totals) len() int {
	n := len(t.placed)
	for _, f := range t.folds {
		n += len(f.cells)
	}
	return n
}
