package live

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/locale"
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
	calendar period.Calendar
	store    *store.Store
	cache    *Cache

	mu       sync.Mutex
	sources  map[string]*opened
	resolved map[string]resolved
	ruled    map[string]ruled
	watching context.Context
	profiled sync.Map // of the datasets that builders look at, by name
	careful  sync.Map // datasets of which a sum has met what cannot be computed with, by name
}

// opened is a source with what ends the watching of it.
type opened struct {
	source *source.Source
	stop   context.CancelFunc
}

// ruled is a source's tables with their row rules, and what they were made of.
type ruled struct {
	tables  dataset.Catalogue
	from    dataset.Catalogue
	changed time.Time
}

// resolved is a dataset as last resolved, with what it was resolved from.
type resolved struct {
	dataset *dataset.Dataset
	changed time.Time
	tables  dataset.Catalogue
}

// NewEngine opens every source of the store and watches it until ctx ends.
func NewEngine(ctx context.Context, s *store.Store, cal period.Calendar) (*Engine, error) {
	hub := NewHub()
	e := &Engine{Hub: hub, calendar: cal, store: s, cache: NewCache(hub), sources: map[string]*opened{}, resolved: map[string]resolved{}, ruled: map[string]ruled{}, watching: ctx}
	sources, err := s.Sources(ctx)
	if err != nil {
		return nil, err
	}
	for i := range sources {
		if err := e.Open(&sources[i]); err != nil {
			return nil, err
		}
	}
	go e.keepSettled(ctx)
	return e, e.Settle(ctx)
}

// keepSettled reads the settings anew every minute: another instance may have changed
// them, or the host app its accounting periods.
func (e *Engine) keepSettled(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Minute):
		}
		if err := e.Settle(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("the workspace's settings cannot be read", "error", err)
		}
	}
}

// Settle reads the workspace's settings and, where they name them, the host app's
// accounting periods. Settings that cannot be used leave the calendar as it was.
func (e *Engine) Settle(ctx context.Context) error {
	kept, err := e.store.Workspace(ctx)
	if err != nil || kept == nil {
		return err
	}
	w, err := period.ReadWorkspace(kept)
	if err != nil {
		return err
	}
	cal, err := w.Calendar()
	if err != nil {
		return err
	}
	e.setCalendar(cal)
	locale.Set(w.Numbers)
	if w.Periods == nil {
		return nil
	}
	periods, err := e.periods(ctx, w.Periods)
	if p := problem.Of(err); p != nil {
		slog.Warn("the accounting periods cannot be read", "error", err)
		return nil
	}
	e.setCalendar(cal.WithOwn(periods))
	return err
}

// periods reads the host app's accounting periods.
func (e *Engine) periods(ctx context.Context, p *period.OwnPeriods) ([]period.Own, error) {
	builder := rule.Viewer{Builder: true}
	ds, err := e.Dataset(ctx, p.Dataset, builder)
	if err != nil {
		return nil, err
	}
	plan := query.NewList(ds, e.Setting(ds, builder, filter.Condition{}, time.Time{}), 1000)
	if err := plan.Show([]string{p.Start, p.Name}); err != nil {
		return nil, err
	}
	l, err := e.Records(ctx, plan, builder)
	if err != nil {
		return nil, err
	}
	var out []period.Own
	for _, r := range l.Rows {
		if v := r[len(r)-2:]; v[0].Type().Temporal() {
			out = append(out, period.Own{Start: v[0].Time(), Name: v[1].Exact()})
		}
	}
	return out, nil
}

// KeepFor sets how old an answer may be that is given from what was kept.
func (e *Engine) KeepFor(longest time.Duration) { e.cache.longest = longest }

// PinNow holds the time that questions, pages and sentences take for now, written by RFC 3339
// or, without a zone, as the workspace's clock shows it.
func (e *Engine) PinNow(written string) error {
	at, err := period.ReadNow(written, e.Calendar().Zone)
	if err != nil {
		return err
	}
	e.Hub.Pin(at)
	slog.Warn("the time is held: every question takes this for now", "now", at.Format(time.RFC3339))
	return nil
}

func (e *Engine) setCalendar(c period.Calendar) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.calendar = c
}

// Calendar is the workspace's calendar.
func (e *Engine) Calendar() period.Calendar {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.calendar
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
		old.stop()
		defer old.source.Close()
	}
	watching, stop := context.WithCancel(e.watching)
	e.sources[kept.Name] = &opened{src, stop}
	delete(e.ruled, kept.Name)
	go src.Watch(watching, e.Hub)
	return nil
}

// Close ends a source that has been removed.
func (e *Engine) Close(name string) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if old := e.sources[name]; old != nil {
		old.stop()
		old.source.Close()
		delete(e.sources, name)
	}
}

// Source finds an open source.
func (e *Engine) Source(name string) (*source.Source, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if s := e.sources[name]; s != nil {
		return s.source, nil
	}
	return nil, problem.New(problem.NotFound, "source", "There is no source “%s”.", name)
}

