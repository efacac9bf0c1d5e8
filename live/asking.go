package live

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/sql"
	"eskadel/core/steps"
	"eskadel/source"
)

// Do asks a sealed plan for a viewer.
func (e *Engine) Do(ctx context.Context, sealed rule.Sealed, v rule.Viewer) (Result, error) {
	src, err := e.Source(sealed.Source())
	if err != nil {
		return Result{}, err
	}
	return e.cache.Do(asks(ctx, v), sealed, src)
}

// Patient is a context whose questions wait for those of people: of whomever it is, nobody sits before it.
func Patient(ctx context.Context) context.Context { return source.Patient(ctx) }

// asks is a context whose questions are put for a viewer.
func asks(ctx context.Context, v rule.Viewer) context.Context {
	a := source.Asker{ID: v.ID, Class: source.Viewers}
	switch {
	case v.ID == "": // nobody: what Eskadel asks by itself
		a.Class = source.Background
	case v.Builder:
		a.Class = source.Builders
	}
	return source.For(ctx, a)
}

// One asks a plan of one statement.
func (e *Engine) One(ctx context.Context, p rule.Plan, v rule.Viewer) (Result, error) {
	sealed, err := rule.Seal(p, v)
	if err != nil {
		return Result{}, err
	}
	return e.Do(ctx, sealed, v)
}

// Table computes a definition for a viewer; at is when its records were read. It is computed
// once for all who may see the same, and only looked at.
func (e *Engine) Table(ctx context.Context, d query.Definition, ds *dataset.Dataset, v rule.Viewer, s query.Setting) (t *calc.Table, at time.Time, err error) {
	_, s.Careful = e.careful.Load(ds.Name)
	if t, at, err = e.table(ctx, d, ds, v, s); err == nil && t.Plan.Setting.Careful {
		// Once odd values have been seen, they are left out from the first question on.
		e.careful.Store(ds.Name, true)
	}
	return t, at, err
}

func (e *Engine) table(ctx context.Context, d query.Definition, ds *dataset.Dataset, v rule.Viewer, s query.Setting) (*calc.Table, time.Time, error) {
	others := known{}
	for _, name := range d.Others() {
		var err error
		if others[name], err = e.Dataset(ctx, name, v); err != nil {
			return nil, time.Time{}, err
		}
	}
	scope, key, err := e.scope(d, ds, others, v, s)
	if err != nil {
		return nil, time.Time{}, err
	}
	value, at, err := e.cache.Computed(ctx, scope, key, func(ctx context.Context) (any, time.Time, int64, error) {
		t, at, err := e.compute(ctx, d, ds, others, v, s)
		if err != nil {
			return nil, at, 0, err
		}
		return t, at, t.Size(), nil
	})
	if err != nil {
		return nil, at, err
	}
	return value.(*calc.Table), at, nil
}

// viewed finds the attributes of the viewer that a question speaks of, in its JSON.
var viewed = regexp.MustCompile(`"viewer":"((?:[^"\\]|\\.)*)"`)

// scope is what a viewer may see of the datasets that a definition speaks of, and all else
// that decides what is computed.
func (e *Engine) scope(d query.Definition, ds *dataset.Dataset, others known, v rule.Viewer, s query.Setting) (rule.Scope, string, error) {
	sets := []*dataset.Dataset{ds}
	for _, name := range d.Others() {
		sets = append(sets, others[name])
	}
	b, err := json.Marshal(struct {
		D        query.Definition
		F, B     any
		Settings map[string]string
	}{d, s.Filters, s.Beside, s.Settings})
	if err != nil {
		return rule.Scope{}, "", err
	}
	var key strings.Builder
	fmt.Fprintf(&key, "%d %t %d %s ", s.Now.UnixNano(), s.Careful, e.calendars.Load(), ds.Manner.Name())
	attributes := map[string]bool{}
	for _, set := range sets {
		fmt.Fprintf(&key, "%p %p %q ", set.Bare().Whole(), set.BaseFilter, set.Own())
		for _, name := range set.Viewed() {
			attributes[name] = true
		}
	}
	for _, m := range viewed.FindAllSubmatch(b, -1) {
		var name string
		if json.Unmarshal([]byte(`"`+string(m[1])+`"`), &name) == nil {
			attributes[name] = true
		}
	}
	key.Write(b)
	return rule.ScopeOf(v, slices.Sorted(maps.Keys(attributes)), sets...), key.String(), nil
}

