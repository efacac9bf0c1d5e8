// Package web is what browsers talk to: pages, parts of pages and frames, with the API beside
// them in package api. A handler reads and checks input, calls the workspace and renders;
// rules, numbers and labels come from below.
package web

import (
	"embed"
	"io/fs"
	"net/http"
	"net/netip"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/web/api"
	"eskadel/web/gate"
	"eskadel/workspace"
)

//go:embed static templates
var shipped embed.FS

// A Server serves one workspace.
type Server struct {
	ws      *workspace.Workspace
	gate    *gate.Gate
	api     *api.API
	pages   *pages
	assets  *assets
	router  *gin.Engine
	routes  []Route
	streams gate.Streams
	answers *brief[*sent] // as they are sent to viewers in frames
	closing chan struct{} // closed when it stops
}

// New returns a server of a workspace.
func New(ws *workspace.Workspace) (*Server, error) {
	gin.SetMode(gin.ReleaseMode)
	static, err := fs.Sub(shipped, "static")
	if err != nil {
		return nil, err
	}
	files := &assets{files: static}
	p, err := loadPages(files, ws.Calendar)
	if err != nil {
		return nil, err
	}
	s := &Server{ws: ws, pages: p, assets: files, router: gin.New(), answers: newBrief[*sent](1000), closing: make(chan struct{})}
	s.gate = &gate.Gate{Workspace: ws, Show: s.show}
	s.api = api.New(s.gate)
	if err := s.router.SetTrustedProxies(nil); err != nil {
		return nil, err
	}
	s.routes = s.table()
	s.serve()
	return s, nil
}

// Stop tells balancers and pages that the server ends: it is no longer ready, and streams end,
// so that pages go on with another instance. Requests that are being answered are let end.
func (s *Server) Stop() { close(s.closing) }

// Behind says which proxies stand before the server.
func (s *Server) Behind(proxies []netip.Prefix) error { return s.gate.Behind(s.router, proxies) }

// Handler is the server's entry.
func (s *Server) Handler() http.Handler { return s.router }

// Routes lists every route with the line of the table of rights that it needs.
func (s *Server) Routes() []Route { return s.routes }

var nothingHere = problem.New(problem.NotFound, "", "There is nothing at this address.")

// fail answers with a problem.
func (s *Server) fail(c *gin.Context, err error) { s.gate.Fail(c, err) }

// show shows a problem to people: a sentence in place of a part of a page, a page otherwise.
func (s *Server) show(c *gin.Context, status int, p *problem.Problem) {
	if c.GetHeader("HX-Request") != "" {
		s.part(c, status, "wrong", p)
		return
	}
	s.page(c, status, "problem", "Not here", gin.H{"Problem": p})
}

// respond answers a script with v, or the problem.
func (s *Server) respond(c *gin.Context, v any, err error) {
	if err != nil {
		s.fail(c, err)
		return
	}
	c.JSON(http.StatusOK, v)
}

func caller(c *gin.Context) *identity.Caller { return gate.Caller(c) }

func wantsJSON(c *gin.Context) bool { return gate.WantsJSON(c) }

// statusOf is the status of a page that shows a form again with what is wrong in it: the
// page is there, whatever the form names that is not.
func statusOf(p *problem.Problem) int {
	if p.Code == problem.NotFound {
		return http.StatusUnprocessableEntity
	}
	return gate.Status(p)
}

func policy(frames string, pictures ...string) string { return gate.Policy(frames, pictures...) }
