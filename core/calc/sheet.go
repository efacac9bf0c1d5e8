package calc

import (
	"slices"

	"eskadel/core/field"
)

// A sheet is the values of all measures in every place of a table.
type sheet struct {
	cells  [][]field.Value // by group, then by split; nil where there is none
	groups [][]field.Value
	splits [][]field.Value
	total  []field.Value
	blank  []field.Value // no value of any measure
}

// newSheet makes a sheet without values. All but the cells are cut from one piece of memory.
func newSheet(groups, splits, width int) *sheet {
	all := make([]field.Value, (groups+splits+2)*width)
	next := func() []field.Value {
		one := all[:width:width]
		all = all[width:]
		return one
	}
	s := &sheet{cells: make([][]field.Value, groups*splits), groups: make([][]field.Value, groups), splits: make([][]field.Value, splits), total: next(), blank: next()}
	for i := range s.groups {
		s.groups[i] = next()
	}
	for i := range s.splits {
		s.splits[i] = next()
	}
	return s
}

// at is where the values of a group and split are kept.
func (s *sheet) at(group, split int) *[]field.Value { return &s.cells[group*len(s.splits)+split] }

func (s *sheet) cell(group, split int) []field.Value {
	if v := *s.at(group, split); v != nil {
		return v
	}
	return s.blank
}

// keep leaves only some groups, in the order given.
func (s *sheet) keep(groups []int) *sheet {
	out := &sheet{splits: s.splits, total: s.total, blank: s.blank}
	n := len(s.splits)
	for _, from := range groups {
		out.groups = append(out.groups, s.groups[from])
		out.cells = append(out.cells, s.cells[from*n:(from+1)*n]...)
	}
	return out
}

// clone copies the sheet, so that some values can be replaced.
func (s *sheet) clone() *sheet {
	all := func(of [][]field.Value) [][]field.Value {
		of = slices.Clone(of)
		for i := range of {
			of[i] = slices.Clone(of[i])
		}
		return of
	}
	return &sheet{cells: all(s.cells), groups: all(s.groups), splits: all(s.splits), total: slices.Clone(s.total), blank: s.blank}
}
