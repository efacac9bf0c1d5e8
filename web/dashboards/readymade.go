package dashboards

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/readymade"
	"eskadel/web/gate"
	"eskadel/web/page"
)

// A readyRow is a kind of work that there is a ready-made dashboard for, with the datasets that fit.
type readyRow struct {
	*readymade.Kind
	Fits []*dataset.Dataset
}

// readyMade lists the ready-made dashboards, each with the datasets that fit it.
func (s *Server) readyMade(c *gin.Context) {
	var rows []readyRow
	for _, k := range readymade.Kinds() {
		_, fitting, err := s.Workspace.Fitting(c.Request.Context(), gate.Caller(c), k.Name)
		if err != nil {
			s.Fail(c, err)
			return
		}
		row := readyRow{Kind: k}
		for _, f := range fitting {
			if f.Sure > 0 && 2*f.Sure > fitting[0].Sure && len(row.Fits) < 3 {
				row.Fits = append(row.Fits, f.Dataset)
			}
		}
		rows = append(rows, row)
	}
	s.Page(c, http.StatusOK, "ready-made", "Ready-made", gin.H{"Rows": rows})
}

// readyKind is the page of one kind: what is guessed of a dataset, and what would be made.
func (s *Server) readyKind(c *gin.Context) {
	k, fitting, err := s.Workspace.Fitting(c.Request.Context(), gate.Caller(c), c.Param("kind"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	data := gin.H{"Kind": k, "Fitting": fitting}
	name := c.Query("dataset")
	if name == "" && len(fitting) > 0 {
		name = fitting[0].Dataset.Name
	}
	if name != "" {
		if data["R"], err = s.Workspace.Prepare(c.Request.Context(), gate.Caller(c), k.Name, name, nil, ""); err != nil {
			s.Fail(c, err)
			return
		}
	}
	s.Page(c, http.StatusOK, "ready-kind", k.Title, data)
}

// chosen reads the choice of a form.
func chosen(c *gin.Context) *readymade.Choice {
	out := &readymade.Choice{Fields: map[string]string{}, Open: c.PostFormArray("open")}
	_ = c.PostForm("") // so that the form is read
	for name, values := range c.Request.PostForm {
		if part, is := strings.CutPrefix(name, "part."); is {
			out.Fields[part] = values[0]
		}
	}
	return out
}

// readySaid says a choice anew, with what would be made.
func (s *Server) readySaid(c *gin.Context) {
	r, err := s.Workspace.Prepare(c.Request.Context(), gate.Caller(c), c.Param("kind"), c.PostForm("dataset"), chosen(c), c.PostForm("title"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "ready", gin.H{"R": r})
}

// makeReady makes the dashboard and opens it.
func (s *Server) makeReady(c *gin.Context) {
	st, err := s.Workspace.MakeReady(c.Request.Context(), gate.Caller(c), c.Param("kind"), c.PostForm("dataset"), chosen(c), c.PostForm("title"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/dashboards/"+st.Name+"/edit")
}
