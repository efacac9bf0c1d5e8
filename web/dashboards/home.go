package dashboards

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"eskadel/web/gate"
)

func (s *Server) home(c *gin.Context) {
	rows, err := s.Workspace.Dashboards(c.Request.Context(), gate.Caller(c), "")
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, http.StatusOK, "home", "Dashboards", gin.H{"Rows": rows})
}

func (s *Server) homeList(c *gin.Context) {
	rows, err := s.Workspace.Dashboards(c.Request.Context(), gate.Caller(c), c.Query("find"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "home-list", gin.H{"Rows": rows, "Find": c.Query("find")})
}
