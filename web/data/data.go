package data

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

func (s *Server) data(c *gin.Context) {
	s.dataPage(c, http.StatusOK, gin.H{})
}

func (s *Server) dataPage(c *gin.Context, status int, more gin.H) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	sources, err := s.Workspace.Sources(ctx, who)
	if err != nil {
		s.Fail(c, err)
		return
	}
	rows, err := s.Workspace.DatasetRows(ctx, who)
	if err != nil {
		s.Fail(c, err)
		return
	}
	more["Sources"], more["Datasets"], more["Files"], more["RoleSQL"] = sources, workspace.Grouped(rows), s.Workspace.TakesFiles(), workspace.RoleSQL()
	s.Page(c, status, "data", "Data", more)
}

// addSource connects a database, or changes the address of one; it is kept only if it
// answers.
func (s *Server) addSource(c *gin.Context) {
	n := workspace.Connection{Name: c.PostForm("name"), Title: strings.TrimSpace(c.PostForm("title")), Address: c.PostForm("url"), Password: c.PostForm("password"),
		Change: c.PostForm("change") != "", Only: c.PostForm("try") != "", On: page.On(c)}
	if n.Name == "" {
		n.Name = strings.Trim(strings.ReplaceAll(strings.ToLower(n.Title), " ", "-"), "-")
	}
	found, err := s.Workspace.Connect(c.Request.Context(), gate.Caller(c), n)
	if p := problem.Of(err); p != nil || err == nil && n.Only {
		more := gin.H{"Problem": p, "Name": c.PostForm("name"), "SourceTitle": n.Title, "Address": workspace.WithoutPassword(n.Address)}
		status := http.StatusUnprocessableEntity
		if p == nil {
			more["Found"], status = found, http.StatusOK
		}
		if n.Change {
			s.sourcePage(c, status, n.Name, more)
			return
		}
		s.dataPage(c, status, more)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/sources/"+n.Name)
}

func (s *Server) removeSource(c *gin.Context) {
	name := c.Param("source")
	err := s.Workspace.RemoveSource(c.Request.Context(), gate.Caller(c), name, workspace.On{})
	if p := problem.Of(err); p != nil && p.Code == problem.Conflict {
		s.sourcePage(c, 409, name, gin.H{"Problem": p})
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data")
}

// sourceAuthors keeps who may build on a source.
func (s *Server) sourceAuthors(c *gin.Context) {
	if err := s.Workspace.ShareSource(c.Request.Context(), gate.Caller(c), c.Param("source"), page.Chosen(c, "authors")); err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/sources/"+c.Param("source"))
}

// sourceChanger names the role that changes the records of a source, or only tries it.
func (s *Server) sourceChanger(c *gin.Context) {
	name, role, only := c.Param("source"), c.PostForm("role"), c.PostForm("try") != ""
	found, err := s.Workspace.NameChanger(c.Request.Context(), gate.Caller(c), name, role, c.PostForm("password"), only)
	p := problem.Of(err)
	switch {
	case p != nil && p.Code != problem.NotFound && p.Code != problem.Forbidden:
		s.sourcePage(c, page.StatusOf(p), name, gin.H{"ChangerProblem": p, "ChangerRole": role})
	case err != nil:
		s.Fail(c, err)
	case only:
		s.sourcePage(c, http.StatusOK, name, gin.H{"ChangerFound": found, "ChangerRole": role})
	default:
		c.Redirect(http.StatusSeeOther, "/data/sources/"+name+"#changer")
	}
}