func (e *Engine) compute(ctx context.Context, d query.Definition, ds *dataset.Dataset, others known, v rule.Viewer, s query.Setting) (*calc.Table, time.Time, error) {
	return run(asks(ctx, v), e, v, func(ask *steps.Asker) (*calc.Table, error) {
		return calc.Answer(d, ds, s, others, ask)
	})
}

// known is datasets as a viewer knows them, by name.
type known map[string]*dataset.Dataset

func (k known) Dataset(name string) (*dataset.Dataset, error) {
	if ds := k[name]; ds != nil {
		return ds, nil
	}
	return nil, problem.New(problem.NotFound, "dataset", "There is no dataset “%s”.", name)
}

// sets finds datasets as a viewer knows them.
type sets struct {
	engine *Engine
	ctx    context.Context
	viewer rule.Viewer
}

func (s sets) Dataset(name string) (*dataset.Dataset, error) {
	return s.engine.Dataset(s.ctx, name, s.viewer)
}

// Sets finds the datasets that a chart speaks of besides its own, as a viewer knows them.
func (e *Engine) Sets(ctx context.Context, v rule.Viewer) query.Sets { return sets{e, ctx, v} }

// A List is a page of records with one measure over all of them.
type List struct {
	Plan  *planner.Records
	Value field.Value // of the plan's measure
	Count int64       // of records
	Rows  source.Rows
	At    time.Time
}

// Records lists records for a viewer.
func (e *Engine) Records(ctx context.Context, p *planner.Records, v rule.Viewer) (*List, error) {
	sealed, err := rule.SealAll(p, v)
	if err != nil {
		return nil, err
	}
	r, err := e.Do(ctx, sealed, v)
	if err != nil {
		return nil, err
	}
	l := &List{Plan: p, Rows: r.Rows[1], At: r.At}
	l.Value, l.Count = calc.Single(p, r.Rows[0])
	return l, nil
}

// Stream lists records for a viewer as they come; begin is told how many there are. They are asked
// for after all that somebody waits for.
func (e *Engine) Stream(ctx context.Context, p *planner.Records, v rule.Viewer, begin func(*List) error, each func([]field.Value) error) error {
	sealed, err := rule.SealAll(p, v)
	if err != nil {
		return err
	}
	src, err := e.Source(sealed.Source())
	if err != nil {
		return err
	}
	ctx = source.For(ctx, source.Asker{ID: v.ID, Class: source.Background})
	return src.Stream(ctx, sealed, func(before []source.Rows) error {
		l := &List{Plan: p, At: e.Hub.Clock()}
		l.Value, l.Count = calc.Single(p, before[0])
		return begin(l)
	}, each)
}

// Values lists the values of a field for a viewer: key, label, number of records.
func (e *Engine) Values(ctx context.Context, p *sql.Values, v rule.Viewer) (source.Rows, error) {
	r, err := e.One(ctx, p, v)
	if err != nil {
		return nil, err
	}
	return r.Rows[0], nil
}

// Count counts the records of a dataset that a viewer may see, and of those the ones
// that meet a condition.
func (e *Engine) Count(ctx context.Context, ds *dataset.Dataset, v rule.Viewer, c filter.Condition) (some, all int64, err error) {
	d := query.Definition{Version: query.Version, Dataset: ds.Name, Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}, {Aggregate: aggregate.Count, Field: query.Records, Where: &c}}}
	t, _, err := e.Table(ctx, d, ds, v, e.Setting(ds, v, filter.Condition{}, time.Time{}))
	if err != nil {
		return 0, 0, err
	}
	all, _ = t.Total()[0].Decimal().Int64()
	some, _ = t.Total()[1].Decimal().Int64()
	return some, all, nil
}
