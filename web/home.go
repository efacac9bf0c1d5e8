package web

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/live"
	"eskadel/store"
)

// A homeRow is a dashboard on the home page.
type homeRow struct {
	store.Dashboard
	Title    string
	Answers  string
	Headline *chart.Figure
	Fresh    string
	May      bool // change it
}

func (s *Server) homeRows(c *gin.Context, find string) ([]homeRow, error) {
	kept, err := s.store.Dashboards(c.Request.Context())
	if err != nil {
		return nil, err
	}
	var out []homeRow
	for _, k := range kept {
		d, err := s.shownOf(c, &k)
		if err != nil {
			return nil, problem.At("dashboard "+k.Name, err)
		}
		if d == nil {
			continue
		}
		row := homeRow{Dashboard: k, Title: d.Title, Answers: d.Answers, May: mayChange(c, k.KeeperID)}
		if !strings.Contains(strings.ToLower(row.Title+" "+row.Answers+" "+k.Folder), strings.ToLower(find)) {
			continue
		}
		row.Headline, row.Fresh = s.headline(c, d)
		out = append(out, row)
	}
	return out, nil
}

// shownOf is what the caller sees of a dashboard: its published version, or the draft of one
// that they may change and that has none; nil where there is nothing for them.
func (s *Server) shownOf(c *gin.Context, k *store.Dashboard) (*dashboard.Document, error) {
	switch {
	case k.Published > 0:
		return s.version(c, k.Name, k.Published)
	case mayChange(c, k.KeeperID):
		return dashboard.Read(k.Draft)
	}
	return nil, nil
}

// headline is the first key figure of a dashboard; none when it cannot be had just now.
func (s *Server) headline(c *gin.Context, d *dashboard.Document) (*chart.Figure, string) {
	v, err := s.engine.NewView(c.Request.Context(), d, 0, caller(c).Viewer, dashboard.State{})
	if err != nil {
		return nil, ""
	}
	for _, w := range d.Widgets() {
		if w.Chart == nil || w.Chart.Own == nil || w.Chart.Own.Form != chart.KeyFigures {
			continue
		}
		var a *live.Answer
		if a, err = v.Widget(w.ID, live.Drawing); err == nil && len(a.Figures) > 0 {
			return &a.Figures[0], a.Fresh
		}
	}
	return nil, ""
}

func (s *Server) home(c *gin.Context) {
	rows, err := s.homeRows(c, "")
	if err != nil {
		s.fail(c, err)
		return
	}
	s.page(c, http.StatusOK, "home", "Dashboards", gin.H{"Rows": rows})
}

func (s *Server) homeList(c *gin.Context) {
	rows, err := s.homeRows(c, c.Query("find"))
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "home-list", gin.H{"Rows": rows, "Find": c.Query("find")})
}
