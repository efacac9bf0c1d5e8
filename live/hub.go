// Package live answers questions: it seals plans with row rules, runs identical
// questions once for everyone who may see the same, keeps results until the records
// change, and tells viewers when that happens. What a chart computes it leaves to core.
package live

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"eskadel/observe"
	"eskadel/source"
)

// A Hub knows which tables have changed, and when.
type Hub struct {
	mu       sync.Mutex
	epochs   map[string]int64     // per source: raised when anything may have changed
	versions map[string]int64     // per table, "source/schema.table"
	heard    map[string]bool      // per source: whether changes are being heard
	changed  map[string]time.Time // per source: the last change
	touched  map[string]time.Time // per table: the same
	since    map[string]time.Time // per source: when it began to be heard
	subs     map[*Subscription]bool
	clock    func() time.Time
	pinned   time.Time // what now is, where it is held
	heardOf  int64     // how often anything was heard
}

// NewHub returns a hub that has heard of nothing.
func NewHub() *Hub {
	return &Hub{clock: time.Now, epochs: map[string]int64{}, versions: map[string]int64{}, heard: map[string]bool{}, changed: map[string]time.Time{}, touched: map[string]time.Time{}, since: map[string]time.Time{}, subs: map[*Subscription]bool{}}
}

// A Subscription is told of changes to some tables. Events never block the hub: what
// comes while an event waits to be read is joined to it.
type Subscription struct {
	hub    *Hub
	tables map[string]Concern
	mu     sync.Mutex
	wait   Event
	signal chan struct{}
}

// A Concern tells whether a change may be one of records that somebody may see.
type Concern func(source.Change) bool

// An Event says which tables changed, or that a source was lost or found again.
type Event struct {
	Tables map[string]bool // "source/schema.table"
	Lost   bool
	Back   bool
}

// Table names a table of a source, as what is subscribed to.
func Table(source, table string) string { return source + "/" + table }

// Subscribe begins to listen for changes of tables, each given as source and table id, with
// what tells whether a change may concern whoever listens; nil for all changes.
func (h *Hub) Subscribe(tables map[string]Concern) *Subscription {
	s := &Subscription{hub: h, tables: tables, signal: make(chan struct{}, 1)}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.subs[s] = true
	return s
}

// Close ends the subscription.
func (s *Subscription) Close() {
	s.hub.mu.Lock()
	defer s.hub.mu.Unlock()
	delete(s.hub.subs, s)
}

// C is ready when Take has something.
func (s *Subscription) C() <-chan struct{} { return s.signal }

// Take returns what has happened since the last Take.
func (s *Subscription) Take() Event {
	s.mu.Lock()
	defer s.mu.Unlock()
	e := s.wait
	s.wait = Event{}
	return e
}

func (s *Subscription) tell(e Event) {
	s.mu.Lock()
	if s.wait.Tables == nil {
		s.wait.Tables = map[string]bool{}
	}
	for t := range e.Tables {
		s.wait.Tables[t] = true
	}
	if e.Lost || e.Back {
		s.wait.Lost, s.wait.Back = e.Lost, e.Back
	}
	s.mu.Unlock()
	select {
	case s.signal <- struct{}{}:
	default:
	}
}

// Changed says that records of a table changed.
func (h *Hub) Changed(of string, c source.Change) {
	h.mu.Lock()
	defer h.mu.Unlock()
	name := Table(of, c.Table)
	h.versions[name]++
	h.heardOf++
	observe.Changed(of)
	h.changed[of] = h.clock()
	h.touched[name] = h.changed[of]
	for s := range h.subs {
		if concern, listens := s.tables[name]; listens && (concern == nil || concern(c)) {
			s.tell(Event{Tables: map[string]bool{name: true}})
		}
	}
}

// Reconnected says that changes are heard again and any may have been missed.
func (h *Hub) Reconnected(source string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.epochs[source]++
	h.heardOf++
	h.changed[source] = h.clock()
	if !h.heard[source] {
		h.since[source] = h.changed[source]
	}
	h.heard[source] = true
	h.all(source, Event{Back: true})
}

// Lost says that changes are not heard of.
func (h *Hub) Lost(source string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.heardOf++
	if h.heard[source] {
		h.heard[source] = false
		h.all(source, Event{Lost: true})
	}
}

func (h *Hub) all(source string, e Event) {
	for s := range h.subs {
		touched := map[string]bool{}
		for t := range s.tables {
			if strings.HasPrefix(t, source+"/") {
				touched[t] = true
			}
		}
		if len(touched) > 0 {
			e.Tables = touched
			s.tell(e)
		}
	}
}

// LastChanged is when records of some tables of a source changed last, zero where none have
// since they are heard of. heard is false while they are not.
func (h *Hub) LastChanged(source string, tables []string) (at, since time.Time, heard bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, t := range tables {
		if touched := h.touched[Table(source, t)]; touched.After(at) {
			at = touched
		}
	}
	return at, h.since[source], h.heard[source]
}

// Signature names the state of some tables of a source. It is read before a question's
// snapshot, so that a result is never taken for newer than it is. ok is false while
// changes are not heard, when nothing may be kept.
func (h *Hub) Signature(source string, tables []string) (signature string, ok bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	var b strings.Builder
	fmt.Fprintf(&b, "%d", h.epochs[source])
	for _, t := range tables {
		fmt.Fprintf(&b, ",%d", h.versions[Table(source, t)])
	}
	return b.String(), h.heard[source]
}

// order lists the sources of some tables, always in the same order.
func (h *Hub) order(tables map[string][]string) []string { return slices.Sorted(maps.Keys(tables)) }

// Changes tells how often anything was heard: while it stays the same, nothing that is
// watched has changed.
func (h *Hub) Changes() int64 {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.heardOf
}

// Heard tells whether a source's changes are being heard.
func (h *Hub) Heard(source string) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.heard[source]
}

// Now is the clock that questions about a source are pinned to: the start of the
// minute or, if later, the last change. So viewers who ask the same within a minute,
// or because of the same change, ask it at the same time.
func (h *Hub) Now(source string) time.Time {
	h.mu.Lock()
	defer h.mu.Unlock()
	if !h.pinned.IsZero() {
		return h.pinned
	}
	now := h.clock().UTC().Truncate(time.Minute)
	if at := h.changed[source].UTC(); at.After(now) {
		return at.Round(0)
	}
	return now
}

// Pin holds the time that questions, pages and sentences take for now.
func (h *Hub) Pin(at time.Time) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.pinned = at.UTC()
}

// Pinned tells whether now is held.
func (h *Hub) Pinned() bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return !h.pinned.IsZero()
}

// Clock is the time that people are shown: the true one, unless it is pinned.
func (h *Hub) Clock() time.Time {
	h.mu.Lock()
	defer h.mu.Unlock()
	if !h.pinned.IsZero() {
		return h.pinned
	}
	return h.clock()
}
