package page

import (
	"encoding/json"

	"eskadel/core/dataset"
)

// FormulaNames are what the formula editor completes: fields of a dataset, its settings and functions.
func FormulaNames(ds *dataset.Dataset, fields []*dataset.Field) string {
	type name struct {
		Write string `json:"write"`
		Label string `json:"label"`
		Kind  string `json:"kind"`
	}
	var out []name
	for _, f := range fields {
		out = append(out, name{dataset.Written(f.Name), f.Label, f.Type.String()})
	}
	for _, set := range ds.Settings {
		out = append(out, name{dataset.Written(set.Name), ds.Label(set.Name), "set by the viewer"})
	}
	for _, h := range dataset.Functions() {
		out = append(out, name{h.Name + "(", h.Words, "function"})
	}
	b, _ := json.Marshal(out)
	return string(b)
}
