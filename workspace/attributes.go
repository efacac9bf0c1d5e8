package workspace

import (
	"context"
	"maps"
	"slices"

	"eskadel/core/dataset"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/view"
)

// An Attribute is what row rules know viewers by, with the values that it may have.
type Attribute struct {
	Name   string
	Values []view.Listed // as the records have them that rules compare it with; empty where that cannot be told
}

// Attributes are the attributes that row rules speak of, with their values, for giving them to somebody.
func (w *Workspace) Attributes(ctx context.Context, who *identity.Caller) ([]Attribute, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, err
	}
	known := map[string][]view.Listed{}
	note := func(name string, ds *dataset.Dataset, field string) {
		if len(known[name]) > 0 {
			return
		}
		values, err := w.reader.ListValues(ctx, ds, field, "", who.Viewer)
		warn("the values of an attribute cannot be listed", err, "attribute", name)
		known[name] = values
	}
	for _, of := range w.ruling(ctx) {
		known[of] = nil
	}
	sources, err := w.store.Sources(ctx)
	if err != nil {
		return nil, err
	}
	for _, src := range sources {
		tables, err := w.reader.Catalogue(ctx, src.Name)
		if err != nil {
			continue // a source that does not answer keeps nobody from being invited
		}
		for name, meaning := range tables.Meanings() {
			if ds, field, err := meaning.Asked(src.Name, tables); err == nil && ds != nil {
				note(name, ds, field)
			}
		}
	}
	kept, err := w.store.Documents(ctx, Dataset)
	if err != nil {
		return nil, err
	}
	for _, k := range kept {
		d, err := dataset.Read(k.Draft)
		if err != nil || len(d.RowRules) == 0 {
			continue
		}
		ds, err := w.reader.Dataset(ctx, d.Name, who.Viewer)
		if err != nil {
			continue
		}
		for _, r := range d.RowRules {
			for name, field := range r.Where.ComparedWith() {
				note(name, ds, field)
			}
		}
	}
	out := []Attribute{}
	for _, name := range slices.Sorted(maps.Keys(known)) {
		out = append(out, Attribute{name, known[name]})
	}
	return out, nil
}

// Spelled writes attributes as people say them: "yard Tarn Quay".
func Spelled(known []Attribute, kept map[string]any) (out []string) {
	for _, name := range slices.Sorted(maps.Keys(kept)) {
		for _, value := range identity.Typed(kept[name]) {
			words := value
			if i := slices.IndexFunc(known, func(a Attribute) bool { return a.Name == name }); i >= 0 {
				if v := slices.IndexFunc(known[i].Values, func(v view.Listed) bool { return v.Key == value }); v >= 0 {
					words = known[i].Values[v].Label
				}
			}
			out = append(out, name+" "+words)
		}
	}
	return out
}
