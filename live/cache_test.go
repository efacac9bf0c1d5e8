package live

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/observe"
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

func sealed(t *testing.T) rule.Sealed { return sealedOf(t, sample.Jobs()) }

func sealedOf(t *testing.T, ds *dataset.Dataset) rule.Sealed {
	p, err := planner.Build(query.Definition{Version: query.Version, Dataset: "jobs", Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}}, ds, query.Setting{Now: time.Unix(0, 0), Calendar: period.ISO(time.UTC)}, nil)
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
	for waiting := 0; waiting < n; runtime.Gosched() {
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
	hub.Changed("desk", source.Change{Table: "public.other"})
	ask()
	assert.EqualValues(t, 1, r.runs.Load(), "another table")
	hub.Changed("desk", source.Change{Table: "public.yard"})
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

// An answer is kept only where every change of what it was read from is heard, and not for
// ever even then.
func TestWhatIsKept(t *testing.T) {
	hub := NewHub()
	now := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	hub.clock = func() time.Time { return now }
	hub.Reconnected("desk")
	for name, c := range map[string]struct {
		watched bool
		later   time.Duration
		asked   int64
	}{
		"heard":                      {true, LongestAge - time.Second, 1},
		"heard, but old":             {true, LongestAge, 2},
		"a linked table is not seen": {false, 0, 2},
	} {
		ds := sample.Jobs()
		ds.Linked("public.yard").Watched = c.watched
		assert.Equal(t, c.watched, ds.Live(), name)
		cache, r, s := NewCache(hub), &slow{release: make(chan error, 2)}, sealedOf(t, ds)
		r.release <- nil
		_, err := cache.Do(context.Background(), s, r)
		require.NoError(t, err)
		r.release <- nil
		now = now.Add(c.later)
		_, err = cache.Do(context.Background(), s, r)
		require.NoError(t, err)
		assert.Equal(t, c.asked, r.runs.Load(), name)
	}
}

// Whoever listens is told of the changes that concern them, joined while they wait.
func TestWhoIsTold(t *testing.T) {
	hub := NewHub()
	mine := func(c source.Change) bool {
		held, known := c.Values["yard_id"]
		return !known || len(held) > 0 && *held[0] == "3"
	}
	sub := hub.Subscribe(map[string]Concern{"desk/public.job": mine, "desk/public.yard": nil})
	defer sub.Close()
	three, four := "3", "4"
	for _, values := range []map[string][]*string{{"yard_id": {&four}}, {"yard_id": {}}} {
		hub.Changed("desk", source.Change{Table: "public.job", Values: values})
		assert.Empty(t, sub.Take().Tables, "of rows that are not theirs nothing is told")
	}
	for _, values := range []map[string][]*string{{"yard_id": {&three}}, nil} {
		hub.Changed("desk", source.Change{Table: "public.job", Values: values})
		assert.True(t, sub.Take().Tables["desk/public.job"])
	}
	hub.Changed("desk", source.Change{Table: "public.yard", Values: map[string][]*string{"yard_id": {&four}}})
	hub.Lost("desk")
	assert.True(t, sub.Take().Tables["desk/public.yard"])
}

// That changes are not heard, or are again, is told to whoever listens to the source, once.
func TestLosingASourceIsTold(t *testing.T) {
	hub := NewHub()
	hub.Reconnected("desk")
	mine, other := hub.Subscribe(map[string]Concern{"desk/public.job": nil, "desk/public.yard": nil}), hub.Subscribe(map[string]Concern{"shore/public.job": nil})
	defer mine.Close()
	defer other.Close()
	both := map[string]bool{"desk/public.job": true, "desk/public.yard": true}
	changes := hub.Changes()
	hub.Lost("desk")
	<-mine.C()
	assert.Equal(t, Event{Tables: both, Lost: true}, mine.Take())
	assert.False(t, hub.Heard("desk"))
	hub.Lost("desk")
	assert.Equal(t, Event{}, mine.Take(), "it was lost already")
	hub.Reconnected("desk")
	assert.Equal(t, Event{Tables: both, Back: true}, mine.Take())
	hub.Changed("desk", source.Change{Table: "public.job"})
	hub.Lost("desk")
	hub.Changed("desk", source.Change{Table: "public.yard"})
	assert.Equal(t, Event{Tables: both, Lost: true}, mine.Take(), "what comes meanwhile is joined")
	assert.Equal(t, Event{}, other.Take(), "another source")
	assert.Equal(t, changes+6, hub.Changes())
	before, _ := hub.Signature("desk", []string{"public.job", "public.yard"})
	hub.Changed("desk", source.Change{Table: "public.note"})
	same, _ := hub.Signature("desk", []string{"public.job", "public.yard"})
	assert.Equal(t, before, same)
	hub.Changed("desk", source.Change{Table: "public.job"})
	after, heard := hub.Signature("desk", []string{"public.job", "public.yard"})
	assert.NotEqual(t, before, after)
	assert.False(t, heard)
}

// Every now is the one that is held.
func TestHeldTime(t *testing.T) {
	hub := NewHub()
	at := time.Date(2026, 3, 29, 0, 30, 0, 0, time.UTC)
	hub.Pin(at)
	hub.Changed("desk", source.Change{Table: "public.job"})
	assert.Equal(t, at, hub.Now("desk"))
	assert.Equal(t, at, hub.Clock())
	assert.True(t, hub.Pinned())
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

// stubborn goes on for a while after it was told to stop, as a database may.
type stubborn struct {
	slow
	ends chan struct{}
}

func (s *stubborn) Run(ctx context.Context, q rule.Sealed) ([]source.Rows, error) {
	if s.runs.Load() == 0 {
		s.runs.Add(1)
		<-s.ends
		return nil, ctx.Err()
	}
	return s.slow.Run(ctx, q)
}

// Whoever asks after a question was stopped asks anew, and is joined by who comes next, even
// while the stopped one has not ended yet and when it does.
func TestAStoppedQuestionLeavesItsPlace(t *testing.T) {
	hub := NewHub()
	hub.Reconnected("desk")
	c, r, s := NewCache(hub), &stubborn{slow: slow{release: make(chan error)}, ends: make(chan struct{})}, sealed(t)
	ctx, stop := context.WithCancel(context.Background())
	left := make(chan error)
	go func() { _, err := c.Do(ctx, s, r); left <- err }()
	require.Eventually(t, func() bool { return r.runs.Load() == 1 }, 5*time.Second, time.Millisecond)
	stop()
	assert.ErrorIs(t, <-left, context.Canceled)
	second := together(c, s, r, 1)
	require.Eventually(t, func() bool { return r.runs.Load() == 2 }, 5*time.Second, time.Millisecond, "asked anew")
	c.mu.Lock()
	var anew *flight
	for _, f := range c.flights {
		anew = f
	}
	c.mu.Unlock()
	close(r.ends)
	require.Eventually(t, func() bool {
		c.mu.Lock()
		defer c.mu.Unlock()
		return len(c.flights) == 1
	}, 5*time.Second, time.Millisecond)
	third := together(c, s, r, 1)
	r.release <- nil
	second.Wait()
	third.Wait()
	<-anew.done
	assert.EqualValues(t, 2, r.runs.Load(), "the third joined the second")
}

func TestUnsealedPlansAreRefused(t *testing.T) {
	_, err := NewCache(NewHub()).Do(context.Background(), nil, &slow{})
	assert.ErrorContains(t, err, "row rules")
}

func TestSubscriptionsJoinWhatWaits(t *testing.T) {
	hub := NewHub()
	s := hub.Subscribe(map[string]Concern{"desk/public.job": nil, "desk/public.yard": nil})
	hub.Changed("desk", source.Change{Table: "public.job"})
	hub.Changed("desk", source.Change{Table: "public.note"})
	hub.Changed("desk", source.Change{Table: "public.yard"})
	<-s.C()
	assert.Equal(t, map[string]bool{"desk/public.job": true, "desk/public.yard": true}, s.Take().Tables)
	s.Close()
	hub.Changed("desk", source.Change{Table: "public.job"})
	assert.Empty(t, s.Take().Tables)
	now := time.Date(2026, 11, 27, 12, 0, 30, 0, time.UTC)
	hub.clock = func() time.Time { return now }
	assert.Equal(t, now.Truncate(time.Minute), hub.Now("yards"), "held to the minute")
	hub.Changed("yards", source.Change{Table: "public.job"})
	assert.Equal(t, now, hub.Now("yards"), "or to the last change")
}

// What is kept takes no more memory than it may, whatever is asked; what was asked for last
// stays, and one large answer does not drive out the others.
func TestMemoryIsBounded(t *testing.T) {
	hub := NewHub()
	hub.Reconnected("desk")
	c := NewCache(hub)
	c.most = 1 << 20
	asked, all := 0, scope(t)
	ask := func(key string, size int64) {
		_, _, err := c.Computed(context.Background(), all, key, func(context.Context) (any, time.Time, int64, error) {
			asked++
			return key, hub.clock(), size, nil
		})
		require.NoError(t, err)
	}
	for n := range 10_000 {
		ask(fmt.Sprint("question ", n), int64(n%50)*100)
		require.LessOrEqual(t, c.Bytes(), c.most)
	}
	assert.Greater(t, c.Bytes(), c.most*9/10, "it is used")
	ask("question 9999", 0)
	assert.Equal(t, 10_000, asked, "the newest is kept")
	ask("question 0", 0)
	assert.Equal(t, 10_001, asked, "the oldest is not")
	before := c.Bytes()
	ask("all at once", c.most/2)
	assert.Equal(t, before, c.Bytes())
	ask("question 9999", 0)
	assert.Equal(t, 10_002, asked)
	c.mu.Lock()
	defer c.mu.Unlock()
	var sum int64
	for _, e := range c.kept.Values() {
		sum += e.size
	}
	assert.Equal(t, sum, c.bytes, "it is counted right")
}

func scope(t *testing.T) rule.Scope {
	s := rule.ScopeOf(rule.Viewer{Builder: true}, nil, sample.Jobs())
	require.NoError(t, rule.CheckScope(s))
	return s
}

// What was computed is shared within its scope until the records change.
func TestWhatWasComputedIsKeptWithinItsScope(t *testing.T) {
	hub := NewHub()
	hub.Reconnected("desk")
	c := NewCache(hub)
	made := 0
	ask := func(s rule.Scope) (any, error) {
		v, _, err := c.Computed(context.Background(), s, "a chart", func(context.Context) (any, time.Time, int64, error) {
			made++
			return made, hub.clock(), 100, nil
		})
		return v, err
	}
	get := func(s rule.Scope) any { v, err := ask(s); require.NoError(t, err); return v }
	foreman := func(yard string) rule.Scope {
		return rule.ScopeOf(rule.Viewer{Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": yard}}, nil, sample.Jobs())
	}
	assert.Equal(t, 1, get(foreman("1")))
	assert.Equal(t, 1, get(foreman("1")))
	assert.Equal(t, 2, get(foreman("2")), "another yard's")
	hub.Changed("desk", source.Change{Table: "public.yard"})
	assert.Equal(t, 3, get(foreman("1")), "records changed")
	hub.Lost("desk")
	assert.Equal(t, 4, get(foreman("1")))
	assert.Equal(t, 5, get(foreman("1")), "nothing is kept unheard")
	_, err := ask(rule.Scope{})
	assert.ErrorContains(t, err, "row rules")
}

// How much each thing that is kept is taken to need, and where the largest that is kept ends.
func TestWhatIsKeptIsMeasured(t *testing.T) {
	row := []field.Value{field.OfInt(1), field.OfText("Tarn Quay")}
	one := row[0].Size() + row[1].Size()
	for n, rows := range map[int64][]source.Rows{200: nil, 224 + one: {{row}}, 200 + 3*(24+one): {{row, row}, {row}}} {
		assert.Equal(t, n, Result{Rows: rows}.size())
	}
	c := NewCache(NewHub())
	c.most = 4000
	c.add("key", entry{size: 1000 - 303})
	assert.EqualValues(t, 1000, c.Bytes(), "a quarter, with its key and what it takes to keep it")
	c.add("more", entry{size: 1000 - 303})
	assert.EqualValues(t, 1000, c.Bytes(), "more than a quarter is not kept")
	c.add("key", entry{size: 0})
	assert.EqualValues(t, 303, c.Bytes(), "in the place of what was kept there")
	for i := range 20 {
		c.add(fmt.Sprintf("k%02d", i), entry{size: 500 - 303})
	}
	assert.EqualValues(t, 4000, c.Bytes(), "all of it is used")
}

// What an installation is watched by counts each way in which a question is answered.
func TestWhatIsAskedIsCounted(t *testing.T) {
	measured := func() map[string]float64 {
		w := httptest.NewRecorder()
		observe.Metrics().ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/metrics", nil))
		out := map[string]float64{}
		for line := range strings.Lines(w.Body.String()) {
			name, value, _ := strings.Cut(strings.TrimSpace(line), " ")
			if n, err := strconv.ParseFloat(value, 64); err == nil {
				out[name] = n
			}
		}
		return out
	}
	before := measured()
	hub := NewHub()
	hub.Reconnected("desk")
	c, r, s := NewCache(hub), &slow{release: make(chan error)}, sealed(t)
	wait := together(c, s, r, 3)
	r.release <- nil
	wait.Wait()
	_, err := c.Do(context.Background(), s, r)
	require.NoError(t, err)
	hub.Changed("desk", source.Change{Table: "public.job"})
	after := measured()
	for name, more := range map[string]float64{`eskadel_cache_total{outcome="asked"}`: 1, `eskadel_cache_total{outcome="joined"}`: 2, `eskadel_cache_total{outcome="kept"}`: 1, `eskadel_changes_total{source="desk"}`: 1} {
		assert.Equal(t, more, after[name]-before[name], name)
	}
	assert.EqualValues(t, c.Bytes(), after["eskadel_cache_bytes"])
}
