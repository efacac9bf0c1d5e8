// Package dashboards is where dashboards are found, laid out and published.
package dashboards

import (
	"embed"
	"html/template"
	"net/http"

	"eskadel/core/dashboard"
	"eskadel/rights"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

//go:embed *.html *.js
var files embed.FS

// Area is what the pages consist of.
var Area = page.Area{Name: "dashboards", Files: files, Modules: []string{"beside.js", "dashboard-editor.js", "readymade.js"},
	Functions: template.FuncMap{"allowances": dashboard.Allowances}}

// A Server answers for this area.
type Server struct{ *page.Server }

// New returns the area of a server.
func New(s *page.Server) *Server { return &Server{s} }

// Routes are the addresses of the area.
func (s *Server) Routes() []gate.Route {
	const get, post = http.MethodGet, http.MethodPost
	return []gate.Route{
		{Method: get, Path: "/", Right: rights.Make, Handle: s.first},
		{Method: get, Path: "/home/list", Right: rights.Make, Handle: s.homeList},
		{Method: get, Path: "/dashboards", Right: rights.Make, Handle: s.home},
		{Method: post, Path: "/dashboards", Right: rights.Make, Handle: s.newDashboard},
		{Method: post, Path: "/dashboards/:dashboard/first", Right: rights.Make, Handle: s.beginWith},
		{Method: post, Path: "/home/own", Right: rights.Make, Handle: s.ownPage},
		{Method: get, Path: "/ready-made", Right: rights.Make, Handle: s.readyMade},
		{Method: get, Path: "/ready-made/:kind", Right: rights.Make, Handle: s.readyKind, Pictures: true},
		{Method: post, Path: "/ready-made/:kind", Right: rights.Make, Handle: s.makeReady},
		{Method: post, Path: "/ready-made/:kind/said", Right: rights.Make, Handle: s.readySaid},
		{Method: post, Path: "/dashboards/:dashboard/favourite", Right: rights.Make, Handle: s.favour},
		{Method: get, Path: "/dashboards/:dashboard/edit", Right: rights.Edit, Handle: s.editing, Pictures: true},
		{Method: get, Path: "/dashboards/:dashboard/history", Right: rights.Edit, Handle: s.dashboardHistory},
		{Method: get, Path: "/dashboards/:dashboard/beside", Right: rights.Edit, Handle: s.beside, Pictures: true},
		{Method: post, Path: "/dashboards/:dashboard/back", Right: rights.Edit, Handle: s.GoBack(workspace.Dashboard, page.Named("dashboard", "/dashboards/", "/edit"))},
		{Method: post, Path: "/dashboards/:dashboard/draft", Right: rights.Edit, Handle: s.saveDraft},
		{Method: post, Path: "/dashboards/:dashboard/add", Right: rights.Edit, Handle: s.addWidget},
		{Method: post, Path: "/dashboards/:dashboard/pages", Right: rights.Edit, Handle: s.changePages},
		{Method: post, Path: "/dashboards/:dashboard/line", Right: rights.Edit, Handle: s.composing},
		{Method: post, Path: "/dashboards/:dashboard/filters", Right: rights.Edit, Handle: s.changeFilters},
		{Method: post, Path: "/dashboards/:dashboard/reach", Right: rights.Edit, Handle: s.reaching},
		{Method: post, Path: "/dashboards/:dashboard/reach/change", Right: rights.Edit, Handle: s.changeReach},
		{Method: post, Path: "/dashboards/:dashboard/look", Right: rights.Edit, Handle: s.looking},
		{Method: post, Path: "/dashboards/:dashboard/look/change", Right: rights.Edit, Handle: s.changeLook},
		{Method: post, Path: "/dashboards/:dashboard/drilling", Right: rights.Edit, Handle: s.drilling},
		{Method: post, Path: "/dashboards/:dashboard/drilling/change", Right: rights.Edit, Handle: s.changeDrilling},
		{Method: post, Path: "/dashboards/:dashboard/widgets/:widget/own", Right: rights.Edit, Handle: s.ownCopy},
		{Method: post, Path: "/dashboards/:dashboard/widgets/:widget/library", Right: rights.Edit, Handle: s.intoLibrary},
		{Method: post, Path: "/dashboards/:dashboard/filed", Right: rights.Edit, Handle: s.Filed(workspace.Dashboard, "dashboard")},
		{Method: post, Path: "/dashboards/:dashboard/arranging", Right: rights.Edit, Handle: s.arranging},
		{Method: post, Path: "/dashboards/:dashboard/place", Right: rights.Edit, Handle: s.place},
		{Method: post, Path: "/dashboards/:dashboard/publishing", Right: rights.Publish, Handle: s.publishing},
		{Method: post, Path: "/dashboards/:dashboard/here", Right: rights.Edit, Handle: s.here},
		{Method: post, Path: "/dashboards/:dashboard/publish", Right: rights.Publish, Handle: s.publish},
		{Method: post, Path: "/dashboards/:dashboard/remove", Right: rights.Edit, Handle: s.removeDashboard},
	}
}
