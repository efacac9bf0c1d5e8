package web

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	lru "github.com/hashicorp/golang-lru/v2"

	"eskadel/identity"
	"eskadel/live"
	"eskadel/store"
)

// shortly is how long what many viewers ask for at the same time is kept: who they are,
// what is published, and the answers as they are sent. Whatever is changed through these
// pages, and every change of records that is heard, ends it at once.
const shortly = time.Second

// A brief keeps things for a moment, each made once for all who ask meanwhile.
type brief[T any] struct {
	kept *lru.Cache[string, *moment[T]]
	span time.Duration
	mu   sync.Mutex
}

type moment[T any] struct {
	mu    sync.Mutex
	at    time.Time
	stamp int64
	value T
}

func newBrief[T any](size int) *brief[T] {
	kept, err := lru.New[string, *moment[T]](size)
	if err != nil {
		panic(err) // only for a size below 1
	}
	return &brief[T]{kept: kept, span: shortly}
}

// get returns what is kept by a key at a stamp, or makes it; keep tells whether it may be kept.
func (b *brief[T]) get(key string, stamp func() int64, make func() (value T, keep bool, err error)) (T, error) {
	b.mu.Lock()
	m, ok := b.kept.Get(key)
	if !ok {
		m = &moment[T]{}
		b.kept.Add(key, m)
	}
	b.mu.Unlock()
	m.mu.Lock()
	defer m.mu.Unlock()
	if now := stamp(); !m.at.IsZero() && m.stamp == now && time.Since(m.at) < b.span {
		return m.value, nil
	}
	before, at := stamp(), time.Now()
	value, keep, err := make()
	if m.at = (time.Time{}); err == nil && keep {
		m.value, m.stamp, m.at = value, before, at
	}
	return value, err
}

func (b *brief[T]) forget() { b.kept.Purge() }

// always is the stamp of what no change of records concerns.
func always() int64 { return 0 }

// A sent answer is the same for all who ask the same and may see the same.
type sent struct {
	plain  []byte
	packed []byte
}

func packedOf(v any) (*sent, error) {
	plain, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	w, _ := gzip.NewWriterLevel(&b, gzip.BestSpeed)
	_, _ = w.Write(plain)
	_ = w.Close()
	return &sent{plain, b.Bytes()}, nil
}

func (a *sent) to(c *gin.Context) {
	c.Header("Vary", "Accept-Encoding")
	if strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		c.Header("Content-Encoding", "gzip")
		c.Data(http.StatusOK, "application/json; charset=utf-8", a.packed)
		return
	}
	c.Data(http.StatusOK, "application/json; charset=utf-8", a.plain)
}

// moments are what is kept shortly.
type moments struct {
	callers    *brief[*identity.Caller]
	dashboards *brief[*store.Dashboard]
	answers    *brief[*sent]
}

func newMoments() moments {
	return moments{newBrief[*identity.Caller](4000), newBrief[*store.Dashboard](200), newBrief[*sent](1000)}
}

// forgetting ends what is kept shortly once somebody has changed something.
func (s *Server) forgetting(c *gin.Context) {
	c.Next()
	if c.Request.Method == http.MethodGet || c.Request.Method == http.MethodHead || strings.HasPrefix(c.FullPath(), "/view/") {
		return
	}
	s.moments.callers.forget()
	s.moments.dashboards.forget()
	s.moments.answers.forget()
}

// widget answers with JSON: a drawing to draw, or HTML to show. Viewers in frames who may
// see the same are sent the same.
func (s *Server) widget(c *gin.Context) {
	answer := func() (*sent, bool, error) {
		v, err := s.view(c)
		if err != nil {
			return nil, false, err
		}
		a, err := v.Widget(c.Param("widget"), live.Drawing)
		if err != nil {
			return nil, false, err
		}
		body, err := s.answered(c, a, nil)
		if err != nil {
			return nil, false, err
		}
		out, err := packedOf(body)
		return out, a.Live, err
	}
	who := caller(c)
	var out *sent
	var err error
	if who.HostApp == "" || !who.MaySee(c.Param("dashboard")) {
		out, _, err = answer()
	} else {
		seen, _ := json.Marshal([]any{who.HostApp, who.Viewer.Roles, who.Viewer.Attributes, c.Param("dashboard"), c.Param("widget"), c.PostForm("state"), c.PostForm("draft"), c.Query("draft")})
		out, err = s.moments.answers.get(string(seen), s.engine.Hub.Changes, answer)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	out.to(c)
}
