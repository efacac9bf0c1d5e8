package dashboards

import (
	"encoding/json"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/view"
	"eskadel/web/gate"
)

// composing renders the reading line of a page of the draft, with what is unfolded under it:
// a filter, or with "+" what may be added.
func (s *Server) composing(c *gin.Context) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	d, err := s.Workspace.Composing(ctx, who, c.Param("dashboard"), c.PostForm("page"))
	var filters []view.EditedFilter
	if err == nil {
		filters, err = d.Filters()
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	open := c.PostForm("open")
	data := gin.H{"Filters": filters, "Doc": d.Doc, "Open": open}
	for i := range filters {
		if filters[i].Name == open {
			begins, _ := json.Marshal(filters[i].Default)
			data["Filter"], data["Default"] = &filters[i], string(begins)
		}
	}
	if open == "+" {
		if data["Candidates"], err = d.Candidates(); err != nil {
			s.Fail(c, err)
			return
		}
	}
	s.Part(c, http.StatusOK, "composing", data)
}

// changeFilters adds, changes, moves or takes off a filter of the draft, and answers with the
// whole of that and the filter's name.
func (s *Server) changeFilters(c *gin.Context) {
	ctx, who, name := c.Request.Context(), gate.Caller(c), c.Param("dashboard")
	filter, do := c.PostForm("filter"), c.PostForm("do")
	var err error
	switch do {
	case "add":
		filter, err = s.Workspace.AddFilter(ctx, who, name, c.PostForm("page"), c.PostForm("kind"), c.PostForm("field"))
	case "change":
		var to dashboard.Filter
		var answers map[string]string
		if to, answers, err = changedFilter(c); err == nil {
			err = s.Workspace.ChangeFilter(ctx, who, name, to, answers)
		}
	default:
		err = s.Workspace.MoveFilter(ctx, who, name, filter, do)
	}
	s.changed(c, err, gin.H{"filter": filter})
}

// changedFilter reads a filter as its form has it, with the field by which each dataset is to
// answer.
func changedFilter(c *gin.Context) (f dashboard.Filter, answers map[string]string, err error) {
	f = dashboard.Filter{Name: c.PostForm("filter"), Label: c.PostForm("label"), Pages: c.PostFormArray("on"), One: c.PostForm("one") != "", Shown: c.PostForm("shown")}
	if len(f.Pages) == 0 {
		return f, nil, problem.New(problem.Missing, "on", "On which page does the filter stand? Take it off where it is on none.")
	}
	answers = map[string]string{}
	for name, values := range c.Request.PostForm {
		if ds, is := strings.CutPrefix(name, "answers."); is {
			answers[ds] = values[0]
		}
	}
	if text := c.PostForm("default"); text != "" && text != "null" {
		err = problem.At("default", json.Unmarshal([]byte(text), &f.Default))
	}
	return f, answers, err
}

// changed answers a change of a draft with the whole of what it is then.
func (s *Server) changed(c *gin.Context, err error, more gin.H) {
	if err != nil {
		s.Fail(c, err)
		return
	}
	o, err := s.Workspace.Changing(c.Request.Context(), gate.Caller(c), c.Param("dashboard"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	more["revision"], more["document"], more["look"] = o.Revision, o.Doc, o.Doc.Theme.CSS()
	c.JSON(http.StatusOK, more)
}
