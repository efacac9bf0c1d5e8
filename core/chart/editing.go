package chart

import (
	"fmt"
	"slices"

	"eskadel/core/dataset"
	"eskadel/core/problem"
)

// An Editable is a field that somebody of some roles may change where the chart lists records.
type Editable struct {
	Field string   `json:"field"`
	Roles []string `json:"roles"`
}

// Edits are the fields that somebody of some roles may change where the chart lists records: what its
// author lets them and the dataset has changed.
func (d *Document) Edits(ds *dataset.Dataset, roles []string) (out []*dataset.Field) {
	if d.Form != Records {
		return nil
	}
	for _, e := range d.Edit {
		if f := ds.Find(e.Field); f != nil && !f.Hidden && ds.Edits(f) && dataset.Among(e.Roles, roles) {
			out = append(out, f)
		}
	}
	return out
}

func (d *Document) checkEdits(ds *dataset.Dataset) error {
	for i, e := range d.Edit {
		place := fmt.Sprintf("edit[%d]", i)
		f := ds.Find(e.Field)
		switch {
		case f == nil || f.Hidden:
			return problem.New(problem.NotFound, place+".field", "%s has no field “%s”.", ds.Title, e.Field)
		case slices.ContainsFunc(d.Edit[:i], func(o Editable) bool { return o.Field == e.Field }):
			return problem.New(problem.Invalid, place+".field", "“%s” is there twice.", f.Label)
		case !ds.Edits(f):
			return problem.New(problem.Invalid, place+".field", "“%s” of %s is not changed from here: the builder says which fields are.", f.Label, ds.Title)
		case len(e.Roles) == 0:
			return problem.New(problem.Missing, place+".roles", "Say who may change “%s”.", f.Label)
		}
	}
	return nil
}
