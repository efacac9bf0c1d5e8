package dashboards

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// list is what the list of dashboards shows: all of them in groups or, of what is looked for,
// those that are found, and what else is.
func (s *Server) list(c *gin.Context, find string) (gin.H, error) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	rows, err := s.Workspace.Dashboards(ctx, who, find)
	if err != nil {
		return nil, err
	}
	data := gin.H{"Any": len(rows) > 0, "Rows": rows, "Find": find, "Caller": who}
	if find == "" {
		data["Groups"], data["Lately"] = workspace.Home(rows), workspace.Lately(rows)
		return data, nil
	}
	data["Groups"] = []workspace.Group[workspace.Row]{{Rows: rows}}
	data["Hits"], err = s.Workspace.Find(ctx, who, find)
	return data, err
}

func (s *Server) home(c *gin.Context) {
	data, err := s.list(c, "")
	if err != nil {
		s.Fail(c, err)
		return
	}
	data["Copy"] = c.Query("copy")
	s.Page(c, http.StatusOK, "home", "Dashboards", data)
}

func (s *Server) homeList(c *gin.Context) {
	data, err := s.list(c, c.Query("find"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "home-list", data)
}

// favour makes a dashboard a favourite of whoever asks, or no longer.
func (s *Server) favour(c *gin.Context) {
	if err := s.Workspace.Favour(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), c.PostForm("on") != ""); err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/")
}

// first leads to what somebody begins with, the list of dashboards where they have not said.
func (s *Server) first(c *gin.Context) {
	if name := s.Workspace.Begins(c.Request.Context(), gate.Caller(c)); name != "" && c.Query("copy") == "" {
		page.Redirect(c, "/dashboards/"+name)
		return
	}
	s.home(c)
}

// beginWith has whoever asks begin with a dashboard, or with the list again.
func (s *Server) beginWith(c *gin.Context) {
	if err := s.Workspace.BeginWith(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), c.PostForm("on") != ""); err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/dashboards")
}

// ownPage opens the page of whoever asks, which is made where they have none.
func (s *Server) ownPage(c *gin.Context) {
	name, err := s.Workspace.OwnPage(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/dashboards/"+name+"/edit")
}
