package live

import (
	"context"
	"encoding/json"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"eskadel/core/calc"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/source"
)

// A Result is what a sealed plan returned, and when.
type Result struct {
	Rows []source.Rows
	At   time.Time
	// computed keeps what was computed from the rows, by definition; what is kept there
	// is only read.
	computed *sync.Map
}

// once returns what make computes from the result for a definition, computing it at
// the first time only.
func (r Result) once(definition query.Definition, make func() *calc.Table) *calc.Table {
	key, err := json.Marshal(definition)
	if err != nil {
		return make()
	}
	if kept, ok := r.computed.Load(string(key)); ok {
		return kept.(*calc.Table)
	}
	t := make()
	r.computed.Store(string(key), t)
	return t
}

// A Runner runs sealed plans; a source.Source is one.
type Runner interface {
	Run(ctx context.Context, sealed rule.Sealed) ([]source.Rows, error)
}

// A Cache keeps results until the tables they were read from change. Identical
// questions that are asked at the same time run once.
type Cache struct {
	hub     *Hub
	longest time.Duration
	mu      sync.Mutex
	kept    *lru.Cache[string, Result]
	flights map[string]*flight
}

// Kept is how many results are kept.
const Kept = 2000

// LongestAge is how old a result may be, whatever is heard of its tables: their triggers
// may have been switched off meanwhile.
const LongestAge = time.Minute

// NewCache returns an empty cache.
func NewCache(hub *Hub) *Cache {
	kept, err := lru.New[string, Result](Kept)
	if err != nil {
		panic(err) // only for a size below 1
	}
	return &Cache{hub: hub, longest: LongestAge, kept: kept, flights: map[string]*flight{}}
}

// A flight is a question being run. Its context is its own and ends with its last waiter.
type flight struct {
	done    chan struct{}
	result  Result
	err     error
	waiters int
	cancel  context.CancelFunc
}

// Do returns the result of a sealed plan, from the cache if its tables have not
// changed since, which is known only where every change is heard. Nothing can be looked up but with a sealed plan.
func (c *Cache) Do(ctx context.Context, sealed rule.Sealed, r Runner) (Result, error) {
	if err := rule.Check(sealed); err != nil {
		return Result{}, err
	}
	signature, heard := c.hub.Signature(sealed.Source(), sealed.Tables())
	keep := heard && sealed.Live()
	key := sealed.Key() + " " + signature
	c.mu.Lock()
	if result, ok := c.kept.Get(key); ok && keep && c.hub.clock().Sub(result.At) < c.longest {
		c.mu.Unlock()
		return result, nil
	}
	f := c.flights[key]
	if f == nil {
		own, cancel := context.WithCancel(context.WithoutCancel(ctx))
		f = &flight{done: make(chan struct{}), cancel: cancel}
		c.flights[key] = f
		go func() {
			defer cancel()
			at := c.hub.clock()
			rows, err := r.Run(own, sealed)
			c.mu.Lock()
			f.result, f.err = Result{rows, at, &sync.Map{}}, err
			if err == nil && keep {
				c.kept.Add(key, f.result)
			}
			if c.flights[key] == f {
				delete(c.flights, key)
			}
			c.mu.Unlock()
			close(f.done)
		}()
	}
	f.waiters++
	c.mu.Unlock()
	select {
	case <-f.done:
		return f.result, f.err
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
		return Result{}, ctx.Err()
	}
}
