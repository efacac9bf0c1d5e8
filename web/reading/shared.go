package reading

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

	"eskadel/rights"
	"eskadel/view"
	"eskadel/web/gate"
)

// shortly is how long answers that many viewers ask for at the same time are kept as they are
// sent. Every change that is told of ends it at once.
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

// widget answers with JSON: a drawing to draw, or HTML to show. Viewers in frames who may
// see the same are sent the same.
func (s *Server) widget(c *gin.Context) {
	answer := func() (*sent, bool, error) {
		l, err := s.look(c)
		if err != nil {
			return nil, false, err
		}
		a, err := l.Widget(c.Param("widget"), view.Drawing)
		if err != nil {
			return nil, false, err
		}
		body, err := s.Answered(c, a, nil)
		if err != nil {
			return nil, false, err
		}
		out, err := packedOf(body)
		return out, a.Live, err
	}
	who := gate.Caller(c)
	var out *sent
	var err error
	if who.HostApp == "" || rights.May(who, rights.See, rights.Thing{Dashboard: c.Param("dashboard")}) != nil {
		out, _, err = answer()
	} else {
		seen, _ := json.Marshal([]any{who.HostApp, who.Viewer.Roles, who.Viewer.Attributes, who.Viewer.Language, c.Param("dashboard"), c.Param("widget"), c.PostForm("state"), c.PostForm("draft"), c.Query("draft")})
		out, err = s.answers.get(string(seen), s.Workspace.Changes, answer)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	out.to(c)
}
