package reading

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/view"
	"eskadel/web/gate"
)

// How often a stream looks whether whoever listens still may, and in how many seconds it
// says something even if nothing changes.
const (
	lookEvery  = 4 * time.Second
	pulseEvery = 20
)

// mostTogether is how many dashboards a page hears of in one stream.
const mostTogether = 20

// A heard dashboard is one of whose changes a page is told.
type heard struct {
	name string
	*view.Listening
}

// listen begins to hear of the dashboard that a request names, and of those that the same page shows besides,
// where they may be seen.
func (s *Server) listen(c *gin.Context) (all []heard, err error) {
	v, err := s.look(c)
	if err != nil {
		return nil, err
	}
	sub, err := v.Listen()
	if err != nil {
		return nil, err
	}
	all = append(all, heard{c.Param("dashboard"), sub})
	for _, name := range c.QueryArray("with") {
		v, err := s.Workspace.Look(c.Request.Context(), gate.Caller(c), name, false, dashboard.State{})
		if err != nil || len(all) == mostTogether {
			continue // whoever may not see it is told so where it is shown
		}
		if sub, err := v.Listen(); err == nil {
			all = append(all, heard{name, sub})
		}
	}
	return all, nil
}

// liveStream tells a page which of its widgets have changed: in a web socket where that is
// asked for, else as server-sent events over a fetch. Events are at least a second apart;
// what happens between is told together.
func (s *Server) liveStream(c *gin.Context) {
	all, err := s.listen(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	defer func() {
		for _, one := range all {
			one.Close()
		}
	}()
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
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	ready := make(chan heard) // those that have changed
	for _, one := range all {
		go func() {
			for {
				select {
				case <-ctx.Done():
					return
				case <-one.C():
				}
				select {
				case <-ctx.Done():
					return
				case ready <- one:
				}
			}
		}()
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
			for _, one := range all {
				if sees, err := s.Workspace.StillSees(ctx, gate.Caller(c), one.name); err == nil && !sees {
					return // ended or taken back meanwhile: the page asks again and is told so
				}
			}
			if quiet++; quiet*int(lookEvery.Seconds()) >= pulseEvery {
				if quiet = 0; !send("pulse", gin.H{}) {
					return
				}
			}
			continue
		case one := <-ready:
			for more := true; more; {
				if changed, lost := one.Take(); !send("changed", gin.H{"dashboard": one.name, "widgets": changed, "lost": lost}) {
					return
				}
				select {
				case one = <-ready:
				default:
					more = false
				}
			}
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
