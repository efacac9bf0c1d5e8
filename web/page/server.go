// Package page is what the areas of the pages share: the layout, templates and scripts that
// stand on several pages, and how a page, a part of one or a problem is sent.
package page

import (
	"embed"
	"html/template"
	"io/fs"
	"net/http"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/deliver/print"
	"eskadel/rights"
	"eskadel/web/gate"
	"eskadel/workspace"
)

//go:embed *.html *.css *.js icon.svg vendor
var files embed.FS

// An Area is a folder of pages: its templates, styles and scripts, by their names in it.
type Area struct {
	Name      string
	Files     fs.FS
	Modules   []string         // the scripts that pages ask for, each sent with all that it imports
	Scripts   []string         // the same, for pages that do not ask for them as modules
	Functions template.FuncMap // of its templates
}

// Shared is the area of what stands on pages of several.
var Shared = Area{Name: "page", Files: files, Modules: []string{"filing.js", "pairs.js", "copy.js", "sharing.js"}}

// A Server sends pages.
type Server struct {
	Workspace *workspace.Workspace
	Gate      *gate.Gate
	Closing   chan struct{} // closed when it stops
	Printer   *print.Printer
	pages     *pages
	assets    *assets
}

// New returns what sends the pages of a workspace's areas.
func New(ws *workspace.Workspace, areas ...Area) (*Server, error) {
	s := &Server{Workspace: ws, Closing: make(chan struct{}), assets: newAssets(areas)}
	s.Gate = gate.New(ws, s.Show)
	var err error
	s.pages, err = loadPages(s.assets, areas, ws.Calendar)
	return s, err
}

// Routes are the addresses of what stands on several pages.
func (s *Server) Routes() []gate.Route {
	return append(s.sharing(), gate.Route{Method: http.MethodGet, Path: "/static/*path", Right: rights.Open, Handle: s.asset, Plain: true})
}

// Fail answers with a problem.
func (s *Server) Fail(c *gin.Context, err error) { s.Gate.Fail(c, err) }

// Show shows a problem to people: a sentence in place of a part of a page, a page otherwise.
func (s *Server) Show(c *gin.Context, status int, p *problem.Problem) {
	if c.GetHeader("HX-Request") != "" {
		s.Part(c, status, "wrong", p)
		return
	}
	s.Page(c, status, "problem", "Not here", gin.H{"Problem": p})
}

// Done answers a form once what it asked for is done: the browser goes to a page, or again shows the form with the
// problem there is with it.
func (s *Server) Done(c *gin.Context, err error, to string, again func(status int, p *problem.Problem)) {
	if p := problem.Of(err); p != nil {
		again(StatusOf(p), p)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, to)
}

// Respond answers a script with v, or the problem.
func (s *Server) Respond(c *gin.Context, v any, err error) {
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.JSON(http.StatusOK, v)
}

// StatusOf is the status of a page that shows a form again with what is wrong in it: the
// page is there, whatever the form names that is not.
func StatusOf(p *problem.Problem) int {
	if p.Code == problem.NotFound {
		return http.StatusUnprocessableEntity
	}
	return gate.Status(p)
}
