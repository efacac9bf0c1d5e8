package live

import (
	"context"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/registry"
	"eskadel/store"
)

// An Engine answers questions about datasets for viewers.
type Engine struct {
	*registry.Registry
	Hub   *Hub
	store *store.Store
	cache *Cache

	mu        sync.Mutex
	calendar  period.Calendar
	calendars atomic.Int64 // how often it was set
	careful   sync.Map     // datasets of which a sum has met what cannot be computed with, by name
}

// NewEngine opens every source of the store and watches it until ctx ends. cal is the
// calendar until the workspace's settings name another.
func NewEngine(ctx context.Context, s *store.Store, cal period.Calendar) (*Engine, error) {
	hub := NewHub()
	sources, err := registry.Open(ctx, s, hub)
	if err != nil {
		return nil, err
	}
	e := &Engine{Registry: sources, Hub: hub, calendar: cal, store: s, cache: NewCache(hub)}
	s.OnTold(func(t store.Told) {
		if t.Kind == store.Settings || t.Kind == store.Anything {
			e.resettle(ctx)
		}
	})
	go e.keepSettled(ctx)
	e.resettle(ctx)
	return e, nil
}

// keepSettled reads the settings anew every minute: the host app may have changed its
// accounting periods.
func (e *Engine) keepSettled(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Minute):
		}
		e.resettle(ctx)
	}
}

// resettle reads the settings; ones that cannot be used leave the calendar as it was.
func (e *Engine) resettle(ctx context.Context) {
	if err := e.settle(ctx); err != nil && ctx.Err() == nil {
		slog.Warn("the workspace's settings cannot be used", "error", err)
	}
}

// settle reads the workspace's settings and, where they name them, the host app's
// accounting periods. Settings that cannot be used leave the calendar as it was.
func (e *Engine) settle(ctx context.Context) error {
	kept, err := e.store.Document(ctx, store.Settings, Workspace)
	if problem.Is(err, problem.NotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	w, err := period.ReadWorkspace(kept.Draft)
	if err != nil {
		return err
	}
	cal, err := w.Calendar()
	if err != nil {
		return err
	}
	e.setCalendar(cal)
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
	plan := planner.NewList(ds, e.Setting(ds, builder, filter.Condition{}, time.Time{}), 1000)
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

// KeepBytes sets how much memory kept answers take.
func (e *Engine) KeepBytes(most int64) { e.cache.most = most }

// KeptBytes is about how much memory kept answers take.
func (e *Engine) KeptBytes() int64 { return e.cache.Bytes() }

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
	e.calendars.Add(1)
}

// Calendar is the workspace's calendar.
func (e *Engine) Calendar() period.Calendar {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.calendar
}

// Workspace is the name of the settings of the workspace.
const Workspace = "workspace"

// Dataset finds a dataset as a viewer knows it: without the fields they may not see.
func (e *Engine) Dataset(ctx context.Context, name string, v rule.Viewer) (*dataset.Dataset, error) {
	ds, err := e.Seen(ctx, name, v)
	if err != nil {
		return nil, err
	}
	return ds.In(e.MannerOf(v)), nil
}

// MannerOf is how numbers and dates are written for a viewer: as in the language of the page around, where that is
// known.
func (e *Engine) MannerOf(v rule.Viewer) *locale.Manner {
	if m := locale.Match(v.Language); m != nil {
		return m
	}
	return e.Manner()
}

// Manner is how the workspace writes numbers and dates.
func (e *Engine) Manner() *locale.Manner { return e.Calendar().Manner }

// Setting returns the setting of a question about a dataset: its clock pinned, or as
// given where a mark was drawn at another time.
func (e *Engine) Setting(ds *dataset.Dataset, v rule.Viewer, filters filter.Condition, at time.Time) query.Setting {
	if at.IsZero() {
		at = e.Hub.Now(ds.Source)
	}
	return query.Setting{Now: at, Calendar: e.Calendar(), Filters: filters, Viewer: v.Attributes}
}
