package dashboards

import (
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/dashboard"
	"eskadel/web/gate"
	"eskadel/workspace"
)

// arranging renders the layouts of a page, and what a narrow screen shows of it.
func (s *Server) arranging(c *gin.Context) {
	d, err := s.Workspace.Composing(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), c.PostForm("page"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "arranging", gin.H{"Layouts": dashboard.Layouts(), "Narrow": d.Narrow(), "Name": d.Name, "Page": d.Page.Title})
}

// place places widgets of the draft anew, and answers with the whole of it.
func (s *Server) place(c *gin.Context) {
	p := workspace.Placing{Page: c.PostForm("page"), Do: c.PostForm("do"), Layout: c.PostForm("layout"), Widgets: c.PostFormArray("widget"), Wide: c.PostForm("wide") != "", High: c.PostForm("high") != "",
		Right: steps(c, "right"), Down: steps(c, "down")}
	s.changed(c, s.Workspace.Place(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), p), gin.H{})
}

// steps reads by how many steps widgets are moved, which may be to the left and up.
func steps(c *gin.Context, name string) int {
	n, err := strconv.Atoi(c.PostForm(name))
	if err != nil {
		return 0
	}
	return min(max(n, -1000), 1000)
}
