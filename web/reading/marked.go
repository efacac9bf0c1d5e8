package reading

import (
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// markMenu shows what may be done with a mark of a widget.
func (s *Server) markMenu(c *gin.Context) {
	l, err := s.look(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	m, err := l.MarkMenu(c.Param("widget"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	m.Marks = m.Marks && c.PostForm("only") == ""
	s.Part(c, http.StatusOK, "mark-menu", gin.H{"Menu": m, "Words": c.PostForm("words"), "Value": c.PostForm("value"), "Records": l.MayRecords(), "Why": map[string]string{"before": "it changed", "beside": "the two differ"}[c.PostForm("why")]})
}

// follow follows a way from a mark.
func (s *Server) follow(c *gin.Context) {
	ref, _, err := page.MarkOf(c)
	var l *workspace.Look
	if err == nil {
		l, err = s.look(c)
	}
	var p *workspace.Passage
	if err == nil {
		p, err = l.Follow(c.Param("widget"), ref, c.PostForm("way"))
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	host := ""
	if p.Address != "" {
		host = s.HostAddress(c)
	}
	c.JSON(http.StatusOK, gin.H{"address": p.Address, "host": host, "dashboard": p.Dashboard, "page": p.State.Page, "state": p.State, "view": p.View, "lost": p.Lost})
}

// keep keeps how the dashboard is looked at by a short name.
func (s *Server) keep(c *gin.Context) {
	l, err := s.look(c)
	var id string
	if err == nil {
		id, err = l.Keep()
	}
	s.Respond(c, gin.H{"view": id}, err)
}

// A backLink leads back to where somebody came from.
type backLink struct{ Title, Href string }

// back is where whoever followed a way came from: a dashboard and, after a dot, how it was looked at.
func (s *Server) back(c *gin.Context) *backLink {
	name, id, _ := strings.Cut(c.Query("from"), ".")
	if name == "" {
		return nil
	}
	o, err := s.Workspace.Dashboard(c.Request.Context(), gate.Caller(c), name, false)
	if err != nil {
		return nil
	}
	href := "/dashboards/" + url.PathEscape(o.Name)
	if id != "" {
		href += "?view=" + url.QueryEscape(id)
	}
	return &backLink{o.Doc.Title, href}
}
