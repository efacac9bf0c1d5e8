package page

import (
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
)

// Several stands for the type of a field that holds several values.
const Several = "several"

// A ConditionField is what the condition editor knows of a field.
type ConditionField struct {
	Name  string   `json:"name"`
	Label string   `json:"label"`
	Type  string   `json:"type"`
	Link  bool     `json:"link,omitempty"`
	List  []string `json:"list,omitempty"`
}

// ConditionChoices is all that the condition editor offers, in the words of the core.
type ConditionChoices struct {
	Fields   []ConditionField      `json:"fields"`
	Ops      map[string][][]string `json:"ops"` // by type: operator, words
	Ranges   [][]string            `json:"ranges"`
	Parts    [][]string            `json:"parts"`
	Named    [][]string            `json:"named,omitempty"`
	Settings [][]string            `json:"settings,omitempty"`
}

func ConditionFields(fields []ConditionField) ConditionChoices {
	out := ConditionChoices{Fields: fields, Ops: map[string][][]string{}}
	for _, t := range field.Types() {
		for _, op := range filter.Ops() {
			if op.Suits(t) {
				out.Ops[t.String()] = append(out.Ops[t.String()], []string{string(op), op.Words()})
			}
		}
	}
	for _, op := range filter.Ops() {
		if words, ok := op.Several(); ok {
			out.Ops[Several] = append(out.Ops[Several], []string{string(op), words})
		}
	}
	for _, n := range period.Names() {
		r := period.Relative{Named: n}
		b, _ := r.MarshalJSON()
		out.Ranges = append(out.Ranges, []string{string(b), r.Words(nil)})
	}
	for _, u := range period.Units() {
		for _, n := range []int{3, 12} {
			r := period.Relative{Last: n, Unit: u}
			b, _ := r.MarshalJSON()
			out.Ranges = append(out.Ranges, []string{string(b), r.Words(nil)})
		}
	}
	return out
}

// DatasetFields is what the condition editor offers of a dataset.
func DatasetFields(ds *dataset.Dataset) ConditionChoices {
	var fields []ConditionField
	for _, f := range ds.Order() {
		kind := f.KeyType().String()
		if f.Several {
			kind = Several
		}
		fields = append(fields, ConditionField{f.Name, f.Label, kind, f.IsLink(), f.List})
	}
	out := ConditionFields(fields)
	for _, n := range ds.Conditions {
		out.Named = append(out.Named, []string{n.Name, n.Title})
	}
	for _, set := range ds.Settings {
		out.Settings = append(out.Settings, []string{set.Name, ds.Label(set.Name)})
	}
	return out
}

// TableFields is what it offers of a table: its columns, and those one link away.
func TableFields(t *dataset.Table, find func(id string) *dataset.Table) (out []ConditionField) {
	for _, c := range t.Columns {
		out = append(out, ConditionField{c.Name, dataset.Tidy(c.Name), c.Type.String(), false, c.List})
	}
	for i := range t.Links {
		l := &t.Links[i]
		to := find(l.Table)
		if to == nil {
			continue
		}
		for _, c := range to.Columns {
			out = append(out, ConditionField{l.Name() + "." + c.Name, l.Label() + " → " + dataset.Tidy(c.Name), c.Type.String(), false, c.List})
		}
	}
	return out
}
