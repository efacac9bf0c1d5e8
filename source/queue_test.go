package source

import (
	"context"
	"fmt"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
)

// entered begins a question and tells who got a turn, in order.
type entered struct {
	q     *queue
	turns chan string
	leave map[string]func()
}

func (e *entered) ask(ctx context.Context, name string, a Asker) {
	waiting := func() int { e.q.mu.Lock(); defer e.q.mu.Unlock(); return len(e.q.waiting) + Connections - e.q.free }
	before := waiting()
	done := make(chan func())
	go func() {
		leave, err := e.q.enter(For(ctx, a))
		if err == nil {
			e.turns <- name
			done <- leave
		}
	}()
	for waiting() == before { // until it stands in the queue, or has its turn
		runtime.Gosched()
	}
	go func() {
		l := <-done
		e.q.mu.Lock()
		e.leave[name] = l
		e.q.mu.Unlock()
	}()
}

func (e *entered) end(name string) {
	for {
		e.q.mu.Lock()
		leave := e.leave[name]
		e.q.mu.Unlock()
		if leave != nil {
			leave()
			return
		}
		runtime.Gosched()
	}
}

func begin() *entered {
	return &entered{newQueue(), make(chan string, 100), map[string]func(){}}
}

func (e *entered) got(n int) (out []string) {
	for range n {
		out = append(out, <-e.turns)
	}
	return out
}

// One viewer with many slow questions leaves room for the others; a builder's questions
// come after viewers', and what nobody waits for comes last.
func TestTurns(t *testing.T) {
	e, ctx := begin(), context.Background()
	for i := range 8 {
		e.ask(ctx, fmt.Sprint("a", i), Asker{ID: "a"})
	}
	assert.ElementsMatch(t, []string{"a0", "a1", "a2", "a3"}, e.got(mostOfOne))
	e.ask(ctx, "b0", Asker{ID: "b"})
	assert.Equal(t, []string{"b0"}, e.got(1), "another viewer does not wait for the first")
	e.ask(ctx, "back", Asker{Class: Background})
	assert.Equal(t, []string{"back"}, e.got(1))
	e.ask(ctx, "more", Asker{Class: Background})
	e.ask(ctx, "builder", Asker{ID: "m", Class: Builders})
	e.ask(ctx, "b1", Asker{ID: "b"})
	e.ask(ctx, "c0", Asker{ID: "c"})
	for _, c := range []struct{ ends, begins string }{
		{"b0", "b1"},      // who has none, and came first of these
		{"a0", "c0"},      // who has fewer
		{"c0", "a4"},      // viewers before builders
		{"a1", "a5"},      // in the order in which they came
		{"a2", "a6"},      //
		{"a3", "a7"},      //
		{"b1", "builder"}, // builders before the background
		{"a4", "more"},
	} {
		e.end(c.ends)
		assert.Equal(t, []string{c.begins}, e.got(1), "when %s ends", c.ends)
	}
}

func TestPlaceInWords(t *testing.T) {
	e, ctx := begin(), context.Background()
	for i := range Connections + 2 {
		e.ask(ctx, fmt.Sprint(i), Asker{ID: fmt.Sprint(i)})
	}
	e.got(Connections)
	e.q.mu.Lock()
	e.q.patience = time.Millisecond
	e.q.mu.Unlock()
	_, err := e.q.enter(For(ctx, Asker{ID: "late"}))
	assert.True(t, problem.Is(err, problem.Down))
	assert.ErrorContains(t, err, "2 questions stand before this one")
	gone, cancel := context.WithCancel(ctx)
	cancel()
	_, err = e.q.enter(For(gone, Asker{ID: "gone"}))
	require.Error(t, err)
	e.q.mu.Lock()
	defer e.q.mu.Unlock()
	assert.Len(t, e.q.waiting, 2, "who leaves stands in nobody's way")
}
