package folder

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/source"
)

// checking is a folder that is held against sources, and against itself.
type checking struct {
	ctx      context.Context
	docs     Documents
	dir      string
	sources  map[string]*source.Source
	tables   map[string]dataset.Catalogue
	datasets map[string]*dataset.Dataset
	charts   map[string]*chart.Document
	faults   []Fault
}

// Check tells what of the documents in a folder does not fit: each by itself, to the others, and,
// where addresses of sources are given, to their tables. It only reads.
func Check(ctx context.Context, dir string, addresses map[string]string) (checked int, faults []Fault, err error) {
	docs, faults, err := Read(dir)
	if err != nil {
		return 0, nil, err
	}
	c := &checking{ctx: ctx, docs: docs, dir: dir, sources: map[string]*source.Source{}, tables: map[string]dataset.Catalogue{},
		datasets: map[string]*dataset.Dataset{}, charts: map[string]*chart.Document{}, faults: faults}
	for name, address := range addresses {
		s, err := source.Open(name, address)
		if err == nil {
			defer s.Close()
			c.sources[name] = s
			c.tables[name], err = s.Catalogue(ctx)
		}
		if err != nil {
			return 0, nil, fmt.Errorf("the source %s: %w", name, err)
		}
	}
	for _, k := range docs.Keys() {
		if err := c.document(k); err != nil {
			return 0, nil, err
		}
	}
	slices.SortStableFunc(c.faults, func(a, b Fault) int { return strings.Compare(a.File, b.File) })
	return len(docs) + len(faults), c.faults, nil
}

// wrong notes what is wrong with a document, at a place of it. What is no matter of the document,
// such as a source that does not answer, is returned.
func (c *checking) wrong(k Key, err error) error {
	if err == nil {
		return nil
	}
	if p := problem.Of(err); p == nil || p.Code == problem.Down || p.Code == problem.Slow {
		return err
	}
	body, e := os.ReadFile(filepath.Join(c.dir, k.path()))
	if e != nil {
		return e
	}
	c.faults = append(c.faults, fault(k, body, err))
	return nil
}

func (c *checking) document(k Key) error {
	body := c.docs[k]
	switch k.Kind {
	case Rules:
		d, _ := dataset.ReadRules(body)
		if tables, ok := c.tables[k.Name]; ok {
			with, err := tables.With(d)
			if err != nil {
				return c.wrong(k, err)
			}
			c.tables[k.Name] = with
		}
	case Datasets:
		d, _ := dataset.Read(body)
		return c.dataset(k, d)
	case Charts:
		d, _ := chart.Read(body)
		c.charts[k.Name] = d
		return c.wrong(k, c.chart(d))
	case Dashboards:
		d, _ := dashboard.Read(body)
		return c.dashboard(k, d)
	}
	return nil
}

func (c *checking) dataset(k Key, d *dataset.Document) error {
	tables, known := c.tables[d.Source]
	if !known {
		return nil
	}
	var own *dataset.Table
	if d.From.Select != "" {
		var err error
		if own, err = c.sources[d.Source].Select(c.ctx, d.From.Select, tables); err != nil {
			return c.wrong(k, problem.At("from.select", err))
		}
	}
	misfits := dataset.Misfits(d, tables, own)
	for _, p := range misfits {
		if err := c.wrong(k, p); err != nil {
			return err
		}
	}
	if len(misfits) > 0 {
		return nil
	}
	ds, err := dataset.Resolve(d, tables, own)
	c.datasets[d.Name] = ds
	return err
}

// Dataset finds one for charts that look at several.
func (c *checking) Dataset(name string) (*dataset.Dataset, error) {
	if ds := c.datasets[name]; ds != nil {
		return ds, nil
	}
	return nil, problem.New(problem.NotFound, "dataset", "There is no dataset “%s” in this folder.", name)
}

// found tells whether what a chart stands on is in the folder, and whether it is resolved.
func (c *checking) found(name string) (resolved bool, err error) {
	if _, ok := c.docs[Key{Datasets, name}]; !ok {
		_, err := c.Dataset(name)
		return false, err
	}
	return c.datasets[name] != nil, nil
}

func (c *checking) chart(d *chart.Document) error {
	whole := true
	for _, name := range d.Datasets() {
		resolved, err := c.found(name)
		if err != nil {
			return err
		}
		whole = whole && resolved
	}
	if !whole || d.Dataset == "" {
		return nil
	}
	ds := c.datasets[d.Dataset]
	with := *d
	with.Sets = query.Sets(c)
	return with.Check(ds)
}

func (c *checking) dashboard(k Key, d *dashboard.Document) error {
	for p, page := range d.Pages {
		for i := range page.Widgets {
			w := &page.Widgets[i]
			if w.Chart == nil {
				continue
			}
			place := fmt.Sprintf("pages[%d].widgets[%d].chart", p, i)
			var err error
			if of := w.Chart.Library; of == "" {
				err = c.chart(w.Chart.Own)
			} else if c.charts[of] == nil {
				err = problem.New(problem.NotFound, "library", "There is no chart “%s” in this folder.", of)
			}
			if err := c.wrong(k, problem.At(place, err)); err != nil {
				return err
			}
		}
	}
	for i, t := range d.Through {
		if to := t.To.Dashboard; to != "" && c.docs[Key{Dashboards, to}] == nil {
			err := problem.New(problem.NotFound, "to.dashboard", "There is no dashboard “%s” in this folder.", to)
			if err := c.wrong(k, problem.At(fmt.Sprintf("drill_through[%d]", i), err)); err != nil {
				return err
			}
		}
	}
	return nil
}
