package web

import (
	"net/http"
	"net/http/pprof"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
)

// health answers as long as the program runs.
func (s *Server) health(c *gin.Context) { c.JSON(http.StatusOK, gin.H{"status": "running"}) }

// ready answers when requests can be served: Eskadel's own database answers, and the server
// does not stop.
func (s *Server) ready(c *gin.Context) {
	err := s.Workspace.Ready(c.Request.Context())
	select {
	case <-s.Closing:
		err = problem.New(problem.Down, "", "This instance stops.")
	default:
	}
	if err != nil {
		status := "the database does not answer"
		if p := problem.Of(err); p != nil {
			status = p.Words
		}
		c.JSON(http.StatusServiceUnavailable, gin.H{"status": status})
		return
	}
	c.JSON(http.StatusOK, gin.H{"status": "ready"})
}

// profile shows administrators where the program spends its time and memory.
func (s *Server) profile(c *gin.Context) {
	switch name := c.Param("profile"); name {
	case "profile":
		pprof.Profile(c.Writer, c.Request)
	case "trace":
		pprof.Trace(c.Writer, c.Request)
	case "heap", "goroutine", "allocs", "block", "mutex", "threadcreate":
		pprof.Handler(name).ServeHTTP(c.Writer, c.Request)
	default:
		s.Fail(c, gate.NothingHere)
	}
}
