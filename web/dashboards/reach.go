package dashboards

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"eskadel/web/gate"
	"eskadel/workspace"
)

// reaching renders what reaches what on a page of the draft or, asked about one widget, the
// choices for what a filter or a click does there.
func (s *Server) reaching(c *gin.Context) {
	d, err := s.Workspace.Composing(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), c.PostForm("page"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	part, data := "reach", gin.H{}
	if on := c.PostForm("on"); on != "" {
		part = "reach-choices"
		data["C"], err = d.ReachChoices(c.PostForm("filter"), c.PostForm("from"), on)
	} else {
		data["R"], err = d.Reaching()
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, part, data)
}

// changeReach changes what reaches what, and answers with the whole of the draft.
func (s *Server) changeReach(c *gin.Context) {
	r := workspace.ReachChange{Page: c.PostForm("page"), Do: c.PostForm("do"), Filter: c.PostForm("filter"), From: c.PostForm("from"), On: c.PostForm("on"),
		Dataset: c.PostForm("dataset"), Field: c.PostForm("field"), To: c.PostForm("to"), Usual: c.PostForm("usual") != ""}
	s.changed(c, s.Workspace.ChangeReach(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), r), gin.H{})
}
