package live

import (
	"context"
	"sync"
	"time"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/source"
	"eskadel/store"
)

// An Engine answers questions about datasets for viewers.
type Engine struct {
	Hub      *Hub
	Calendar period.Calendar
	store    *store.Store
	cache    *Cache

	mu       sync.Mutex
	sources  map[string]*source.Source
	resolved map[string]resolved
	watching context.Context
}

// resolved is a dataset as last resolved, with what it was resolved from.
type resolved struct {
	dataset *dataset.Dataset
	changed time.Time
	table   *dataset.Table
}

// NewEngine opens every source of the store and watches it until ctx ends.
func NewEngine(ctx context.Context, s *store.Store, cal period.Calendar) (*Engine, error) {
	hub := NewHub()
	e := &Engine{Hub: hub, Calendar: cal, store: s, cache: NewCache(hub), sources: map[string]*source.Source{}, resolved: map[string]resolved{}, watching: ctx}
	sources, err := s.Sources(ctx)
	if err != nil {
		return nil, err
	}
	for i := range sources {
		if err := e.Open(&sources[i]); err != nil {
			return nil, err
		}
	}
	return e, nil
}

// Open opens a source, or opens it again with another address, and watches it.
func (e *Engine) Open(kept *store.Source) error {
	url, err := e.store.SourceURL(kept)
	if err != nil {
		return err
	}
	src, err := source.Open(kept.Name, url)
	if err != nil {
		return err
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	if old := e.sources[kept.Name]; old != nil {
		defer old.Close()
	}
	e.sources[kept.Name] = src
	go src.Watch(e.watching, e.Hub)
	return nil
}

// Source finds an open source.
func (e *Engine) Source(name string) (*source.Source, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if s := e.sources[name]; s != nil {
		return s, nil
	}
	return nil, problem.New(problem.NotFound, "source", "There is no source “%s”.", name)
}

// Dataset finds a dataset, resolved against its source's tables.
func (e *Engine) Dataset(ctx context.Context, name string) (*dataset.Dataset, error) {
	kept, err := e.store.Dataset(ctx, name)
	if err != nil {
		return nil, err
	}
	src, err := e.Source(kept.Source)
	if err != nil {
		return nil, err
	}
	tables, err := src.Catalogue(ctx)
	if err != nil {
		return nil, err
	}
	e.mu.Lock()
	r, ok := e.resolved[name]
	e.mu.Unlock()
	if ok && r.changed.Equal(kept.UpdatedAt) && r.table == tables.Table(r.dataset.From.Table) {
		return r.dataset, nil
	}
	doc, err := dataset.Read(kept.Document)
	if err != nil {
		return nil, err
	}
	ds, err := dataset.Resolve(doc, tables)
	if err != nil {
		return nil, problem.At("dataset "+name, err)
	}
	e.mu.Lock()
	e.resolved[name] = resolved{ds, kept.UpdatedAt, ds.Table}
	e.mu.Unlock()
	return ds, nil
}

// Library finds a chart of the library.
func (e *Engine) Library(ctx context.Context, name string) (*chart.Document, error) {
	kept, err := e.store.Chart(ctx, name)
	if err != nil {
		return nil, err
	}
	return chart.Read(kept.Document)
}

// Setting returns the setting of a question about a dataset: its clock pinned, or as
// given where a mark was drawn at another time.
func (e *Engine) Setting(ds *dataset.Dataset, v rule.Viewer, filters filter.Condition, at time.Time) query.Setting {
	if at.IsZero() {
		at = e.Hub.Now(ds.Source)
	}
	return query.Setting{Now: at, Calendar: e.Calendar, Filters: filters, Viewer: v.Attributes}
}

func (e *Engine) do(ctx context.Context, sealed rule.Sealed) (Result, error) {
	src, err := e.Source(sealed.Source())
	if err != nil {
		return Result{}, err
	}
	return e.cache.Do(ctx, sealed, src)
}

// one asks a plan of one statement.
func (e *Engine) one(ctx context.Context, p rule.Plan, v rule.Viewer) (Result, error) {
	sealed, err := rule.Seal(p, v)
	if err != nil {
		return Result{}, err
	}
	return e.do(ctx, sealed)
}

// Table computes a definition for a viewer; at is when its records were read.
func (e *Engine) Table(ctx context.Context, d query.Definition, ds *dataset.Dataset, v rule.Viewer, s query.Setting) (t *calc.Table, at time.Time, err error) {
	ep, err := query.NewExtent(d, ds, s)
	if err != nil {
		return nil, at, err
	}
	var extent *query.Extent
	if ep != nil {
		r, err := e.one(ctx, ep, v)
		if err != nil {
			return nil, at, err
		}
		extent = ep.Read(r.Rows[0])
	}
	p, err := query.Build(d, ds, s, extent)
	if err != nil {
		return nil, at, err
	}
	r, err := e.one(ctx, p, v)
	if err != nil {
		return nil, at, err
	}
	if len(r.Rows[0]) > query.MostGroups {
		return nil, at, problem.New(problem.TooMany, "by", "This divides the records into more than %s groups. Keep the largest few, or divide by something coarser.", format.Count(query.MostGroups))
	}
	return r.once(p.Definition, func() *calc.Table { return calc.Compute(p, r.Rows[0]) }), r.At, nil
}

// A List is a page of records with one measure over all of them.
type List struct {
	Plan  *query.RecordsPlan
	Value field.Value // of the plan's measure
	Count int64       // of records
	Rows  source.Rows
	At    time.Time
}

// Records lists records for a viewer.
func (e *Engine) Records(ctx context.Context, p *query.RecordsPlan, v rule.Viewer) (*List, error) {
	sealed, err := rule.SealAll(p, v)
	if err != nil {
		return nil, err
	}
	r, err := e.do(ctx, sealed)
	if err != nil {
		return nil, err
	}
	l := &List{Plan: p, Rows: r.Rows[1], At: r.At}
	l.Value, l.Count = calc.Single(p, r.Rows[0])
	return l, nil
}

// Values lists the values of a field for a viewer: key, label, number of records.
func (e *Engine) Values(ctx context.Context, p *query.ValuesPlan, v rule.Viewer) (source.Rows, error) {
	r, err := e.one(ctx, p, v)
	if err != nil {
		return nil, err
	}
	return r.Rows[0], nil
}

// Count counts the records of a dataset that a viewer may see, and of those the ones
// that meet a condition.
func (e *Engine) Count(ctx context.Context, ds *dataset.Dataset, v rule.Viewer, c filter.Condition) (some, all int64, err error) {
	d := query.Definition{Version: 1, Dataset: ds.Name, Measures: []query.Measure{{Aggregate: query.Count, Field: query.Records}, {Aggregate: query.Count, Field: query.Records, Where: &c}}}
	t, _, err := e.Table(ctx, d, ds, v, e.Setting(ds, v, filter.Condition{}, time.Time{}))
	if err != nil {
		return 0, 0, err
	}
	all, _ = t.Total()[0].Decimal().Int64()
	some, _ = t.Total()[1].Decimal().Int64()
	return some, all, nil
}
