package people

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

func (s *Server) hosts(c *gin.Context) { s.hostsPage(c, http.StatusOK, gin.H{}) }

// hostsPage lists host apps with their keys and viewers.
func (s *Server) hostsPage(c *gin.Context, status int, data gin.H) {
	hosts, err := s.Workspace.Hosts(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	data["Hosts"], data["NoHost"] = hosts, &workspace.HostApp{}
	s.Page(c, status, "hosts", "Host apps", data)
}

// hostDone shows host apps again after something was done to them.
func (s *Server) hostDone(c *gin.Context, err error) {
	if p := problem.Of(err); p != nil {
		s.hostsPage(c, page.StatusOf(p), gin.H{"Problem": p})
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people/hosts")
}

// saveHost registers a host app, or changes one.
func (s *Server) saveHost(c *gin.Context) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	r := workspace.Registration{Name: post("name"), Title: post("title"), Address: post("address"), Origins: page.Chosen(c, "origin"), On: page.On(c)}
	if post("pass_minutes") != "" {
		r.PassMinutes = int(page.Number(post("pass_minutes")))
	}
	if r.Name == "" {
		r.Name = workspace.Slug(r.Title)
	}
	s.hostDone(c, s.Workspace.RegisterHost(c.Request.Context(), gate.Caller(c), r))
}

// removeHost forgets a host app.
func (s *Server) removeHost(c *gin.Context) {
	s.hostDone(c, s.Workspace.RemoveHost(c.Request.Context(), gate.Caller(c), c.PostForm("app")))
}

// addHostKey makes a key of a host app; its secret is shown once.
func (s *Server) addHostKey(c *gin.Context) {
	key := strings.TrimSpace(c.PostForm("key"))
	secret, err := s.Workspace.MakeHostKey(c.Request.Context(), gate.Caller(c), c.PostForm("app"), key)
	if err != nil {
		s.hostDone(c, err)
		return
	}
	s.hostsPage(c, http.StatusOK, gin.H{"NewSecret": secret, "NewSecretOf": key})
}

// endHostKey ends a key of a host app, with all viewers that it vouched for.
func (s *Server) endHostKey(c *gin.Context) {
	s.hostDone(c, s.Workspace.EndHostKey(c.Request.Context(), gate.Caller(c), c.PostForm("key")))
}

// endViewer lets a viewer in no more.
func (s *Server) endViewer(c *gin.Context) {
	s.hostDone(c, s.Workspace.EndViewer(c.Request.Context(), gate.Caller(c), c.PostForm("app"), c.PostForm("viewer"), c.PostForm("name")))
}

// admitViewer lets a viewer in again.
func (s *Server) admitViewer(c *gin.Context) {
	s.hostDone(c, s.Workspace.AdmitViewer(c.Request.Context(), gate.Caller(c), c.PostForm("app"), c.PostForm("viewer")))
}
