package dashboards

import (
	"cmp"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"eskadel/core/theme"
	"eskadel/web/gate"
)

// looking renders what the draft looks like, and what may be chosen.
func (s *Server) looking(c *gin.Context) {
	o, err := s.Workspace.Changing(c.Request.Context(), gate.Caller(c), c.Param("dashboard"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	t := o.Doc.Theme
	s.Part(c, http.StatusOK, "look", gin.H{"T": t, "Shown": t.Shown(), "Shipped": theme.Shipped(), "Findings": t.Findings(),
		"Named": !slices.Contains(theme.Fonts(), t.Font)})
}

// changeLook changes what the draft looks like, and answers with the whole of it.
func (s *Server) changeLook(c *gin.Context) {
	t := theme.Theme{Name: c.PostForm("name"), Ground: c.PostForm("ground"), Ink: c.PostForm("ink"), Accent: c.PostForm("accent"), Palette: c.PostFormArray("palette"), Font: c.PostForm("font")}
	if t.Font == "named" {
		t.Font = cmp.Or(c.PostForm("font_name"), "Helvetica")
	}
	s.changed(c, s.Workspace.ChangeLook(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), t), gin.H{})
}
