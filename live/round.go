package live

import (
	"context"
	"sync"
	"time"

	"eskadel/core/rule"
	"eskadel/core/steps"
	"eskadel/source"
)

// A round puts the questions that a computation has next. Those of one step are asked side by
// side, from the cache where it can be, but for those that must agree: these are asked one
// after the other on one snapshot of their source, and so is whatever else the computation
// asks of that source while it is held. Whoever holds a connection waits for no other.
type round struct {
	engine *Engine
	viewer rule.Viewer
	held   *reading  // the snapshot of the one source that was asked last; nil for none
	at     time.Time // when the oldest answer was read
}

// A reading is a snapshot of a source, and when it was taken.
type reading struct {
	*source.Reading
	source string
	at     time.Time
}

// run runs a computation for a viewer; at is when the oldest of its answers was read.
func run[T any](ctx context.Context, e *Engine, v rule.Viewer, f func(*steps.Asker) (T, error)) (result T, at time.Time, err error) {
	r := &round{engine: e, viewer: v}
	defer r.end()
	course := steps.Begin(f)
	defer course.Stop()
	for next := course.Next(); len(next) > 0; next = course.Next() {
		course.Give(r.answer(ctx, next))
	}
	result, err = course.Result()
	return result, r.at, err
}

// end ends what is held.
func (r *round) end() {
	if r.held != nil {
		r.held.End()
		r.held = nil
	}
}

// answer answers the questions of one step.
func (r *round) answer(ctx context.Context, next []steps.Next) []steps.Answer {
	answers := make([]steps.Answer, len(next))
	sealed := make([]rule.Sealed, len(next))
	of := map[string][]int{} // source → its questions
	agreeing := map[string]bool{}
	for i, q := range next {
		if sealed[i], answers[i].Err = rule.Seal(q.Question, r.viewer); answers[i].Err == nil {
			name := sealed[i].Source()
			of[name] = append(of[name], i)
			agreeing[name] = agreeing[name] || q.Agreeing || r.held != nil && r.held.source == name
		}
	}
	if r.held != nil && (len(of) > 1 || of[r.held.source] == nil) {
		r.end()
	}
	held := r.held // of the one source that is asked, if any is
	var wait sync.WaitGroup
	var mu sync.Mutex
	ask := func(i int, from func(context.Context, rule.Sealed) (Result, error)) {
		result, err := from(ctx, sealed[i])
		if answers[i].Err = err; err != nil {
			return
		}
		answers[i].Rows = result.Rows[0]
		mu.Lock()
		defer mu.Unlock()
		if r.at.IsZero() || result.At.Before(r.at) {
			r.at = result.At
		}
	}
	for name, questions := range of {
		if !agreeing[name] {
			for _, i := range questions {
				wait.Go(func() {
					ask(i, func(ctx context.Context, s rule.Sealed) (Result, error) { return r.engine.Do(ctx, s, r.viewer) })
				})
			}
			continue
		}
		wait.Go(func() {
			held := held
			for _, i := range questions {
				ask(i, func(ctx context.Context, s rule.Sealed) (_ Result, err error) {
					if held == nil {
						if held, err = r.engine.begin(ctx, name); err != nil {
							return Result{}, err
						}
					}
					rows, err := held.Run(ctx, s)
					at := held.at
					if err != nil { // nothing else can be asked on it
						held.End()
						held = nil
					}
					return Result{rows, at}, err
				})
			}
			if len(of) == 1 {
				r.held = held
			} else if held != nil {
				held.End()
			}
		})
	}
	wait.Wait()
	return answers
}

// begin takes a snapshot of a source.
func (e *Engine) begin(ctx context.Context, name string) (*reading, error) {
	src, err := e.Source(name)
	if err != nil {
		return nil, err
	}
	at := e.Hub.clock()
	r, err := src.Begin(ctx)
	if err != nil {
		return nil, err
	}
	return &reading{r, name, at}, nil
}
