// Package registry knows the sources and what is made of them: it opens and closes them as
// they are connected and removed, by this instance or another one, puts row rules on their
// tables, and resolves datasets against those. It asks no question of its own.
package registry

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/source"
	"eskadel/store"
)

// A Registry knows the sources of a workspace.
type Registry struct {
	store    *store.Store
	listener source.Listener
	watching context.Context

	mu       sync.Mutex
	sources  map[string]*opened
	resolved map[string]resolved
	ruled    map[string]ruled
}

// opened is a source with what it was opened by and what ends the watching of it.
type opened struct {
	source   *source.Source
	revision int
	stop     context.CancelFunc
}

// ruled is a source's tables with their row rules, and what they were made of.
type ruled struct {
	tables dataset.Catalogue
	from   dataset.Catalogue
	rules  string // which documents of rules, at which revisions
}

// resolved is a dataset as last resolved, with what it was resolved from.
type resolved struct {
	dataset *dataset.Dataset
	id      int64
	version int
	tables  dataset.Catalogue
}

// Open opens every source of the store; until ctx ends their changes are told to l, and
// sources that are connected, moved or removed meanwhile are opened, moved and closed.
func Open(ctx context.Context, s *store.Store, l source.Listener) (*Registry, error) {
	r := &Registry{store: s, listener: l, watching: ctx, sources: map[string]*opened{}, resolved: map[string]resolved{}, ruled: map[string]ruled{}}
	if err := r.settle(ctx); err != nil {
		return nil, err
	}
	s.OnTold(func(t store.Told) {
		if t.Kind != store.OfSource && t.Kind != store.Anything {
			return
		}
		if err := r.settle(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("the sources cannot be looked at", "error", err)
		}
	})
	return r, nil
}

