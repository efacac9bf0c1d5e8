package dashboards

import (
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/dashboard"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

func (s *Server) newDashboard(c *gin.Context) {
	st, err := s.Workspace.NewDashboard(c.Request.Context(), gate.Caller(c), c.PostForm("title"), c.PostForm("copy"), c.PostForm("filters") != "")
	if err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/dashboards/"+st.Name+"/edit")
}

func (s *Server) editing(c *gin.Context) {
	ctx := c.Request.Context()
	o, err := s.Workspace.Changing(ctx, gate.Caller(c), c.Param("dashboard"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	page, err := o.Doc.Page(c.Query("page"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	o.Note(ctx, s.Workspace, gate.Caller(c))
	filing, err := s.Filing(c, o.Standing, "/dashboards/"+o.Name+"/filed")
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, http.StatusOK, "editing", o.Doc.Title, gin.H{"Doc": o.Doc, "Kept": o.Standing, "Page": page, "Document": string(o.Doc.JSON()), "Filing": filing})
}

// saveDraft keeps the document that the editor holds. Where it was put together with what
// others changed, the whole of it goes back.
func (s *Server) saveDraft(c *gin.Context) {
	ctx, from := c.Request.Context(), page.On(c)
	st, err := s.Workspace.SaveDashboard(ctx, gate.Caller(c), c.Param("dashboard"), []byte(c.PostForm("document")), from)
	if err != nil {
		s.Fail(c, err)
		return
	}
	if from.Resolve != "" {
		s.changed(c, nil, gin.H{}) // what it is with what others changed
		return
	}
	d, err := dashboard.Read([]byte(c.PostForm("document")))
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.JSON(http.StatusOK, gin.H{"revision": st.Revision, "look": d.Theme.CSS()})
}

// addWidget puts something new on a page of the draft and leads on to it.
func (s *Server) addWidget(c *gin.Context) {
	name := c.Param("dashboard")
	id, make, err := s.Workspace.AddWidget(c.Request.Context(), gate.Caller(c), name, c.PostForm("page"), c.PostForm("what"))
	if err != nil || gate.WantsJSON(c) {
		s.changed(c, err, gin.H{"widget": id})
		return
	}
	next := "/dashboards/" + name + "/edit#" + id
	if make {
		next = "/charts/edit?at=" + name + "/" + id
	}
	page.Redirect(c, next)
}

// changePages adds, names, moves, copies or takes off a page of the draft, and answers with the
// whole of it.
func (s *Server) changePages(c *gin.Context) {
	ctx, who, name := c.Request.Context(), gate.Caller(c), c.Param("dashboard")
	now, err := s.Workspace.ChangePages(ctx, who, name, c.PostForm("do"), c.PostForm("page"), c.PostForm("title"))
	s.changed(c, err, gin.H{"page": now})
}

// ownCopy puts a copy in the place of a chart of the library, and leads on to it.
func (s *Server) ownCopy(c *gin.Context) {
	name, widget := c.Param("dashboard"), c.Param("widget")
	_, err := s.Workspace.OwnCopy(c.Request.Context(), gate.Caller(c), name, widget)
	if err != nil || gate.WantsJSON(c) {
		s.changed(c, err, gin.H{"widget": widget})
		return
	}
	page.Redirect(c, "/charts/edit?at="+name+"/"+widget)
}

// intoLibrary moves a dashboard's own chart into the library.
func (s *Server) intoLibrary(c *gin.Context) {
	name := c.Param("dashboard")
	_, err := s.Workspace.IntoLibrary(c.Request.Context(), gate.Caller(c), name, c.Param("widget"))
	if err != nil || gate.WantsJSON(c) {
		s.changed(c, err, gin.H{"widget": c.Param("widget")})
		return
	}
	page.Redirect(c, "/dashboards/"+name+"/edit#"+c.Param("widget"))
}

// here notes that the editor is open in a window, and tells who else works on the dashboard.
func (s *Server) here(c *gin.Context) {
	revision, _ := strconv.Atoi(c.PostForm("revision"))
	company, err := s.Workspace.Here(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), c.PostForm("window"), revision)
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.JSON(http.StatusOK, gin.H{"others": company.Others, "revision": company.Revision, "by": company.By, "document": company.Document})
}

// publishing tells what publishing the draft would change for readers, and what it misses.
func (s *Server) publishing(c *gin.Context) {
	p, err := s.Workspace.Publishing(c.Request.Context(), gate.Caller(c), c.Param("dashboard"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "publishing", gin.H{"P": p})
}

func (s *Server) publish(c *gin.Context) {
	st, err := s.Workspace.Publish(c.Request.Context(), gate.Caller(c), c.Param("dashboard"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	if gate.WantsJSON(c) {
		c.JSON(http.StatusOK, gin.H{"version": st.Published})
		return
	}
	page.Redirect(c, "/dashboards/"+st.Name)
}

// removeDashboard forgets a dashboard with its versions.
func (s *Server) removeDashboard(c *gin.Context) {
	if err := s.Workspace.Remove(c.Request.Context(), gate.Caller(c), workspace.Dashboard, c.Param("dashboard"), workspace.On{}); err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/")
}

// beside shows two versions of a dashboard beside each other.
func (s *Server) beside(c *gin.Context) {
	before, _ := strconv.Atoi(c.Query("before"))
	after, _ := strconv.Atoi(c.Query("after"))
	b, err := s.Workspace.Beside(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), before, after)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, http.StatusOK, "beside", b.Title, gin.H{"B": b, "Sides": []*workspace.Side{&b.Before, &b.After}})
}

// dashboardHistory shows the versions of a dashboard.
func (s *Server) dashboardHistory(c *gin.Context) {
	o, err := s.Workspace.Changing(c.Request.Context(), gate.Caller(c), c.Param("dashboard"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	versions, err := s.History(c, workspace.Dashboard, o.Name)
	var draft []string
	if err == nil && o.Published > 0 {
		draft, err = s.Workspace.Compare(c.Request.Context(), gate.Caller(c), workspace.Dashboard, o.Name, o.Published, 0)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, http.StatusOK, "history", o.Title, gin.H{"Kept": o.Standing, "Versions": versions, "Draft": draft})
}
