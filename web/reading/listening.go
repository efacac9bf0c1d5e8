package reading

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
)

// How often a stream looks whether whoever listens still may, and in how many seconds it
// says something even if nothing changes.
const (
	lookEvery  = 4 * time.Second
	pulseEvery = 20
)

// liveStream tells a page which of its widgets have changed: in a web socket where that is
// asked for, else as server-sent events over a fetch. Events are at least a second apart;
// what happens between is told together.
func (s *Server) liveStream(c *gin.Context) {
	v, err := s.look(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	sub, err := v.Listen()
	if err != nil {
		s.Fail(c, err)
		return
	}
	defer sub.Close()
	end := s.streams.Begin(gate.Caller(c).ID, c.ClientIP())
	if end == nil {
		s.Fail(c, problem.New(problem.TooMany, "", "Too many pages are open: this one is not told of changes. Close some of the others, and load it again."))
		return
	}
	defer end()
	ctx, send, done, err := stream(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	defer done()
	if !send("ready", gin.H{}) {
		return
	}
	// A frame's stay is over when its token is; the page then comes back with a new one.
	over := time.NewTimer(time.Until(gate.Caller(c).Expires))
	defer over.Stop()
	look := time.NewTicker(lookEvery)
	defer look.Stop()
	quiet := 0
	for {
		select {
		case <-ctx.Done():
			return
		case <-over.C:
			return
		case <-s.Closing:
			return
		case <-look.C:
			if sees, err := s.Workspace.StillSees(ctx, gate.Caller(c), c.Param("dashboard")); err == nil && !sees {
				return // ended or taken back meanwhile: the page asks again and is told so
			}
			if quiet++; quiet*int(lookEvery.Seconds()) >= pulseEvery {
				if quiet = 0; !send("pulse", gin.H{}) {
					return
				}
			}
			continue
		case <-sub.C():
		}
		if changed, lost := sub.Take(); !send("changed", gin.H{"widgets": changed, "lost": lost}) {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-s.Closing:
			return
		case <-time.After(time.Second):
		}
	}
}

// stream begins to answer with events. ctx ends when whoever listens goes; send tells whether they
// may have got an event.
func stream(c *gin.Context) (ctx context.Context, send func(event string, data any) bool, done func(), err error) {
	if gate.WantsSocket(c) {
		write, ctx, done, err := gate.Socket(c)
		return ctx, func(event string, data any) bool {
			b, _ := json.Marshal(gin.H{"event": event, "data": data})
			return write(ctx, b) == nil
		}, done, err
	}
	c.Header("Content-Type", "text/event-stream")
	c.Header("X-Accel-Buffering", "no")
	return c.Request.Context(), func(event string, data any) bool {
		b, _ := json.Marshal(data)
		_ = gate.Connection(c).SetWriteDeadline(time.Now().Add(gate.BodyTime))
		_, err := fmt.Fprintf(c.Writer, "event: %s\ndata: %s\n\n", event, b)
		c.Writer.Flush()
		return err == nil
	}, func() {}, nil
}
