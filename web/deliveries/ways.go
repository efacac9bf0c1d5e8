package deliveries

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/deliver/holidays"
	"eskadel/web/gate"
	"eskadel/web/page"
)

func (s *Server) ways(c *gin.Context) { s.showWays(c, http.StatusOK, gin.H{}, nil) }

// showWays is the page of the ways by which something is told.
func (s *Server) showWays(c *gin.Context, status int, data gin.H, p *problem.Problem) {
	ways, err := s.Workspace.Ways(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	data["W"], data["Problem"], data["Form"] = ways, p, c.Request.PostForm
	if p == nil {
		data["Form"] = nil
	}
	s.Page(c, status, "ways", "Ways", data)
}

// way answers a form of that page.
func (s *Server) way(c *gin.Context, where string, err error) {
	s.Done(c, err, "/deliveries/ways", func(status int, p *problem.Problem) { s.showWays(c, status, gin.H{"Where": where}, p) })
}

func (s *Server) allow(c *gin.Context) {
	s.way(c, "addresses", s.Workspace.Allow(c.Request.Context(), gate.Caller(c), c.PostForm("address")))
}

func (s *Server) forbid(c *gin.Context) {
	s.way(c, "addresses", s.Workspace.Forbid(c.Request.Context(), gate.Caller(c), c.PostForm("address")))
}

// addChannel keeps a channel, and shows its secret once.
func (s *Server) addChannel(c *gin.Context) {
	secret, err := s.Workspace.AddChannel(c.Request.Context(), gate.Caller(c), c.PostForm("title"), c.PostForm("address"))
	if err != nil {
		s.way(c, "channels", err)
		return
	}
	s.showWays(c, http.StatusOK, gin.H{"Secret": secret, "Of": c.PostForm("title")}, nil)
}

func (s *Server) endChannel(c *gin.Context) {
	s.way(c, "channels", s.Workspace.RemoveChannel(c.Request.Context(), gate.Caller(c), page.Number(c.PostForm("id"))))
}

// years is how many years ahead, and one back, holidays are read.
const years = 15

// addCalendar reads the file of a calendar of holidays.
func (s *Server) addCalendar(c *gin.Context) {
	title := strings.TrimSpace(c.PostForm("title"))
	file, err := c.FormFile("file")
	if err != nil {
		s.way(c, "calendars", problem.New(problem.Missing, "file", "Choose the file of a calendar (.ics)."))
		return
	}
	f, err := file.Open()
	if err != nil {
		s.Fail(c, err)
		return
	}
	defer func() { _ = f.Close() }()
	now := s.Workspace.Now().Year()
	days, err := holidays.Read(f, now-1, now+years)
	if err == nil {
		err = s.Workspace.KeepCalendar(c.Request.Context(), gate.Caller(c), title, days)
	}
	s.way(c, "calendars", err)
}

func (s *Server) endCalendar(c *gin.Context) {
	s.way(c, "calendars", s.Workspace.RemoveCalendar(c.Request.Context(), gate.Caller(c), page.Number(c.PostForm("id"))))
}

// work shows what is done by itself just now, waits to be, and went wrong.
func (s *Server) work(c *gin.Context) {
	w, err := s.Workspace.Working(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	costs, err := s.Workspace.Costs(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, http.StatusOK, "work", "What is done by itself", gin.H{"W": w, "Costs": costs})
}
