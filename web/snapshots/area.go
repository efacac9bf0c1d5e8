// Package snapshots is pages of dashboards as they were seen, with what is drawn on them.
package snapshots

import (
	"embed"
	"net/http"

	"eskadel/rights"
	"eskadel/web/gate"
	"eskadel/web/page"
)

//go:embed *.html *.js *.css
var files embed.FS

// Area is what the pages consist of.
var Area = page.Area{Name: "snapshots", Files: files, Modules: []string{"snapshot.js"}}

// A Server answers for this area.
type Server struct{ *page.Server }

// New returns the area of a server.
func New(s *page.Server) *Server { return &Server{s} }

// Routes are the addresses of the area.
func (s *Server) Routes() []gate.Route {
	const get, post = http.MethodGet, http.MethodPost
	return []gate.Route{
		{Method: post, Path: "/view/:dashboard/freeze", Right: rights.Deliver, Handle: s.freeze},
		{Method: post, Path: "/view/:dashboard/freezing", Right: rights.Deliver, Handle: s.freezing},
		{Method: get, Path: "/snapshots", Right: rights.Make, Handle: s.list},
		{Method: get, Path: "/snapshots/:snapshot", Right: rights.Make, Handle: s.one, Pictures: true},
		{Method: post, Path: "/snapshots/:snapshot/answers", Right: rights.Make, Handle: s.answers},
		{Method: post, Path: "/snapshots/:snapshot/now", Right: rights.Make, Handle: s.now},
		{Method: post, Path: "/snapshots/:snapshot/notes", Right: rights.Make, Handle: s.notes},
		{Method: post, Path: "/snapshots/:snapshot/share", Right: rights.Make, Handle: s.share},
		{Method: post, Path: "/snapshots/:snapshot/pass", Right: rights.Make, Handle: s.pass},
		{Method: post, Path: "/snapshots/:snapshot/remove", Right: rights.Make, Handle: s.remove},
	}
}
