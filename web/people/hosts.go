package people

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// A hostRow is a host app in the list of them, with its keys that have not been ended.
type hostRow struct {
	workspace.HostApp
	Keys []workspace.HostKey
}

func (s *Server) hosts(c *gin.Context) { s.hostsPage(c, http.StatusOK, nil, nil) }

// hostsPage lists host apps, with the form to register one: as it was written, where something is wrong with it.
func (s *Server) hostsPage(c *gin.Context, status int, written *workspace.Registration, p *problem.Problem) {
	apps, err := s.Workspace.Hosts(c.Request.Context(), gate.Caller(c))
	var keys []workspace.HostKey
	if err == nil {
		keys, err = s.Workspace.HostKeys(c.Request.Context(), gate.Caller(c))
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	var rows []hostRow
	for _, a := range apps {
		row := hostRow{HostApp: a}
		for _, k := range keys {
			if k.HostApp == a.Name && k.RevokedAt == nil {
				row.Keys = append(row.Keys, k)
			}
		}
		rows = append(rows, row)
	}
	if written == nil {
		written = &workspace.Registration{PassMinutes: identity.PassMinutes}
	}
	s.Page(c, status, "hosts", "Host apps", gin.H{"Hosts": rows, "R": written, "Problem": p, "New": true})
}

// registration reads what a form gives of a host app.
func registration(c *gin.Context) workspace.Registration {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	r := workspace.Registration{Name: post("name"), Title: post("title"), Address: post("address"), Origins: page.Chosen(c, "origin"), Once: post("once") != "", On: page.On(c)}
	if post("pass_minutes") != "" {
		r.PassMinutes = int(page.Number(post("pass_minutes")))
	}
	return r
}

// newHost registers a host app.
func (s *Server) newHost(c *gin.Context) {
	r := registration(c)
	if r.Name == "" {
		r.Name = workspace.Slug(r.Title)
	}
	ctx, who := c.Request.Context(), gate.Caller(c)
	_, err := s.Workspace.Frame(ctx, r.Name)
	switch {
	case err == nil:
		err = problem.New(problem.Conflict, "name", "There is a host app “%s” already.", r.Name)
	case problem.Is(err, problem.NotFound):
		err = s.Workspace.RegisterHost(ctx, who, r)
	}
	if p := problem.Of(err); p != nil {
		s.hostsPage(c, page.StatusOf(p), &r, p)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, hostAt(r.Name))
}

func hostAt(name string) string { return "/people/hosts/" + url.PathEscape(name) }

func (s *Server) host(c *gin.Context) { s.hostPage(c, http.StatusOK, "", nil, gin.H{}) }

// hostPage shows a host app: of tells at which of its forms something is wrong.
func (s *Server) hostPage(c *gin.Context, status int, of string, p *problem.Problem, data gin.H) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	host, err := s.Workspace.Host(ctx, who, c.Param("host"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	known, err := s.Workspace.Attributes(ctx, who)
	if err != nil {
		s.Fail(c, err)
		return
	}
	type viewer struct {
		workspace.HostViewer
		Words string
	}
	var viewers []viewer
	for _, v := range host.Viewers {
		words := append(slices.Clone(v.RoleList()), workspace.Spelled(known, v.AttributeMap())...)
		viewers = append(viewers, viewer{v, strings.Join(words, ", ")})
	}
	data["H"], data["Viewers"], data["Of"], data["Problem"] = host, viewers, of, p
	if data["R"] == nil {
		data["R"] = &workspace.Registration{Name: host.Name, Title: host.Title, Address: host.Address, Origins: host.OriginList(), PassMinutes: host.PassMinutes, Once: host.Once}
	}
	data["Form"] = c.Request.PostForm
	s.Page(c, status, "host", host.Title, data)
}

// hostDone shows a host app again after something was done to it.
func (s *Server) hostDone(c *gin.Context, of string, err error) {
	s.Done(c, err, hostAt(c.Param("host")), func(status int, p *problem.Problem) { s.hostPage(c, status, of, p, gin.H{}) })
}

// saveHost changes a host app.
func (s *Server) saveHost(c *gin.Context) {
	r := registration(c)
	r.Name = c.Param("host")
	err := s.Workspace.RegisterHost(c.Request.Context(), gate.Caller(c), r)
	if p := problem.Of(err); p != nil {
		s.hostPage(c, page.StatusOf(p), "settings", p, gin.H{"R": &r})
		return
	}
	s.hostDone(c, "settings", err)
}

// removeHost forgets a host app.
func (s *Server) removeHost(c *gin.Context) {
	if err := s.Workspace.RemoveHost(c.Request.Context(), gate.Caller(c), c.Param("host")); err != nil {
		s.hostDone(c, "remove", err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people/hosts")
}

// addHostKey makes a key of a host app, of one of three kinds; a secret is shown once.
func (s *Server) addHostKey(c *gin.Context) {
	ctx, who, app, id := c.Request.Context(), gate.Caller(c), c.Param("host"), strings.TrimSpace(c.PostForm("key"))
	data, err := gin.H{"Made": id}, error(nil)
	switch c.PostForm("kind") {
	case "public":
		data["MadeWords"], err = s.Workspace.AddPublicKey(ctx, who, app, id, c.PostForm("public_key"))
	case "set":
		var ids []string
		ids, err = s.Workspace.AddKeySet(ctx, who, app, id, strings.TrimSpace(c.PostForm("address")))
		data["Found"] = strings.Join(ids, ", ")
	default:
		data["Secret"], err = s.Workspace.MakeHostKey(ctx, who, app, id)
	}
	if err != nil {
		s.hostDone(c, "keys", err)
		return
	}
	c.Request.PostForm = nil
	s.hostPage(c, http.StatusOK, "", nil, data)
}

// endHostKey ends a key of a host app, with all viewers that it vouched for.
func (s *Server) endHostKey(c *gin.Context) {
	s.hostDone(c, "keys", s.Workspace.EndHostKey(c.Request.Context(), gate.Caller(c), c.PostForm("key")))
}

// endViewer lets a viewer in no more.
func (s *Server) endViewer(c *gin.Context) {
	s.hostDone(c, "viewers", s.Workspace.EndViewer(c.Request.Context(), gate.Caller(c), c.Param("host"), c.PostForm("viewer"), c.PostForm("name")))
}

// admitViewer lets a viewer in again.
func (s *Server) admitViewer(c *gin.Context) {
	s.hostDone(c, "viewers", s.Workspace.AdmitViewer(c.Request.Context(), gate.Caller(c), c.Param("host"), c.PostForm("viewer")))
}
