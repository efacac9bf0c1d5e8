package web

import (
	"io"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/live"
	"eskadel/store"
)

func body(c *gin.Context, into any) error {
	b, err := io.ReadAll(c.Request.Body)
	if err != nil {
		return problem.New(problem.Invalid, "", "The request is larger than 4 MB.")
	}
	if len(b) == 0 {
		return nil
	}
	return problem.Decode(b, into)
}

// respond writes v, or the problem.
func (s *Server) respond(c *gin.Context, v any, err error) {
	if err != nil {
		s.fail(c, err)
		return
	}
	c.JSON(http.StatusOK, v)
}

func (s *Server) apiDashboard(c *gin.Context) {
	d, _, err := s.document(c)
	s.respond(c, d, err)
}

// apiView makes the view of a request whose body carries the state.
func (s *Server) apiView(c *gin.Context, state dashboard.State) (*live.View, error) {
	d, version, err := s.document(c)
	if err != nil {
		return nil, err
	}
	return s.engine.NewView(c.Request.Context(), d, version, caller(c).Viewer, state)
}

// apiRunWidget computes a widget: exact values as text, labels formatted.
func (s *Server) apiRunWidget(c *gin.Context) {
	var in struct {
		State dashboard.State `json:"state"`
	}
	if err := body(c, &in); err != nil {
		s.fail(c, err)
		return
	}
	v, err := s.apiView(c, in.State)
	if err != nil {
		s.fail(c, err)
		return
	}
	a, err := v.Widget(c.Param("widget"), live.Figures)
	s.respond(c, a, err)
}

// apiRecords lists the records behind a mark.
func (s *Server) apiRecords(c *gin.Context) {
	var in struct {
		State dashboard.State  `json:"state"`
		Mark  *query.Reference `json:"mark"`
		Page  int              `json:"page"`
	}
	if err := body(c, &in); err != nil {
		s.fail(c, err)
		return
	}
	v, err := s.apiView(c, in.State)
	if err == nil && !caller(c).Author && !v.Doc.Allows(dashboard.MaySeeRecords) {
		err = problem.New(problem.Forbidden, "", "The author of this dashboard does not show single records.")
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	ref := query.Reference{}
	if in.Mark != nil {
		ref = *in.Mark
	}
	p, err := v.Records(c.Param("widget"), ref, "", in.Page, "", false)
	s.respond(c, p, err)
}

// apiRun computes a definition of the author's own.
func (s *Server) apiRun(c *gin.Context) {
	var in struct {
		Definition query.Definition `json:"definition"`
		Filters    filter.Condition `json:"filters"`
	}
	if err := body(c, &in); err != nil {
		s.fail(c, err)
		return
	}
	ds, err := s.engine.Dataset(c.Request.Context(), in.Definition.Dataset)
	if err == nil {
		err = problem.At("filters", query.CheckCondition(in.Filters, ds))
	}
	var t *calc.Table
	if err == nil {
		v := caller(c).Viewer
		t, _, err = s.engine.Table(c.Request.Context(), in.Definition, ds, v, s.engine.Setting(ds, v, in.Filters.ForFilter(v.Attributes), time.Time{}))
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.JSON(http.StatusOK, chart.MakeGrid(t, 0))
}

// apiPutDashboard makes a dashboard, or replaces the draft of one.
func (s *Server) apiPutDashboard(c *gin.Context) {
	b, err := io.ReadAll(c.Request.Body)
	var d *dashboard.Document
	if err == nil {
		d, err = dashboard.Read(b)
	}
	if err == nil && d.Name != c.Param("dashboard") {
		err = problem.New(problem.Invalid, "name", "The document's name, “%s”, is not the one in the address.", d.Name)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	_, revision, err := s.draft(c, d.Name)
	if p := problem.Of(err); p != nil && p.Code == problem.NotFound {
		revision, err = 1, s.store.AddDashboard(c.Request.Context(), &store.Dashboard{Name: d.Name, Draft: d.JSON(), Keeper: caller(c).Name})
	} else if err == nil {
		revision, err = s.store.SaveDraft(c.Request.Context(), d.Name, revision, d.JSON())
	}
	s.respond(c, gin.H{"revision": revision}, err)
}

func (s *Server) apiDataset(c *gin.Context) {
	kept, err := s.store.Dataset(c.Request.Context(), c.Param("dataset"))
	if err != nil {
		s.fail(c, err)
		return
	}
	d, err := dataset.Read(kept.Document)
	s.respond(c, d, err)
}

func (s *Server) apiPutDataset(c *gin.Context) {
	b, err := io.ReadAll(c.Request.Body)
	var d *dataset.Document
	if err == nil {
		d, err = dataset.Read(b)
	}
	if err == nil && d.Name != c.Param("dataset") {
		err = problem.New(problem.Invalid, "name", "The document's name, “%s”, is not the one in the address.", d.Name)
	}
	if err == nil {
		err = s.keepDataset(c, d)
	}
	s.respond(c, d, err)
}
