package calc

import "eskadel/core/field"

// A sheet is the values of all measures in every place of a table.
type sheet struct {
	cells  map[[2]int][]field.Value
	groups [][]field.Value
	splits [][]field.Value
	total  []field.Value
	width  int // measures
}

func newSheet(groups, splits, width int) *sheet {
	s := &sheet{cells: map[[2]int][]field.Value{}, width: width, groups: make([][]field.Value, groups), splits: make([][]field.Value, splits), total: make([]field.Value, width)}
	for i := range s.groups {
		s.groups[i] = make([]field.Value, width)
	}
	for i := range s.splits {
		s.splits[i] = make([]field.Value, width)
	}
	return s
}

func (s *sheet) cell(group, split int) []field.Value {
	if v := s.cells[[2]int{group, split}]; v != nil {
		return v
	}
	return make([]field.Value, s.width)
}

// keep leaves only some groups, in the order given.
func (s *sheet) keep(groups []int) *sheet {
	out := &sheet{cells: map[[2]int][]field.Value{}, width: s.width, splits: s.splits, total: s.total}
	for to, from := range groups {
		out.groups = append(out.groups, s.groups[from])
		for split := range s.splits {
			if v := s.cells[[2]int{from, split}]; v != nil {
				out.cells[[2]int{to, split}] = v
			}
		}
	}
	return out
}

// clone copies the sheet, so that some values can be replaced.
func (s *sheet) clone() *sheet {
	copied := func(v []field.Value) []field.Value { return append([]field.Value{}, v...) }
	out := &sheet{cells: make(map[[2]int][]field.Value, len(s.cells)), width: s.width, total: copied(s.total)}
	for at, v := range s.cells {
		out.cells[at] = copied(v)
	}
	for _, v := range s.groups {
		out.groups = append(out.groups, copied(v))
	}
	for _, v := range s.splits {
		out.splits = append(out.splits, copied(v))
	}
	return out
}
