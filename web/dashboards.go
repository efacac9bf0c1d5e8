package web

import (
	"cmp"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/workspace"
)

func (s *Server) newDashboard(c *gin.Context) {
	st, err := s.ws.NewDashboard(c.Request.Context(), caller(c), c.PostForm("title"))
	if err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, "/dashboards/"+st.Name+"/edit")
}

func (s *Server) reading(c *gin.Context) {
	o, err := s.ws.Dashboard(c.Request.Context(), caller(c), c.Param("dashboard"), false)
	if problem.Is(err, problem.NotFound) {
		// What has not been published yet is only worked on.
		if draft, e := s.ws.Changing(c.Request.Context(), caller(c), c.Param("dashboard")); e == nil && draft.Published == 0 {
			c.Redirect(http.StatusSeeOther, "/dashboards/"+draft.Name+"/edit")
			return
		}
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.page(c, http.StatusOK, "reading", o.Doc.Title, gin.H{"Doc": o.Doc, "Kept": o.Standing, "PageTitle": c.Query("page"), "May": o.May})
}

func (s *Server) editing(c *gin.Context) {
	ctx := c.Request.Context()
	o, err := s.ws.Changing(ctx, caller(c), c.Param("dashboard"))
	if err != nil {
		s.fail(c, err)
		return
	}
	page, err := o.Doc.Page(c.Query("page"))
	if err != nil {
		s.fail(c, err)
		return
	}
	charts, err := s.ws.Library(ctx, caller(c))
	if err != nil {
		s.fail(c, err)
		return
	}
	s.page(c, http.StatusOK, "editing", o.Doc.Title, gin.H{"Doc": o.Doc, "Kept": o.Standing, "Page": page, "Library": charts, "Document": string(o.Doc.JSON())})
}

// on reads from which state of a document a form's change was made.
func on(c *gin.Context) workspace.On {
	revision, _ := strconv.Atoi(cmp.Or(c.PostForm("revision"), c.Query("rev")))
	return workspace.On{Revision: revision, Resolve: c.PostForm("resolve")}
}

// saveDraft keeps the document that the editor holds. Where it was put together with what
// others changed, the whole of it goes back.
func (s *Server) saveDraft(c *gin.Context) {
	ctx, from := c.Request.Context(), on(c)
	st, err := s.ws.SaveDashboard(ctx, caller(c), c.Param("dashboard"), []byte(c.PostForm("document")), from)
	if err != nil {
		s.fail(c, err)
		return
	}
	out := gin.H{"revision": st.Revision}
	if from.Resolve != "" {
		o, err := s.ws.Changing(ctx, caller(c), c.Param("dashboard"))
		if err != nil {
			s.fail(c, err)
			return
		}
		out["revision"], out["document"] = o.Revision, o.Doc
	}
	c.JSON(http.StatusOK, out)
}

// addWidget puts something new on a page of the draft and leads on to it.
func (s *Server) addWidget(c *gin.Context) {
	name := c.Param("dashboard")
	id, make, err := s.ws.AddWidget(c.Request.Context(), caller(c), name, c.PostForm("page"), c.PostForm("what"))
	if err != nil {
		s.fail(c, err)
		return
	}
	next := "/dashboards/" + name + "/edit#" + id
	if make {
		next = "/charts/edit?at=" + name + "/" + id
	}
	redirect(c, next)
}

// ownCopy puts a copy in the place of a chart of the library, and leads on to it.
func (s *Server) ownCopy(c *gin.Context) {
	name, widget := c.Param("dashboard"), c.Param("widget")
	if _, err := s.ws.OwnCopy(c.Request.Context(), caller(c), name, widget); err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, "/charts/edit?at="+name+"/"+widget)
}

func (s *Server) publish(c *gin.Context) {
	st, err := s.ws.Publish(c.Request.Context(), caller(c), c.Param("dashboard"))
	if err != nil {
		s.fail(c, err)
		return
	}
	if wantsJSON(c) {
		c.JSON(http.StatusOK, gin.H{"version": st.Published})
		return
	}
	redirect(c, "/dashboards/"+st.Name)
}

// removeDashboard forgets a dashboard with its versions.
func (s *Server) removeDashboard(c *gin.Context) {
	if err := s.ws.Remove(c.Request.Context(), caller(c), workspace.Dashboard, c.Param("dashboard"), workspace.On{}); err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, "/")
}
