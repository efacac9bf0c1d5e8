package web

import (
	"net/http"
	"strings"

	"github.com/gin-contrib/gzip"
	"github.com/gin-gonic/gin"

	"eskadel/rights"
	"eskadel/web/gate"
)

// serve gives every route of the table to the router, with what it has to pass first, and
// answers OPTIONS and unknown methods of each address.
func (s *Server) serve() {
	r, g := s.router, s.Gate
	r.Use(g.Recover, gate.Logged, gate.Timed, g.Secured)
	packed := gzip.Gzip(gzip.BestSpeed)
	methods := map[string][]string{}
	for _, route := range s.routes {
		var pass []gin.HandlerFunc
		if !route.Plain && !route.Packed {
			pass = append(pass, packed)
		}
		may := func(c *gin.Context) {
			who := gate.Caller(c)
			err := rights.Ever(who, route.Right)
			if name := c.Param("dashboard"); err == nil && name != "" && (rights.Of(who) == rights.Viewer || rights.Of(who) == rights.Visitor) {
				err = rights.May(who, rights.See, rights.Thing{Dashboard: name})
			}
			if err != nil {
				g.Fail(c, err)
			}
		}
		switch {
		case route.Right == rights.Open:
			pass = append(pass, g.Whole(gate.MostUnknown))
		case route.Streamed:
			// Files are read as they come; who sends them is known by then.
			pass = append(pass, g.Known, g.Limited, g.FromPage, may, gate.Streamed)
		default:
			pass = append(pass, g.Known, g.Limited, may, g.Whole(gate.MostKnown), g.FromPage)
		}
		if route.Pictures {
			pass = append(pass, s.WithPictures)
		}
		pass = append(pass, route.Handle)
		r.Handle(route.Method, route.Path, pass...)
		methods[route.Path] = append(methods[route.Path], route.Method)
		if route.Method == http.MethodGet && route.Path != "/view/:dashboard/live" {
			r.Handle(http.MethodHead, route.Path, pass...)
			methods[route.Path] = append(methods[route.Path], http.MethodHead)
		}
	}
	for path, known := range methods {
		allow := strings.Join(append(known, http.MethodOptions), ", ")
		r.OPTIONS(path, func(c *gin.Context) {
			c.Header("Allow", allow)
			c.Status(http.StatusNoContent)
		})
	}
	r.HandleMethodNotAllowed = true
	r.NoMethod(g.NoMethod)
	r.NoRoute(func(c *gin.Context) { g.Fail(c, gate.NothingHere) })
}
