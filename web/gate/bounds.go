package gate

import (
	"bytes"
	"errors"
	"io"
	"net/http"
	"os"
	"strconv"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/observe"
)

// Bounds of what a request may send, and in what time.
const (
	MostUnknown = 64 << 10 // bytes, from whoever is not known yet
	MostKnown   = 4 << 20
	answerTime  = 3 * time.Minute // for taking the answer, but for streams
	headerTime  = 10 * time.Second
	idleTime    = 2 * time.Minute
	mostHeader  = 32 << 10
)

// BodyTime is how long a whole body may take to arrive; of a file, each part of it.
var BodyTime = 30 * time.Second

// Codes of what only a request over HTTP can be.
const (
	tooLarge = "too-large"
	tooSlow  = "too-slow"
	noMethod = "no-method"
)

// Serve returns an HTTP server with the bounds of connections; its address is the caller's
// to set.
func Serve(h http.Handler) *http.Server {
	return &http.Server{Handler: h, ReadHeaderTimeout: headerTime, IdleTimeout: idleTime, MaxHeaderBytes: mostHeader}
}

// Timed keeps what sets the times of the request's connection, and sets that of the answer.
func Timed(c *gin.Context) {
	connection := http.NewResponseController(c.Writer)
	c.Set("connection", connection)
	_ = connection.SetWriteDeadline(time.Now().Add(answerTime)) // not every writer in tests has times
}

func Connection(c *gin.Context) *http.ResponseController {
	return c.MustGet("connection").(*http.ResponseController)
}

// Whole reads the body before anything is done with the request: at most so many bytes,
// and not forever.
func (g *Gate) Whole(most int64) gin.HandlerFunc {
	return func(c *gin.Context) {
		body := c.Request.Body
		if body == nil || body == http.NoBody {
			return
		}
		_ = Connection(c).SetReadDeadline(time.Now().Add(BodyTime))
		b, err := io.ReadAll(http.MaxBytesReader(c.Writer, body, most))
		var large *http.MaxBytesError
		switch {
		case errors.As(err, &large):
			g.Fail(c, problem.New(tooLarge, "", "The request is larger than %s.", Size(most)))
		case errors.Is(err, os.ErrDeadlineExceeded):
			c.Header("Connection", "close")
			g.Fail(c, problem.New(tooSlow, "", "The request took longer than %d seconds to arrive.", int(BodyTime.Seconds())))
		case err != nil:
			g.Fail(c, problem.New(problem.Invalid, "", "The request did not arrive whole."))
		default:
			_ = Connection(c).SetReadDeadline(time.Time{})
			c.Request.Body = &readBody{bytes.NewReader(b)}
		}
	}
}

// A readBody is a body that is in memory already.
type readBody struct{ *bytes.Reader }

func (*readBody) Close() error { return nil }

// Size writes a number of bytes.
func Size(bytes int64) string {
	if bytes >= 1<<20 {
		return strconv.FormatInt(bytes>>20, 10) + " MB"
	}
	return strconv.FormatInt(bytes>>10, 10) + " kB"
}

// Streamed lets a body be read as it comes, as long as it keeps coming. Whoever reads it
// bounds its size.
func Streamed(c *gin.Context) {
	c.Request.Body = &moving{c.Request.Body, Connection(c)}
	_ = Connection(c).SetWriteDeadline(time.Time{}) // progress goes back while it is read
}

type moving struct {
	io.ReadCloser
	connection *http.ResponseController
}

func (m *moving) Read(b []byte) (int, error) {
	_ = m.connection.SetReadDeadline(time.Now().Add(BodyTime))
	return m.ReadCloser.Read(b)
}

// Streams that may be open at once: of one viewer, from one address, and altogether.
const (
	mostOfViewer  = 64
	mostOfAddress = 1000
	mostStreams   = 4000
)

// Streams counts those that are open.
type Streams struct {
	mu       sync.Mutex
	all      int
	by, from map[string]int
}

// Begin counts one more, and returns what ends it; nil where there are too many.
func (o *Streams) Begin(viewer, address string) (end func()) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.by == nil {
		o.by, o.from = map[string]int{}, map[string]int{}
	}
	if o.all >= mostStreams || o.by[viewer] >= mostOfViewer || o.from[address] >= mostOfAddress {
		return nil
	}
	o.all++
	observe.Streams(1)
	o.by[viewer]++
	o.from[address]++
	return func() {
		o.mu.Lock()
		defer o.mu.Unlock()
		o.all--
		observe.Streams(-1)
		for _, of := range []struct {
			counts map[string]int
			key    string
		}{{o.by, viewer}, {o.from, address}} {
			if of.counts[of.key]--; of.counts[of.key] == 0 {
				delete(of.counts, of.key)
			}
		}
	}
}
