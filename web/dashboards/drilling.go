package dashboards

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/workspace"
)

// drilling renders where drills lead from a page of the draft, with what is unfolded of it: a way,
// or where one leads that is tried; or, asked about a widget, the choices for a drill down from it.
func (s *Server) drilling(c *gin.Context) {
	d, err := s.Workspace.DrillingOn(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), c.PostForm("page"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	part, data := "drilling", gin.H{}
	widget, try, open := c.PostForm("widget"), c.PostForm("try"), c.PostForm("open")
	switch {
	case widget != "":
		part = "drill-down"
		data["F"], err = d.DownForm(widget)
	case try != "":
		part = "drill-tried"
		data["T"], err = d.Try(try)
	default:
		data["D"], data["Open"] = d.Drilling(), open
		if _, there := d.Doc.ThroughOf(open); there == nil {
			data["F"], err = d.WayForm(open)
		}
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, part, data)
}

// changeDrilling changes where drills lead, and answers with the whole of the draft.
func (s *Server) changeDrilling(c *gin.Context) {
	change := workspace.DrillChange{Page: c.PostForm("page"), Do: c.PostForm("do"), Widget: c.PostForm("widget"), Field: c.PostForm("field")}
	var way string
	var err error
	if change.Way, err = wayFrom(c); err == nil {
		way, err = s.Workspace.ChangeDrilling(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), change)
	}
	s.changed(c, err, gin.H{"way": way})
}

// wayFrom reads a way as its form has it.
func wayFrom(c *gin.Context) (dashboard.Through, error) {
	t := dashboard.Through{Name: c.PostForm("way"), Of: c.PostForm("of"), Fill: map[string]string{}}
	if c.PostForm("do") != "change" {
		return t, nil
	}
	if t.Of == "" {
		if t.From = c.PostFormArray("from"); len(t.From) == 0 {
			return t, problem.New(problem.Missing, "from", "From which widgets does it lead? Tick one, or take the way away.")
		}
	}
	if to := c.PostForm("to"); to == "host" {
		t.To.Host = strings.TrimSpace(c.PostForm("host"))
		if t.To.Host == "" {
			t.To.Host = "/"
		}
	} else {
		t.To.Dashboard, t.To.Page, _ = strings.Cut(to, "/")
	}
	for name, values := range c.Request.PostForm {
		if field, is := strings.CutPrefix(name, "fill."); is {
			t.Fill[field] = values[0]
		}
	}
	return t, nil
}
