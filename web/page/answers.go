package page

import (
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/chart"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/deliver/sheet"
	"eskadel/view"
	"eskadel/web/gate"
	"eskadel/workspace"
)

// Answer tells the chart editor, besides, the document as its form can carry it.
func (s *Server) Answer(c *gin.Context, a *view.Answer, cut *chart.Document) {
	body, err := s.Answered(c, a, cut)
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.JSON(http.StatusOK, body)
}

// Answered is what a page is told of an answer.
func (s *Server) Answered(c *gin.Context, a *view.Answer, cut *chart.Document) (gin.H, error) {
	if a.Open = s.HostAddress(c); a.Open == "" && gate.Caller(c).Author {
		a.Unlink() // no host app is registered that could open them
	}
	if a.Listed != nil {
		a.Listed.Host = s.PictureAddress(c)
		a.Listed.Open(a.Open)
	} else if a.Text != "" {
		a.Host = s.PictureAddress(c)
	}
	html, err := s.Text("widget", a)
	return gin.H{"title": a.Title, "subtitle": a.Subtitle, "caption": a.Caption, "no_title": a.NoTitle, "form": a.Form, "sentence": a.Sentence, "notes": a.Notes, "fresh": a.Fresh, "live": a.Live, "drawing": a.Drawing, "whole": a.Whole, "nothing": a.Nothing, "html": html, "figures": a.Figures, "grain": a.Grain, "grains": a.Grains, "closer": a.Closer, "trail": a.Trail, "parts": a.Parts, "deeper": a.Deeper, "cut": cut}, err
}

// MarkOf reads which mark's records are asked for.
func MarkOf(c *gin.Context) (ref marks.Reference, p workspace.Paging, err error) {
	if posted := c.PostForm("mark"); posted != "" {
		err = problem.At("mark", problem.Decode([]byte(posted), &ref))
	}
	page, _ := strconv.Atoi(c.PostForm("number"))
	p = workspace.Paging{Words: c.PostForm("words"), Sort: c.PostForm("sort"), Page: page, Down: c.PostForm("down") != ""}
	if posted := c.PostForm("columns"); posted != "" && err == nil {
		err = problem.At("columns", problem.Decode([]byte(posted), &p.Columns))
	}
	return ref, p, err
}

// Drawer sends a page of records.
func (s *Server) Drawer(c *gin.Context, p *view.Page, address, keep string) {
	s.Proven(c, p, address, keep, "", "")
}

// Proven is Drawer for records of which an address says how their figure comes about, and another
// sends them as a file, where that is allowed.
func (s *Server) Proven(c *gin.Context, p *view.Page, address, keep, proof, file string) {
	host := s.HostAddress(c)
	if host == "" && gate.Caller(c).Author {
		p.Unlink()
	}
	s.Part(c, http.StatusOK, "records", gin.H{"Page": p, "Address": address, "Mark": c.PostForm("mark"), "Words": c.PostForm("words"), "State": c.PostForm("state"), "Host": host, "Draft": c.PostForm("draft"), "Document": c.PostForm("document"), "Keep": keep, "Proof": proof, "File": file, "Files": sheet.Kinds})
}

// HostAddress is what comes before a record's path: nothing for a viewer in a frame,
// whose host app opens the record itself; what is printed has no host app around it.
func (s *Server) HostAddress(c *gin.Context) string {
	if who := gate.Caller(c); !who.Author && !who.Printing {
		return ""
	}
	return s.PictureAddress(c)
}

// PictureAddress is what comes before the path of a picture, which the host app serves.
func (s *Server) PictureAddress(c *gin.Context) string {
	return s.Workspace.HostAddress(c.Request.Context(), gate.Caller(c))
}

// Pictured lets a page show pictures of the host apps.
func (s *Server) Pictured(c *gin.Context, frames string) {
	c.Header("Content-Security-Policy", gate.Policy(frames, s.Workspace.HostAddresses(c.Request.Context())...))
}

// WithPictures is for pages of Eskadel's own that show pictures of the host apps.
func (s *Server) WithPictures(c *gin.Context) { s.Pictured(c, "'none'") }
