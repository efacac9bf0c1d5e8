package account

import (
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/web/gate"
	"eskadel/web/page"
)

// noticed is how many notices a page shows.
const noticed = 30

func (s *Server) notices(c *gin.Context) {
	before, _ := strconv.ParseInt(c.Query("before"), 10, 64)
	list, err := s.Workspace.Notices(c.Request.Context(), gate.Caller(c), before, noticed+1)
	if err != nil {
		s.Fail(c, err)
		return
	}
	data := gin.H{"Later": before > 0}
	if len(list) > noticed {
		list = list[:noticed]
		data["Before"] = list[noticed-1].ID
	}
	data["Notices"] = list
	s.Page(c, http.StatusOK, "notices", "Notices", data)
}

// openNotice goes to where a notice leads, and has it be read.
func (s *Server) openNotice(c *gin.Context) {
	id, _ := strconv.ParseInt(c.Param("notice"), 10, 64)
	n, err := s.Workspace.OpenNotice(c.Request.Context(), gate.Caller(c), id)
	if err != nil {
		s.Fail(c, err)
		return
	}
	to := "/notices"
	if n.Address != "" {
		to = inside(n.Address)
	}
	c.Redirect(http.StatusSeeOther, to)
}

// markNotices has a notice, or all, be read or unread.
func (s *Server) markNotices(c *gin.Context) {
	id := int64(0)
	if one := c.PostForm("id"); one != "" {
		id = page.Number(one)
	}
	if err := s.Workspace.MarkNotices(c.Request.Context(), gate.Caller(c), id, c.PostForm("unread") == ""); err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/notices")
}
