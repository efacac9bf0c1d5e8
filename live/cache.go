package live

import (
	"context"
	"sync"
	"time"

	"github.com/hashicorp/golang-lru/v2/simplelru"

	"eskadel/core/rule"
	"eskadel/observe"
	"eskadel/source"
)

// A Result is what a sealed plan returned, and when.
type Result struct {
	Rows []source.Rows
	At   time.Time
}

// size is about how many bytes the rows take.
func (r Result) size() (n int64) {
	for _, rows := range r.Rows {
		for _, row := range rows {
			n += 24
			for _, v := range row {
				n += v.Size()
			}
		}
	}
	return n + 200
}

// A Runner runs sealed plans; a source.Source is one.
type Runner interface {
	Run(ctx context.Context, sealed rule.Sealed) ([]source.Rows, error)
}

// A Cache keeps what was read from the records, and what was computed of it, until their
// tables change: as much as fits into its bytes, what was asked for last. What is asked at the
// same time is done once.
type Cache struct {
	hub     *Hub
	longest time.Duration
	most    int64

	mu      sync.Mutex
	kept    *simplelru.LRU[string, entry]
	bytes   int64
	flights map[string]*flight
}

// An entry is something that is kept.
type entry struct {
	value any
	at    time.Time // when the oldest of what it is made of was read
	size  int64
}

// CacheBytes is how much memory kept answers take, where nothing else is set.
const CacheBytes = 256 << 20

// LongestAge is how old a result may be, whatever is heard of its tables: their triggers
// may have been switched off meanwhile.
const LongestAge = time.Minute

// NewCache returns an empty cache.
func NewCache(hub *Hub) *Cache {
	c := &Cache{hub: hub, longest: LongestAge, most: CacheBytes, flights: map[string]*flight{}}
	kept, err := simplelru.NewLRU(1<<30, func(_ string, e entry) { c.bytes -= e.size })
	if err != nil {
		panic(err) // only for a size below 1
	}
	c.kept = kept
	return c
}

// Bytes is about how much memory what is kept takes.
func (c *Cache) Bytes() int64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.bytes
}

// add keeps something; what was asked for longest ago makes room for it. What is larger than
// a quarter of all is not kept, so that one answer does not drive out all others.
func (c *Cache) add(key string, e entry) {
	e.size += int64(len(key)) + 300
	if e.size > c.most/4 {
		return
	}
	c.kept.Remove(key)
	c.kept.Add(key, e)
	for c.bytes += e.size; c.bytes > c.most; {
		c.kept.RemoveOldest()
	}
	observe.Held(c.bytes)
}

// A flight is something being asked or computed. Its context is its own and ends with its
// last waiter.
type flight struct {
	done    chan struct{}
	entry   entry
	err     error
	waiters int
	cancel  context.CancelFunc
}

// Do returns the result of a sealed plan, from the cache if its tables have not changed
// since, which is known only where every change is heard. Nothing can be looked up but with
// a sealed plan.
func (c *Cache) Do(ctx context.Context, sealed rule.Sealed, r Runner) (Result, error) {
	if err := rule.Check(sealed); err != nil {
		return Result{}, err
	}
	signature, heard := c.hub.Signature(sealed.Source(), sealed.Tables())
	e, err := c.once(ctx, sealed.Key()+" "+signature, heard && sealed.Live(), func(ctx context.Context) (entry, error) {
		at := c.hub.clock()
		rows, err := r.Run(ctx, sealed)
		result := Result{rows, at}
		return entry{result, at, result.size()}, err
	})
	if err != nil {
		return Result{}, err
	}
	return e.value.(Result), nil
}

// Computed returns what was computed within a scope under a key, or computes it: made tells
// when the oldest record of it was read, and about how many bytes it takes. What is kept is
// only looked at.
func (c *Cache) Computed(ctx context.Context, scope rule.Scope, key string, compute func(ctx context.Context) (value any, at time.Time, size int64, err error)) (any, time.Time, error) {
	if err := rule.CheckScope(scope); err != nil {
		return nil, time.Time{}, err
	}
	key = scope.Key() + " " + key
	keep := scope.Live()
	for _, source := range c.hub.order(scope.Tables()) {
		signature, heard := c.hub.Signature(source, scope.Tables()[source])
		key += " " + signature
		keep = keep && heard
	}
	e, err := c.once(ctx, key, keep, func(ctx context.Context) (entry, error) {
		value, at, size, err := compute(ctx)
		return entry{value, at, size}, err
	})
	return e.value, e.at, err
}

// once returns what is kept under a key, or does it, once for all who ask meanwhile.
func (c *Cache) once(ctx context.Context, key string, keep bool, do func(ctx context.Context) (entry, error)) (entry, error) {
	c.mu.Lock()
	if e, ok := c.kept.Get(key); ok && keep && c.hub.clock().Sub(e.at) < c.longest {
		c.mu.Unlock()
		observe.Cache(observe.Kept)
		return e, nil
	}
	f := c.flights[key]
	if f == nil {
		observe.Cache(observe.Asked)
		own, cancel := context.WithCancel(context.WithoutCancel(ctx))
		f = &flight{done: make(chan struct{}), cancel: cancel}
		c.flights[key] = f
		go func() {
			defer cancel()
			e, err := do(own)
			c.mu.Lock()
			f.entry, f.err = e, err
			if err == nil && keep {
				c.add(key, e)
			}
			if c.flights[key] == f {
				delete(c.flights, key)
			}
			c.mu.Unlock()
			close(f.done)
		}()
	} else {
		observe.Cache(observe.Joined)
	}
	f.waiters++
	c.mu.Unlock()
	select {
	case <-f.done:
		return f.entry, f.err
	case <-ctx.Done():
		c.mu.Lock()
		if f.waiters--; f.waiters == 0 {
			// Nobody waits any more: the question is stopped in the database too.
			f.cancel()
			if c.flights[key] == f {
				delete(c.flights, key)
			}
		}
		c.mu.Unlock()
		return entry{}, ctx.Err()
	}
}