// Catalogue returns the tables of a source with their row rules.
func (e *Engine) Catalogue(ctx context.Context, name string) (dataset.Catalogue, error) {
	kept, err := e.store.Source(ctx, name)
	if err != nil {
		return nil, err
	}
	src, err := e.Source(name)
	if err != nil {
		return nil, err
	}
	tables, err := src.Catalogue(ctx)
	if err != nil {
		return nil, err
	}
	e.mu.Lock()
	r, ok := e.ruled[name]
	e.mu.Unlock()
	if ok && r.changed.Equal(kept.RulesAt) && same(r.from, tables) {
		return r.tables, nil
	}
	rules, err := dataset.ReadRules(kept.Rules)
	if err != nil {
		return nil, err
	}
	with, err := tables.With(rules)
	if err != nil {
		// Rules that no longer suit their tables let nobody through.
		return nil, problem.At("rules of the source "+name, err)
	}
	e.mu.Lock()
	e.ruled[name] = ruled{with, tables, kept.RulesAt}
	e.mu.Unlock()
	return with, nil
}

// same tells whether two catalogues are one reading of a source.
func same(a, b dataset.Catalogue) bool {
	return len(a) == len(b) && (len(a) == 0 || a[0] == b[0])
}

// Resolve checks a dataset document against its source.
func (e *Engine) Resolve(ctx context.Context, doc *dataset.Document) (*dataset.Dataset, error) {
	tables, query, err := e.material(ctx, doc)
	if err != nil {
		return nil, err
	}
	return dataset.Resolve(doc, tables, query)
}

// From finds or makes the table that a dataset's records come from.
func (e *Engine) From(ctx context.Context, doc *dataset.Document) (*dataset.Table, error) {
	tables, query, err := e.material(ctx, doc)
	if err != nil {
		return nil, err
	}
	t, err := doc.From.Records(tables, query)
	return t, problem.At("from", err)
}

// Misfits tells everything in a dataset document that does not suit its source.
func (e *Engine) Misfits(ctx context.Context, doc *dataset.Document) []*problem.Problem {
	tables, query, err := e.material(ctx, doc)
	if err != nil {
		return nil
	}
	return dataset.Misfits(doc, tables, query)
}

// material returns the tables of a dataset's source and what its own query gives, if it
// has one.
func (e *Engine) material(ctx context.Context, doc *dataset.Document) (dataset.Catalogue, *dataset.Table, error) {
	src, err := e.Source(doc.Source)
	if err != nil {
		return nil, nil, err
	}
	tables, err := e.Catalogue(ctx, doc.Source)
	if err != nil {
		return nil, nil, err
	}
	if doc.From.Select == "" {
		return tables, nil, nil
	}
	query, err := src.Select(ctx, doc.From.Select, tables)
	return tables, query, problem.At("from", err)
}

// A Use tells in words why somebody may not build on a dataset; nil when they may.
type Use func(ctx context.Context, d *dataset.Document) error

type useKey struct{}

// Using is a context in which every dataset that is asked for, by whatever name and on
// whatever way, must be one that somebody may build on.
func Using(ctx context.Context, use Use) context.Context {
	return context.WithValue(ctx, useKey{}, use)
}

// usable checks what the context demands of a dataset.
func usable(ctx context.Context, d *dataset.Document) error {
	if use, demanded := ctx.Value(useKey{}).(Use); demanded {
		return use(ctx, d)
	}
	return nil
}

// Dataset finds a dataset, resolved against its source's tables, as a viewer knows it:
// without the fields they may not see.
func (e *Engine) Dataset(ctx context.Context, name string, v rule.Viewer) (*dataset.Dataset, error) {
	ds, err := e.dataset(ctx, name)
	if err == nil {
		err = usable(ctx, &ds.Document)
	}
	if err != nil {
		return nil, err
	}
	return rule.See(ds, v), nil
}

// dataset finds a dataset, resolved against its source's tables, with all its fields.
func (e *Engine) dataset(ctx context.Context, name string) (*dataset.Dataset, error) {
	kept, err := e.store.Dataset(ctx, name)
	if err != nil {
		return nil, err
	}
	tables, err := e.Catalogue(ctx, kept.Source)
	if err != nil {
		return nil, err
	}
	e.mu.Lock()
	r, ok := e.resolved[name]
	e.mu.Unlock()
	if ok && r.changed.Equal(kept.UpdatedAt) && same(r.tables, tables) {
		return r.dataset, nil
	}
	doc, err := dataset.Read(kept.Document)
	if err != nil {
		return nil, err
	}
	tables, selected, err := e.material(ctx, doc)
	if err != nil {
		return nil, problem.At("dataset "+name, err)
	}
	ds, err := dataset.Resolve(doc, tables, selected)
	if err != nil {
		return nil, problem.At("dataset "+name, err)
	}
	e.mu.Lock()
	e.resolved[name] = resolved{ds, kept.UpdatedAt, tables}
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
	return query.Setting{Now: at, Calendar: e.Calendar(), Filters: filters, Viewer: v.Attributes}
}
