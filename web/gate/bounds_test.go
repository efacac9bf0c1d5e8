package gate

import (
	"bytes"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// bare is a server of nothing but bounds, whose one path answers with the body's size.
func bare(t *testing.T, handlers ...gin.HandlerFunc) *httptest.Server {
	g := &Gate{}
	router := gin.New()
	router.Use(g.Recover, Logged, Timed, g.Secured)
	if handlers == nil {
		handlers = []gin.HandlerFunc{g.Whole(MostUnknown)}
	}
	router.POST("/api/size", append(handlers, func(c *gin.Context) {
		b, err := io.ReadAll(c.Request.Body)
		c.String(http.StatusOK, "%d %v", len(b), err)
	})...)
	h := httptest.NewUnstartedServer(router)
	h.Config = Serve(router)
	h.Start()
	t.Cleanup(h.Close)
	return h
}

// counted counts how much of a body is read.
type counted struct {
	left, read atomic.Int64
}

func (c *counted) Read(b []byte) (int, error) {
	n := min(int64(len(b)), c.left.Load())
	if n == 0 {
		return 0, io.EOF
	}
	c.left.Add(-n)
	c.read.Add(n)
	return int(n), nil
}

func TestBodiesAreBounded(t *testing.T) {
	h := bare(t)
	post := func(body io.Reader) (int, string) {
		r, err := http.Post(h.URL+"/api/size", "text/plain", body)
		if err != nil { // the connection may be gone before all of the body is
			return 0, err.Error()
		}
		defer r.Body.Close()
		b, err := io.ReadAll(r.Body)
		require.NoError(t, err)
		return r.StatusCode, string(b)
	}
	status, words := post(bytes.NewReader(make([]byte, MostUnknown)))
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, fmt.Sprintf("%d <nil>", MostUnknown), words)
	status, words = post(bytes.NewReader(make([]byte, MostUnknown+1)))
	assert.Equal(t, http.StatusRequestEntityTooLarge, status)
	assert.Contains(t, words, "larger than 64 kB")
	body := &counted{}
	body.left.Store(100 << 20)
	status, _ = post(body)
	assert.NotEqual(t, http.StatusOK, status)
	assert.Less(t, body.read.Load(), int64(20<<20), "the rest of a hundred megabytes is not taken")
}

// A body that does not come is not waited for, however its connection is kept open.
func TestSlowBodiesEnd(t *testing.T) {
	defer func(d time.Duration) { BodyTime = d }(BodyTime)
	BodyTime = 50 * time.Millisecond
	for name, handlers := range map[string][]gin.HandlerFunc{"whole": nil, "Streamed": {Streamed}} {
		h := bare(t, handlers...)
		conn, err := net.Dial("tcp", h.Listener.Addr().String())
		require.NoError(t, err)
		_, err = io.WriteString(conn, "POST /api/size HTTP/1.1\r\nHost: a\r\nContent-Length: 100\r\n\r\nonly this")
		require.NoError(t, err)
		answer, err := io.ReadAll(conn)
		require.NoError(t, err)
		if name == "whole" {
			assert.Contains(t, string(answer), "408 Request Timeout")
			assert.Contains(t, string(answer), "took longer")
		} else {
			assert.Contains(t, string(answer), "i/o timeout", name)
		}
		require.NoError(t, conn.Close())
	}
}

func TestConnectionsAreBounded(t *testing.T) {
	h := Serve(nil)
	for name, d := range map[string]time.Duration{"headers": h.ReadHeaderTimeout, "idle": h.IdleTimeout} {
		assert.Positive(t, d, name)
		assert.LessOrEqual(t, d, 5*time.Minute, name)
	}
	assert.LessOrEqual(t, h.MaxHeaderBytes, 64<<10)
}

func TestStreamsAreCounted(t *testing.T) {
	var o Streams
	var ends []func()
	for range mostOfViewer {
		end := o.Begin("a", "10.0.0.1")
		require.NotNil(t, end)
		ends = append(ends, end)
	}
	assert.Nil(t, o.Begin("a", "10.0.0.2"), "one viewer")
	for i := range mostOfAddress - mostOfViewer {
		require.NotNil(t, o.Begin(fmt.Sprint("b", i), "10.0.0.1"))
	}
	assert.Nil(t, o.Begin("c", "10.0.0.1"), "one address")
	for i := o.all; i < mostStreams; i++ {
		require.NotNil(t, o.Begin(fmt.Sprint("d", i), fmt.Sprint("10.1.0.", i)))
	}
	assert.Nil(t, o.Begin("e", "10.0.0.3"), "altogether")
	for _, end := range ends {
		end()
	}
	assert.NotContains(t, o.by, "a", "nothing is kept of who has left")
	assert.NotNil(t, o.Begin("a", "10.0.0.4"))
}

// What a proxy says is believed only of proxies that are set.
func TestProxies(t *testing.T) {
	g, router := &Gate{}, gin.New()
	router.Use(g.Secured)
	router.GET("/", func(c *gin.Context) { c.String(http.StatusOK, c.ClientIP()) })
	ask := func(from string) (address, hsts string) {
		w := httptest.NewRecorder()
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.RemoteAddr = from + ":4000"
		r.Header.Set("X-Forwarded-For", "203.0.113.9")
		r.Header.Set("X-Forwarded-Proto", "https")
		router.ServeHTTP(w, r)
		return w.Body.String(), w.Header().Get("Strict-Transport-Security")
	}
	require.NoError(t, g.Behind(router, nil))
	address, hsts := ask("10.0.0.1")
	assert.Equal(t, "10.0.0.1", address)
	assert.Empty(t, hsts)
	require.NoError(t, g.Behind(router, []netip.Prefix{netip.MustParsePrefix("10.0.0.0/24")}))
	address, hsts = ask("10.0.0.1")
	assert.Equal(t, "203.0.113.9", address)
	assert.True(t, strings.HasPrefix(hsts, "max-age="))
	address, hsts = ask("10.0.1.1")
	assert.Equal(t, "10.0.1.1", address)
	assert.Empty(t, hsts)
}