// settle opens, moves and closes sources until they are those of the store.
func (r *Registry) settle(ctx context.Context) error {
	kept, err := r.store.Sources(ctx)
	if err != nil {
		return err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.watching.Err() != nil {
		return nil
	}
	for name, o := range r.sources {
		if !slices.ContainsFunc(kept, func(k store.Source) bool { return k.Name == name }) {
			o.close()
			delete(r.sources, name)
			delete(r.ruled, name)
		}
	}
	for i := range kept {
		k := &kept[i]
		before := r.sources[k.Name]
		if before != nil && before.revision == k.Revision {
			continue
		}
		if err := r.open(k); err != nil {
			slog.Error("a source cannot be opened", "source", k.Name, "error", err)
			continue // the others can
		}
		if before != nil {
			before.close()
		}
	}
	return nil
}

func (r *Registry) open(kept *store.Source) error {
	url, err := r.store.SourceURL(kept)
	if err != nil {
		return err
	}
	src, err := source.Open(kept.Name, url)
	if err != nil {
		return err
	}
	changer, err := r.store.ChangerURL(kept)
	if err == nil && changer != "" {
		err = src.ChangeAs(changer)
	}
	if err != nil {
		src.Close()
		return err
	}
	watching, stop := context.WithCancel(r.watching)
	r.sources[kept.Name] = &opened{src, kept.Revision, stop}
	delete(r.ruled, kept.Name)
	go src.Watch(watching, r.listener)
	return nil
}

// close ends a source; questions that are being asked are let end.
func (o *opened) close() {
	o.stop()
	go o.source.Close()
}

// Source finds an open source.
func (r *Registry) Source(name string) (*source.Source, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if o := r.sources[name]; o != nil {
		return o.source, nil
	}
	return nil, problem.New(problem.NotFound, "source", "There is no source “%s”.", name)
}

// Rules returns the row rules of a source's tables, with a tag that changes with them.
func (r *Registry) Rules(ctx context.Context, name string) (*dataset.SourceRules, string, error) {
	kept, tag, err := r.rulesOf(ctx, name)
	if err != nil {
		return nil, "", err
	}
	out := &dataset.SourceRules{Version: dataset.RulesVersion, Source: name, Tables: []dataset.TableRules{}}
	for _, k := range kept {
		doc, err := dataset.ReadTableRules(k.Draft)
		if err != nil {
			return nil, "", problem.At("rules of "+k.Title, err)
		}
		if len(doc.RowRules)+len(doc.Hidden) > 0 {
			out.Tables = append(out.Tables, doc.TableRules)
		}
	}
	return out, tag, nil
}

// rulesOf returns the documents of rules of a source's tables.
func (r *Registry) rulesOf(ctx context.Context, name string) (out []store.Document, tag string, err error) {
	all, err := r.store.Documents(ctx, store.Rules)
	var b strings.Builder
	for _, d := range all {
		if strings.HasPrefix(d.Name, name+"/") {
			out = append(out, d)
			fmt.Fprintf(&b, "%d.%d,", d.ID, d.Revision)
		}
	}
	return out, b.String(), err
}

// Catalogue returns the tables of a source with their row rules.
func (r *Registry) Catalogue(ctx context.Context, name string) (dataset.Catalogue, error) {
	src, err := r.Source(name)
	if err != nil {
		return nil, err
	}
	tables, err := src.Catalogue(ctx)
	if err != nil {
		return nil, err
	}
	_, tag, err := r.rulesOf(ctx, name)
	if err != nil {
		return nil, err
	}
	r.mu.Lock()
	known, ok := r.ruled[name]
	r.mu.Unlock()
	if ok && known.rules == tag && same(known.from, tables) {
		return known.tables, nil
	}
	rules, tag, err := r.Rules(ctx, name)
	if err != nil {
		return nil, err
	}
	with, err := tables.With(rules)
	if err != nil {
		// Rules that no longer suit their tables let nobody through.
		return nil, problem.At("rules of the source "+name, err)
	}
	r.mu.Lock()
	r.ruled[name] = ruled{with, tables, tag}
	r.mu.Unlock()
	return with, nil
}

// same tells whether two catalogues are one reading of a source.
func same(a, b dataset.Catalogue) bool {
	return len(a) == len(b) && (len(a) == 0 || a[0] == b[0])
}

// Resolve checks a dataset document against its source.
func (r *Registry) Resolve(ctx context.Context, doc *dataset.Document) (*dataset.Dataset, error) {
	tables, query, err := r.material(ctx, doc)
	if err != nil {
		return nil, err
	}
	return dataset.Resolve(doc, tables, query)
}

// From finds or makes the table that a dataset's records come from.
func (r *Registry) From(ctx context.Context, doc *dataset.Document) (*dataset.Table, error) {
	tables, query, err := r.material(ctx, doc)
	if err != nil {
		return nil, err
	}
	t, err := doc.From.Records(tables, query)
	return t, problem.At("from", err)
}

// Misfits tells everything in a dataset document that does not suit its source.
func (r *Registry) Misfits(ctx context.Context, doc *dataset.Document) []*problem.Problem {
	tables, query, err := r.material(ctx, doc)
	if err != nil {
		return nil
	}
	return dataset.Misfits(doc, tables, query)
}

// material returns the tables of a dataset's source and what its own query gives, if it
// has one.
func (r *Registry) material(ctx context.Context, doc *dataset.Document) (dataset.Catalogue, *dataset.Table, error) {
	src, err := r.Source(doc.Source)
	if err != nil {
		return nil, nil, err
	}
	tables, err := r.Catalogue(ctx, doc.Source)
	if err != nil {
		return nil, nil, err
	}
	if doc.From.Select == "" {
		return tables, nil, nil
	}
	query, err := src.Select(ctx, doc.From.Select, tables)
	return tables, query, problem.At("from", err)
}

// Dataset finds a dataset, resolved against its source's tables, with all its fields.
func (r *Registry) Dataset(ctx context.Context, name string) (*dataset.Dataset, error) {
	kept, err := r.store.Document(ctx, store.Dataset, name)
	if err != nil {
		return nil, err
	}
	r.mu.Lock()
	known, ok := r.resolved[name]
	r.mu.Unlock()
	if ok && known.id == kept.ID && known.version == kept.Revision {
		tables, err := r.Catalogue(ctx, known.dataset.Source)
		if err != nil {
			return nil, err
		}
		if same(known.tables, tables) {
			return known.dataset, nil
		}
	}
	doc, err := dataset.Read(kept.Draft)
	if err != nil {
		return nil, problem.At("dataset "+name, err)
	}
	tables, selected, err := r.material(ctx, doc)
	if err != nil {
		return nil, problem.At("dataset "+name, err)
	}
	ds, err := dataset.Resolve(doc, tables, selected)
	if err != nil {
		return nil, problem.At("dataset "+name, err)
	}
	r.mu.Lock()
	r.resolved[name] = resolved{ds, kept.ID, kept.Revision, tables}
	r.mu.Unlock()
	return ds, nil
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

// Seen finds a dataset as a viewer knows it: without the fields they may not see.
func (r *Registry) Seen(ctx context.Context, name string, v rule.Viewer) (*dataset.Dataset, error) {
	ds, err := r.Dataset(ctx, name)
	if err == nil {
		err = usable(ctx, &ds.Document)
	}
	if err != nil {
		return nil, err
	}
	return rule.See(ds, v), nil
}

// Chart finds a version of a chart of the library, 0 for its newest; it is only looked at.
func (r *Registry) Chart(ctx context.Context, name string, version int) (*chart.Document, error) {
	kept, err := r.store.Document(ctx, store.Chart, name)
	if err != nil {
		return nil, err
	}
	if version == 0 {
		version = kept.Published
	}
	return store.Kept(r.store, store.Chart, fmt.Sprint("chart ", kept.ID, "/", version), func() (*chart.Document, error) {
		v, err := r.store.Version(ctx, kept, version)
		if err != nil {
			return nil, err
		}
		d, err := chart.Read(v.Document)
		return d, problem.At("chart "+name, err)
	})
}
