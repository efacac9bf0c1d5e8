package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/jackc/pgx/v5"
)

// channel is where instances tell each other of changes.
const channel = "eskadel"

// Kinds of what is told of, besides those of documents.
const (
	OfSource = "source"
	OfHost   = "host app"
	OfPeople = "people" // persons, sessions, keys and viewers: who may come in
	OfFile   = "file"
	// OfNotices is that somebody was told of something, or has read it.
	OfNotices = "notices"
	Anything  = "" // anything may have changed: the listening was interrupted
)

// Told says what changed.
type Told struct{ Kind, Name string }

func (t Told) payload(instance string) string { return instance + "|" + t.Kind + "|" + t.Name }

// telling tells whoever listens of changes, those of other instances too.
type telling struct {
	url      string
	instance string
	hearing  atomic.Bool
	stop     context.CancelFunc
	done     chan struct{}
	mu       sync.Mutex
	listen   []func(Told)
	kept     map[string]*keeping
}

func newTelling(url string) *telling {
	b := make([]byte, 6)
	_, _ = rand.Read(b)
	ctx, stop := context.WithCancel(context.Background())
	t := &telling{url: url, instance: hex.EncodeToString(b), stop: stop, done: make(chan struct{}), kept: map[string]*keeping{}}
	go t.hear(ctx)
	return t
}

func (t *telling) close() {
	t.stop()
	<-t.done
}

// OnTold has f called with every change, by whichever instance it was made, once it is kept.
func (t *telling) OnTold(f func(Told)) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.listen = append(t.listen, f)
}

// Hearing tells whether the changes of other instances are being heard; while they are not,
// nothing that was read is kept.
func (t *telling) Hearing() bool { return t.hearing.Load() }

func (t *telling) tell(of Told) {
	t.mu.Lock()
	listen := t.listen
	for kind, k := range t.kept {
		if of.Kind == Anything || of.Kind == kind {
			k.forget()
		}
	}
	t.mu.Unlock()
	for _, f := range listen {
		f(of)
	}
}

// Between tries to listen, and between looks whether the connection still stands.
const (
	listenAgain = time.Second
	listenLook  = 20 * time.Second
)

// hear listens for what other instances tell, until ctx ends.
func (t *telling) hear(ctx context.Context) {
	defer close(t.done)
	for lost := false; ctx.Err() == nil; {
		err := t.heard(ctx)
		heard := t.hearing.Swap(false)
		if ctx.Err() != nil {
			return
		}
		if heard || !lost { // once, not with every try
			lost = true
			slog.Warn("changes by other instances are not heard just now", "error", err)
			t.tell(Told{})
		}
		select {
		case <-ctx.Done():
		case <-time.After(listenAgain):
		}
	}
}

func (t *telling) heard(ctx context.Context) error {
	conn, err := pgx.Connect(ctx, t.url)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "listen "+channel); err != nil {
		return err
	}
	t.hearing.Store(true)
	t.tell(Told{})
	for {
		waiting, end := context.WithTimeout(ctx, listenLook)
		n, err := conn.WaitForNotification(waiting)
		quiet := err != nil && waiting.Err() != nil && ctx.Err() == nil
		end()
		if quiet {
			// Nothing for a while: does the connection still stand?
			look, end := context.WithTimeout(ctx, listenLook)
			_, err = conn.Exec(look, "select 1")
			end()
			if err == nil {
				continue
			}
		}
		if err != nil {
			return err
		}
		if from, of, ok := strings.Cut(n.Payload, "|"); ok && from != t.instance {
			kind, name, _ := strings.Cut(of, "|")
			t.tell(Told{kind, name})
		}
	}
}

// keeping is what was read of one kind, kept until a change of that kind is told.
type keeping struct {
	mu     sync.Mutex
	stamp  int64
	values *lru.Cache[string, any]
}

// mostKept is how much of one kind is kept.
const mostKept = 5000

func (k *keeping) forget() {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.stamp++
	k.values.Purge()
}

// of returns what is kept of a kind.
func (t *telling) of(kind string) *keeping {
	t.mu.Lock()
	defer t.mu.Unlock()
	k := t.kept[kind]
	if k == nil {
		values, err := lru.New[string, any](mostKept)
		if err != nil {
			panic(err) // only for a size below 1
		}
		k = &keeping{values: values}
		t.kept[kind] = k
	}
	return k
}

// Kept returns what is kept of a kind under a name, or reads and keeps it; what is kept is
// only looked at. Within a change nothing is taken from what is kept.
func Kept[V any](s *Store, kind, name string, read func() (V, error)) (V, error) {
	if s.changing || !s.telling.Hearing() {
		return read()
	}
	k := s.telling.of(kind)
	k.mu.Lock()
	v, ok := k.values.Get(name)
	stamp := k.stamp
	k.mu.Unlock()
	if ok {
		return v.(V), nil
	}
	out, err := read()
	if err != nil {
		return out, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.stamp == stamp { // nothing was told while it was read
		k.values.Add(name, out)
	}
	return out, nil
}
