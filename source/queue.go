package source

import (
	"context"
	"sync"
	"time"

	"eskadel/core/problem"
)

// A Class says how soon somebody's questions are put: viewers' before builders', and these
// before what nobody waits for.
type Class int

const (
	Viewers Class = iota
	Builders
	Background
)

// An Asker is whoever a question is put for.
type Asker struct {
	ID    string // the same for all questions of one viewer
	Class Class
}

type askerKey struct{}

// For is a context whose questions are put for somebody; without one they are background.
func For(ctx context.Context, a Asker) context.Context {
	if ctx.Value(patientKey{}) != nil {
		a.Class = Background
	}
	return context.WithValue(ctx, askerKey{}, a)
}

type patientKey struct{}

// Patient is a context whose questions are background, for whomever they are put: nobody waits for them.
func Patient(ctx context.Context) context.Context {
	return For(context.WithValue(ctx, patientKey{}, true), Asker{})
}

func askerOf(ctx context.Context) Asker {
	if a, ok := ctx.Value(askerKey{}).(Asker); ok {
		return a
	}
	return Asker{Class: Background}
}

// Of the connections to a source nobody takes all: so many are one asker's at most, and so
// many those of a whole class. What is slow for one leaves room for the others.
const mostOfOne = 4

var mostOfClass = [...]int{Viewers: Connections, Builders: 4, Background: 2}

// patience is how long a question waits for its turn before its asker is told its place.
const patience = 10 * time.Second

// A queue hands out a source's connections.
type queue struct {
	mu       sync.Mutex
	free     int
	by       map[string]int
	of       [len(mostOfClass)]int
	waiting  []*waiter // in the order in which they came
	patience time.Duration
}

type waiter struct {
	Asker
	turn chan struct{}
}

func newQueue() *queue { return &queue{free: Connections, by: map[string]int{}, patience: patience} }

// enter waits for a turn, and returns what ends it.
func (q *queue) enter(ctx context.Context) (leave func(), err error) {
	w := &waiter{askerOf(ctx), make(chan struct{})}
	q.mu.Lock()
	q.waiting = append(q.waiting, w)
	q.call()
	patient := time.NewTimer(q.patience)
	q.mu.Unlock()
	defer patient.Stop()
	select {
	case <-w.turn:
		return sync.OnceFunc(func() { q.leave(w) }), nil
	case <-ctx.Done():
		err = ctx.Err()
	case <-patient.C:
		err = q.place(w)
	}
	q.mu.Lock()
	defer q.mu.Unlock()
	for i, other := range q.waiting {
		if other == w {
			q.waiting = append(q.waiting[:i], q.waiting[i+1:]...)
			return nil, err
		}
	}
	// Its turn came in the same moment.
	return sync.OnceFunc(func() { q.leave(w) }), nil
}

func (q *queue) leave(w *waiter) {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.free++
	q.of[w.Class]--
	if q.by[w.ID]--; q.by[w.ID] == 0 {
		delete(q.by, w.ID)
	}
	q.call()
}

// before tells whether a comes before b, which came later.
func (q *queue) before(a, b *waiter) bool {
	if a.Class != b.Class {
		return a.Class < b.Class
	}
	return q.by[a.ID] <= q.by[b.ID]
}

// call gives free connections to those whose turn it is: the lowest class, in it whoever has
// the fewest, of these the first who came.
func (q *queue) call() {
	for q.free > 0 {
		best := -1
		for i, w := range q.waiting {
			if q.by[w.ID] >= mostOfOne || q.of[w.Class] >= mostOfClass[w.Class] {
				continue
			}
			if best < 0 || !q.before(q.waiting[best], w) {
				best = i
			}
		}
		if best < 0 {
			return
		}
		w := q.waiting[best]
		q.waiting = append(q.waiting[:best], q.waiting[best+1:]...)
		q.free--
		q.by[w.ID]++
		q.of[w.Class]++
		close(w.turn)
	}
}

// place says in words how many stand before one who has waited long.
func (q *queue) place(w *waiter) error {
	q.mu.Lock()
	defer q.mu.Unlock()
	ahead := 0
	for _, other := range q.waiting {
		if other == w {
			break
		}
		ahead++
	}
	switch ahead {
	case 0:
		return problem.New(problem.Down, "", "The database of the records is busy; this question is the next. It is asked again by itself.")
	case 1:
		return problem.New(problem.Down, "", "The database of the records is busy; one question stands before this one. It is asked again by itself.")
	}
	return problem.New(problem.Down, "", "The database of the records is busy; %d questions stand before this one. It is asked again by itself.", ahead)
}
