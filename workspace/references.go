package workspace

import (
	"context"
	"encoding/json"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/store"
)

// manner is by which manner references are noted: raised when references finds more.
const manner = 1

// source is the kind of reference that leads to a source.
const source = store.OfSource

// references finds what a document speaks of.
func references(kind string, document []byte) (out []store.Reference, err error) {
	charts := func(d *chart.Document) {
		for _, name := range d.Datasets() {
			out = append(out, store.Reference{Kind: Dataset, Name: name})
		}
	}
	switch kind {
	case Dataset:
		d, err := dataset.Read(document)
		if err != nil {
			return nil, err
		}
		out = append(out, store.Reference{Kind: source, Name: d.Source})
	case Chart:
		d, err := chart.Read(document)
		if err != nil {
			return nil, err
		}
		charts(d)
	case Dashboard:
		d, err := dashboard.Read(document)
		if err != nil {
			return nil, err
		}
		for _, w := range d.Widgets() {
			switch {
			case w.Chart == nil:
			case w.Chart.Library != "":
				out = append(out, store.Reference{Kind: Chart, Name: w.Chart.Library, Pinned: w.Chart.Version})
			default:
				charts(w.Chart.Own)
			}
		}
	case Rules:
		var r struct{ Source string }
		if err := json.Unmarshal(document, &r); err != nil {
			return nil, err
		}
		out = append(out, store.Reference{Kind: source, Name: r.Source})
	case Settings:
		s, err := period.ReadWorkspace(document)
		if err != nil {
			return nil, err
		}
		if s.Periods != nil {
			out = append(out, store.Reference{Kind: Dataset, Name: s.Periods.Dataset})
		}
	}
	return out, nil
}

// index notes what documents speak of where it was noted in an older manner or not at all.
// One that cannot be read speaks of nothing until it is mended.
func (w *Workspace) index(ctx context.Context) error {
	old, err := w.store.Unindexed(ctx, manner)
	if err != nil || len(old) == 0 {
		return err
	}
	return w.store.Change(ctx, "", func(tx *store.Tx) error {
		for i := range old {
			d := &old[i]
			d.Indexed = manner
			refs, err := references(d.Kind, d.Draft)
			warn("a document cannot be read", err, "kind", d.Kind, "name", d.Name)
			if err := tx.Index(ctx, d, 0, refs); err != nil {
				return err
			}
			versions, err := tx.Versions(ctx, d, 100000)
			if err != nil {
				return err
			}
			for _, v := range versions {
				refs, err := references(d.Kind, v.Document)
				warn("a version of a document cannot be read", err, "kind", d.Kind, "name", d.Name, "version", v.Number)
				if err := tx.Index(ctx, d, v.Number, refs); err != nil {
					return err
				}
			}
		}
		return nil
	})
}
