package web

import (
	"net/http"

	"github.com/gin-gonic/gin"
)

func (s *Server) home(c *gin.Context) {
	rows, err := s.ws.Dashboards(c.Request.Context(), caller(c), "")
	if err != nil {
		s.fail(c, err)
		return
	}
	s.page(c, http.StatusOK, "home", "Dashboards", gin.H{"Rows": rows})
}

func (s *Server) homeList(c *gin.Context) {
	rows, err := s.ws.Dashboards(c.Request.Context(), caller(c), c.Query("find"))
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "home-list", gin.H{"Rows": rows, "Find": c.Query("find")})
}
