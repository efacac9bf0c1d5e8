// Package charts is the library, the editor of charts, and the page of all forms.
package charts

import (
	"embed"
	"net/http"

	"eskadel/rights"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

//go:embed *.html *.css *.js
var files embed.FS

// Area is what the pages consist of.
var Area = page.Area{Name: "charts", Files: files, Modules: []string{"ask.js", "chart-editor.js", "forms.js", "library.js"}}

// A Server answers for this area.
type Server struct{ *page.Server }

// New returns the area of a server.
func New(s *page.Server) *Server { return &Server{s} }

// Routes are the addresses of the area.
func (s *Server) Routes() []gate.Route {
	const get, post = http.MethodGet, http.MethodPost
	return []gate.Route{
		{Method: get, Path: "/ask", Right: rights.Make, Handle: s.ask, Pictures: true},
		{Method: post, Path: "/charts/open", Right: rights.Make, Handle: s.chartOpen, Pictures: true},
		{Method: get, Path: "/charts", Right: rights.Make, Handle: s.library},
		{Method: get, Path: "/charts/forms", Right: rights.Make, Handle: s.forms, Pictures: true},
		{Method: get, Path: "/charts/edit", Right: rights.Make, Handle: s.chartEditor, Pictures: true},
		{Method: post, Path: "/charts/panel", Right: rights.Make, Handle: s.chartPanel},
		{Method: post, Path: "/charts/fields", Right: rights.Make, Handle: s.fieldPictures},
		{Method: post, Path: "/charts/menu", Right: rights.Make, Handle: s.chartMenu},
		{Method: post, Path: "/charts/finish", Right: rights.Make, Handle: s.chartFinish},
		{Method: post, Path: "/charts/words", Right: rights.Make, Handle: s.chartWords},
		{Method: post, Path: "/charts/change", Right: rights.Make, Handle: s.chartChange},
		{Method: post, Path: "/charts/answer", Right: rights.Make, Handle: s.chartAnswer},
		{Method: post, Path: "/charts/picture", Right: rights.Make, Handle: s.chartPicture},
		{Method: post, Path: "/charts/records", Right: rights.Make, Handle: s.chartRecords},
		{Method: post, Path: "/charts/place", Right: rights.Make, Handle: s.chartPlace},
		{Method: post, Path: "/charts/library/:chart/publish", Right: rights.Publish, Handle: s.chartPublish},
		{Method: post, Path: "/charts/library/:chart/back", Right: rights.Edit, Handle: s.GoBack(workspace.Chart, page.Named("chart", "/charts/edit?at=library/", ""))},
		{Method: post, Path: "/charts/library/:chart/filed", Right: rights.Edit, Handle: s.Filed(workspace.Chart, "chart")},
		{Method: post, Path: "/charts/library/:chart/remove", Right: rights.Edit, Handle: s.chartRemove},
	}
}
