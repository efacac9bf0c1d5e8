package dataset

import (
	"fmt"
	"slices"
	"strings"

	"eskadel/core/field"
	"eskadel/core/problem"
)

// MostDrillPaths and MostSteps bound what a dataset says of drilling.
const (
	MostDrillPaths = 20
	MostSteps      = 8
)

// Divides tells whether records can be divided by a field, so that a drill may lead to it.
func (f *Field) Divides() bool {
	return !f.Hidden && f.Position == nil && (f.IsLink() || f.IsBin() || !f.Type.Numeric() || f.Type == field.Boolean)
}

// Sorts tells whether a field sorts records into kinds: each has one value of it, or none.
func (f *Field) Sorts() bool { return f.Divides() && !f.Several && !f.Type.Temporal() }

// CheckDrillPath tells in words what is wrong with a drill path.
func (d *Dataset) CheckDrillPath(path []string) error {
	if n := len(path); n < 2 || n > MostSteps {
		return problem.New(problem.Invalid, "", "A drill path leads through 2 to %d fields, from coarse to fine.", MostSteps)
	}
	return d.CheckSteps(path)
}

// CheckSteps tells in words what is wrong with the fields that a drill leads through.
func (d *Dataset) CheckSteps(path []string) error {
	for i, name := range path {
		f := d.fields[name]
		switch {
		case f == nil:
			return problem.New(problem.NotFound, "", "A drill leads to “%s”, which is no field of %s any more: take that step away.", name, d.Title)
		case !f.Divides():
			return problem.New(problem.Invalid, "", "A drill cannot lead to %s: %s cannot be divided by it.", f.Label, d.Record[1])
		case slices.Contains(path[:i], name):
			return problem.New(problem.Invalid, "", "A drill path leads to %s twice.", f.Label)
		}
	}
	return nil
}

func (d *Dataset) checkDrillPaths() error {
	if len(d.DrillPaths) > MostDrillPaths {
		return problem.New(problem.TooMany, "drill_paths", "A dataset has at most %d drill paths.", MostDrillPaths)
	}
	for i, path := range d.DrillPaths {
		if err := d.CheckDrillPath(path); err != nil {
			return problem.At(fmt.Sprintf("drill_paths[%d]", i), err)
		}
	}
	return nil
}

// Along says a drill path by the labels of those of its fields that are known here: to a viewer
// from whom one is kept, the path leads past it.
func (d *Dataset) Along(path []string) string {
	var out []string
	for _, name := range path {
		if f := d.fields[name]; f != nil {
			out = append(out, f.Label)
		}
	}
	return strings.Join(out, " › ")
}
