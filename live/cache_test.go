package live

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/source"
)

// A slow runner answers when told to, and counts.
type slow struct {
	runs    atomic.Int64
	release chan error
	stopped atomic.Int64
}

func (s *slow) Run(ctx context.Context, _ rule.Sealed) ([]source.Rows, error) {
	s.runs.Add(1)
	select {
	case err := <-s.release:
		return []source.Rows{{{field.OfInt(1)}}}, err
	case <-ctx.Done():
		s.stopped.Add(1)
		return nil, ctx.Err()
	}
}

func sealed(t *testing.T) rule.Sealed {
	p, err := query.Build(query.Definition{Version: 1, Dataset: "jobs", Measures: []query.Measure{{Aggregate: query.Count, Field: query.Records}}}, sample.Jobs(), query.Setting{Now: time.Unix(0, 0), Calendar: period.ISO(time.UTC)}, nil)
	require.NoError(t, err)
	s, err := rule.Seal(p, rule.Viewer{Builder: true})
	require.NoError(t, err)
	return s
}

// together asks n times at once and waits until all are waiting.
func together(c *Cache, s rule.Sealed, r Runner, n int) *sync.WaitGroup {
	var wait, asking sync.WaitGroup
	for range n {
		wait.Add(1)
		asking.Add(1)
		go func() {
			defer wait.Done()
			asking.Done()
			_, _ = c.Do(context.Background(), s, r)
		}()
	}
	asking.Wait()
	for waiting := 0; waiting < n; {
		time.Sleep(time.Millisecond)
		c.mu.Lock()
		for _, f := range c.flights {
			waiting = f.waiters
		}
		c.mu.Unlock()
	}
	return &wait
}

func TestIdenticalQuestionsRunOnceAndAreKeptUntilAChange(t *testing.T) {
	hub := NewHub()
	hub.Reconnected("desk")
	c, r, s := NewCache(hub), &slow{release: make(chan error, 10)}, sealed(t)
	wait := together(c, s, r, 30)
	r.release <- nil
	wait.Wait()
	assert.EqualValues(t, 1, r.runs.Load())
	ask := func() {
		r.release <- nil
		_, err := c.Do(context.Background(), s, r)
		require.NoError(t, err)
		select {
		case <-r.release:
		default:
		}
	}
	ask()
	assert.EqualValues(t, 1, r.runs.Load(), "kept")
	hub.Changed("desk", "public.other")
	ask()
	assert.EqualValues(t, 1, r.runs.Load(), "another table")
	hub.Changed("desk", "public.yard")
	ask()
	assert.EqualValues(t, 2, r.runs.Load(), "a linked table changed")
	hub.Lost("desk")
	ask()
	ask()
	assert.EqualValues(t, 4, r.runs.Load(), "nothing is kept while changes are not heard")
	hub.Reconnected("desk")
	ask()
	assert.EqualValues(t, 5, r.runs.Load(), "after a reconnect everything counts as changed")
}

func TestFailuresAreNotKept(t *testing.T) {
	hub := NewHub()
	hub.Reconnected("desk")
	c, r, s := NewCache(hub), &slow{release: make(chan error, 2)}, sealed(t)
	r.release <- errors.New("no")
	_, err := c.Do(context.Background(), s, r)
	assert.Error(t, err)
	r.release <- nil
	_, err = c.Do(context.Background(), s, r)
	assert.NoError(t, err)
}

func TestAQuestionEndsWithItsLastWaiter(t *testing.T) {
	hub := NewHub()
	c, r, s := NewCache(hub), &slow{release: make(chan error)}, sealed(t)
	first, stopFirst := context.WithCancel(context.Background())
	second, stopSecond := context.WithCancel(context.Background())
	errs := make(chan error, 2)
	for _, ctx := range []context.Context{first, second} {
		go func() { _, err := c.Do(ctx, s, r); errs <- err }()
	}
	require.Eventually(t, func() bool {
		c.mu.Lock()
		defer c.mu.Unlock()
		for _, f := range c.flights {
			return f.waiters == 2
		}
		return false
	}, 5*time.Second, time.Millisecond)
	stopFirst()
	assert.ErrorIs(t, <-errs, context.Canceled)
	assert.Zero(t, r.stopped.Load(), "the second still waits")
	stopSecond()
	<-errs
	assert.Eventually(t, func() bool { return r.stopped.Load() == 1 }, 5*time.Second, time.Millisecond, "stopped in the database too")
}

func TestUnsealedPlansAreRefused(t *testing.T) {
	_, err := NewCache(NewHub()).Do(context.Background(), nil, &slow{})
	assert.ErrorContains(t, err, "row rules")
}

func TestSubscriptionsJoinWhatWaits(t *testing.T) {
	hub := NewHub()
	s := hub.Subscribe(map[string]bool{"desk/public.job": true, "desk/public.yard": true})
	hub.Changed("desk", "public.job")
	hub.Changed("desk", "public.note")
	hub.Changed("desk", "public.yard")
	<-s.C()
	assert.Equal(t, map[string]bool{"desk/public.job": true, "desk/public.yard": true}, s.Take().Tables)
	s.Close()
	hub.Changed("desk", "public.job")
	assert.Empty(t, s.Take().Tables)
	before := hub.Now("desk")
	assert.False(t, before.After(time.Now()))
	assert.Equal(t, before, hub.Now("desk"), "pinned until the next change or minute")
}
