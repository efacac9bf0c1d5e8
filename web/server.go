// Package web is what browsers and programs talk to: the areas of the pages, each a folder with
// its routes, templates and scripts, and beside them the API. A handler reads and checks
// input, calls the workspace and renders; rules, numbers and labels come from below.
package web

import (
	"net/http"
	"net/netip"

	"github.com/gin-gonic/gin"

	"eskadel/core/theme"
	"eskadel/deliver/print"
	"eskadel/rights"
	"eskadel/web/account"
	"eskadel/web/api"
	"eskadel/web/charts"
	"eskadel/web/dashboards"
	"eskadel/web/data"
	"eskadel/web/deliveries"
	"eskadel/web/drawing"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/web/people"
	"eskadel/web/reading"
	"eskadel/web/snapshots"
	"eskadel/workspace"
)

// areas are all folders of pages.
var areas = []page.Area{page.Shared, {Name: "theme", Files: theme.Styles}, {Name: "drawing", Files: drawing.Scripts}, reading.Area, dashboards.Area, charts.Area, data.Area, deliveries.Area, snapshots.Area, people.Area, account.Area}

// A Server serves one workspace.
type Server struct {
	*page.Server
	router *gin.Engine
	routes []gate.Route
}

// New returns a server of a workspace.
func New(ws *workspace.Workspace) (*Server, error) {
	gin.SetMode(gin.ReleaseMode)
	pages, err := page.New(ws, areas...)
	if err != nil {
		return nil, err
	}
	s := &Server{Server: pages, router: gin.New()}
	if err := s.router.SetTrustedProxies(nil); err != nil {
		return nil, err
	}
	// Every route there is. A test walks them with every kind of caller; what is not here is
	// not served.
	for _, area := range []interface{ Routes() []gate.Route }{pages, reading.New(pages), dashboards.New(pages), charts.New(pages), data.New(pages), deliveries.New(pages), snapshots.New(pages), people.New(pages), account.New(pages), api.New(s.Gate)} {
		s.routes = append(s.routes, area.Routes()...)
	}
	s.routes = append(s.routes,
		gate.Route{Method: http.MethodGet, Path: "/health", Right: rights.Open, Handle: s.health},
		gate.Route{Method: http.MethodGet, Path: "/ready", Right: rights.Open, Handle: s.ready},
		gate.Route{Method: http.MethodGet, Path: "/profile/:profile", Right: rights.Administer, Handle: s.profile, Plain: true},
	)
	s.serve()
	s.Printer = print.New("", s.router)
	return s, nil
}

// Stop tells balancers and pages that the server ends: it is no longer ready, and streams end,
// so that pages go on with another instance. Requests that are being answered are let end.
func (s *Server) Stop() { close(s.Closing) }

// PrintBy says which browser prints pages.
func (s *Server) PrintBy(browser string) { s.Printer = print.New(browser, s.router) }

// Behind says which proxies stand before the server.
func (s *Server) Behind(proxies []netip.Prefix) error { return s.Gate.Behind(s.router, proxies) }

// Handler is the server's entry.
func (s *Server) Handler() http.Handler { return s.router }

// Routes lists every route with the line of the table of rights that it needs.
func (s *Server) Routes() []gate.Route { return s.routes }
