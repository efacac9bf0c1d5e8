package snapshots

import (
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/core/snapshot"
	"eskadel/core/theme"
	"eskadel/web/gate"
	"eskadel/web/page"
)

func idOf(c *gin.Context) int64 { return page.Number(c.Param("snapshot")) }

func at(id int64) string { return "/snapshots/" + strconv.FormatInt(id, 10) }

// freeze keeps a page of a dashboard, or one widget of it, as it is seen, and says where.
func (s *Server) freeze(c *gin.Context) {
	var state dashboard.State
	err := problem.At("state", problem.Decode([]byte(c.PostForm("state")), &state))
	var id int64
	if err == nil {
		id, err = s.Workspace.Freeze(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), state, c.PostForm("page"), c.PostForm("widget"), c.PostForm("title"))
	}
	s.Respond(c, gin.H{"address": at(id)}, err)
}

// freezing asks what a page is to be called that is frozen.
func (s *Server) freezing(c *gin.Context) {
	o, err := s.Workspace.Dashboard(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), false)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "freeze", gin.H{"Title": o.Doc.Title, "Widget": ""})
}

func (s *Server) list(c *gin.Context) {
	all, err := s.Workspace.Snapshots(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, http.StatusOK, "snapshots", "Snapshots", gin.H{"All": all})
}

func (s *Server) one(c *gin.Context) { s.show(c, http.StatusOK, "", nil) }

func (s *Server) show(c *gin.Context, status int, said string, p *problem.Problem) {
	snap, err := s.Workspace.Snapshot(c.Request.Context(), gate.Caller(c), idOf(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, status, "snapshot", snap.Title, gin.H{"S": snap, "Look": snap.Frozen.Theme.In(theme.Place{}).CSS, "Kinds": snapshot.Kinds, "Said": said, "Problem": p})
}

// answers are what its widgets showed, as pages are told of them, with what is drawn.
func (s *Server) answers(c *gin.Context) {
	snap, err := s.Workspace.Snapshot(c.Request.Context(), gate.Caller(c), idOf(c))
	all := gin.H{}
	if err == nil {
		for _, w := range snap.Frozen.Widgets {
			w.Answer.Unlink() // its records may be others by now
			for i := range w.Answer.Notes {
				w.Answer.Notes[i].Mark = nil
			}
			if all[w.ID], err = s.Answered(c, w.Answer, nil); err != nil {
				break
			}
		}
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.JSON(http.StatusOK, gin.H{"widgets": all, "notes": snap.Notes, "revision": snap.Revision})
}

// now says what has become of it.
func (s *Server) now(c *gin.Context) {
	compared, err := s.Workspace.CompareSnapshot(c.Request.Context(), gate.Caller(c), idOf(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "snapshot-now", gin.H{"All": compared})
}

// notes keeps what is drawn on it.
func (s *Server) notes(c *gin.Context) {
	var in struct {
		Revision int             `json:"revision"`
		Notes    []snapshot.Note `json:"notes"`
	}
	err := gate.Body(c, &in)
	if err == nil {
		err = s.Workspace.DrawOn(c.Request.Context(), gate.Caller(c), idOf(c), in.Revision, in.Notes)
	}
	s.Respond(c, gin.H{"revision": in.Revision + 1}, err)
}

func (s *Server) share(c *gin.Context) {
	err := s.Workspace.ShareSnapshot(c.Request.Context(), gate.Caller(c), idOf(c), c.PostForm("shared") != "")
	s.Done(c, err, at(idOf(c)), func(status int, p *problem.Problem) { s.show(c, status, "", p) })
}

func (s *Server) pass(c *gin.Context) {
	said, err := s.Workspace.PassSnapshot(c.Request.Context(), gate.Caller(c), idOf(c), c.PostForm("whom"), c.PostForm("note"))
	if p := problem.Of(err); p != nil {
		s.show(c, page.StatusOf(p), "", p)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.show(c, http.StatusOK, said, nil)
}

func (s *Server) remove(c *gin.Context) {
	err := s.Workspace.RemoveSnapshot(c.Request.Context(), gate.Caller(c), idOf(c))
	s.Done(c, err, "/snapshots", func(status int, p *problem.Problem) { s.show(c, status, "", p) })
}
