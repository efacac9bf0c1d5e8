package web

import (
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/live"
	"eskadel/source"
	"eskadel/uploads"
)

func body(c *gin.Context, into any) error {
	b, err := io.ReadAll(c.Request.Body)
	if err != nil {
		return problem.New(problem.Invalid, "", "The request did not arrive whole.")
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
		State  dashboard.State `json:"state"`
		Totals *bool           `json:"totals"` // left out when false
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
	if err == nil && a.Grid != nil && in.Totals != nil && !*in.Totals {
		a.Grid = a.Grid.WithoutTotals()
	}
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
		Totals     *bool            `json:"totals"` // left out when false
	}
	if err := body(c, &in); err != nil {
		s.fail(c, err)
		return
	}
	ds, err := s.usable(c, in.Definition.Dataset)
	if err == nil {
		err = problem.At("filters", query.CheckCondition(in.Filters, ds))
	}
	if err == nil {
		err = problem.At("definition", in.Definition.CheckBeside(ds, sets{s, c}))
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
	g := chart.MakeGrid(t, &chart.Document{Definition: t.Plan.Definition}, 0)
	if in.Totals != nil && !*in.Totals {
		g = g.WithoutTotals()
	}
	if c.NegotiateFormat("application/json", "text/csv") == "text/csv" {
		s.csv(c, "figures", g)
		return
	}
	c.JSON(http.StatusOK, struct {
		*chart.Grid
		Notes []live.Note `json:"notes"` // what is left out
	}{g, live.Notes(t, 0)})
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
	kept, err := s.changeable(c, d.Name)
	revision := 1
	switch {
	case problem.Is(err, problem.NotFound):
		err = s.store.AddDashboard(c.Request.Context(), s.kept(c, d))
	case err == nil:
		revision, err = s.store.SaveDraft(c.Request.Context(), d.Name, kept.Revision, d.JSON())
	}
	s.respond(c, gin.H{"revision": revision}, err)
}

func (s *Server) apiDataset(c *gin.Context) {
	d, err := s.keptDataset(c)
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

func (s *Server) apiDeleteDataset(c *gin.Context) {
	uses, err := s.store.Uses(c.Request.Context(), c.Param("dataset"))
	if err == nil && len(uses) > 0 {
		err = problem.New(problem.Conflict, "", "%s stand on this dataset: change them first.", strings.Join(uses, ", "))
	}
	if err == nil {
		err = s.store.RemoveDataset(c.Request.Context(), c.Param("dataset"))
	}
	s.respond(c, gin.H{}, err)
}

func (s *Server) apiDatasets(c *gin.Context) {
	sets, err := s.store.Datasets(c.Request.Context())
	out := []gin.H{}
	for _, kept := range sets {
		d, e := dataset.Read(kept.Document)
		if e == nil && s.mayUse(c.Request.Context(), caller(c), d) == nil {
			out = append(out, gin.H{"name": d.Name, "title": d.Title, "source": d.Source})
		}
	}
	s.respond(c, out, err)
}

// apiProfile tells what is in the fields, as far as the caller may see it.
func (s *Server) apiProfile(c *gin.Context) {
	_, p, err := s.profiled(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	fields := []gin.H{}
	for _, f := range p.Fields {
		top := []gin.H{}
		for _, t := range f.Top {
			top = append(top, gin.H{"value": t.Value, "records": t.N})
		}
		fields = append(fields, gin.H{"name": f.Of.Name, "type": f.Of.Type, "filled": f.Filled, "empty": f.Empty, "unreadable": f.Unreadable, "distinct": f.Distinct, "exactly": f.Exactly, "smallest": f.Smallest, "largest": f.Largest, "median": f.Quartiles[1], "spread": f.Spread, "most_frequent": top})
	}
	odd := []gin.H{}
	for _, o := range p.Odd {
		offers := []gin.H{}
		for _, offer := range o.Offers {
			offers = append(offers, gin.H{"label": offer.Label, "dataset": offer.Document})
		}
		odd = append(odd, gin.H{"field": o.Field, "words": o.Words, "records": o.Records, "offers": offers})
	}
	c.JSON(http.StatusOK, gin.H{"records": p.Records, "whole": p.Whole, "looked": p.Looked, "fields": fields, "odd": odd})
}

// apiDatasetRecords lists records of a dataset.
func (s *Server) apiDatasetRecords(c *gin.Context) {
	var in struct {
		Fields  []string         `json:"fields"`
		Filters filter.Condition `json:"filters"`
		Sort    string           `json:"sort"`
		Down    bool             `json:"descending"`
		Page    int              `json:"page"`
	}
	err := body(c, &in)
	var ds *dataset.Dataset
	if err == nil {
		ds, err = s.usable(c, c.Param("dataset"))
	}
	if err == nil {
		err = problem.At("filters", query.CheckCondition(in.Filters, ds))
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	v := caller(c).Viewer
	p := query.NewList(ds, s.engine.Setting(ds, v, in.Filters, time.Time{}), query.PageSize)
	if err = p.Choose(in.Fields, nil); err == nil {
		err = p.By(in.Page, in.Sort, in.Down)
	}
	var l *live.List
	if err == nil {
		l, err = s.engine.Records(c.Request.Context(), p, v)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.JSON(http.StatusOK, live.NewPage(l))
}

func (s *Server) apiValues(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	var out []live.Listed
	if err == nil {
		out, err = s.engine.ListValues(c.Request.Context(), ds, c.Param("field"), c.Query("find"), caller(c).Viewer)
	}
	s.respond(c, out, err)
}

// apiFormula checks a formula and computes it for the first records.
func (s *Server) apiFormula(c *gin.Context) {
	var in struct {
		Formula string `json:"formula"`
	}
	err := body(c, &in)
	var ds *dataset.Dataset
	if err == nil {
		ds, err = s.usable(c, c.Param("dataset"))
	}
	var t *live.Trial
	if err == nil {
		t, err = s.engine.Try(c.Request.Context(), ds, in.Formula, caller(c).Viewer)
	}
	s.respond(c, t, err)
}

// apiViewAs tells how many records a viewer would see, and which fields not.
func (s *Server) apiViewAs(c *gin.Context) {
	var in struct {
		Roles      []string          `json:"roles"`
		Attributes filter.Attributes `json:"attributes"`
	}
	err := body(c, &in)
	var ds *dataset.Dataset
	if err == nil {
		ds, err = s.usable(c, c.Param("dataset"))
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	v, err := s.engine.ViewAs(c.Request.Context(), ds, rule.Viewer{ID: "view as", Roles: in.Roles, Attributes: in.Attributes})
	s.respond(c, v, err)
}

func (s *Server) apiSources(c *gin.Context) {
	sources, err := s.store.Sources(c.Request.Context())
	out := []gin.H{}
	for _, src := range sources {
		out = append(out, gin.H{"name": src.Name, "title": src.Title, "kind": src.Kind})
	}
	s.respond(c, out, err)
}

func (s *Server) apiTables(c *gin.Context) {
	tables, err := s.engine.Catalogue(c.Request.Context(), c.Param("source"))
	s.respond(c, tables, err)
}

func (s *Server) apiRules(c *gin.Context) {
	kept, err := s.store.Source(c.Request.Context(), c.Param("source"))
	var r *dataset.SourceRules
	if err == nil {
		r, err = dataset.ReadRules(kept.Rules)
	}
	s.respond(c, r, err)
}

func (s *Server) apiPutRules(c *gin.Context) {
	b, err := io.ReadAll(c.Request.Body)
	var r *dataset.SourceRules
	if err == nil {
		r, err = dataset.ReadRules(b)
	}
	if err == nil && r.Source != c.Param("source") {
		err = problem.New(problem.Invalid, "source", "The document's source, “%s”, is not the one in the address.", r.Source)
	}
	if err == nil {
		err = s.keepRules(c, r)
	}
	s.respond(c, r, err)
}

// apiPutSource connects a database, or changes its address, once it answers.
func (s *Server) apiPutSource(c *gin.Context) {
	var in struct {
		Title string `json:"title"`
		URL   string `json:"url"`
	}
	name := c.Param("source")
	err := body(c, &in)
	if err == nil {
		err = dataset.CheckName(name)
	}
	if err == nil && (strings.TrimSpace(in.Title) == "" || name == uploads.Source) {
		err = problem.New(problem.Missing, "title", "Give the source a title, and a name other than “%s”.", uploads.Source)
	}
	var found *source.Diagnosis
	if err == nil {
		found, err = s.diagnose(c.Request.Context(), in.URL)
	}
	if err == nil {
		err = s.keepSource(c, name, in.Title, in.URL)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.JSON(http.StatusOK, gin.H{"name": name, "title": in.Title, "found": found.Words()})
}

func (s *Server) apiDeleteSource(c *gin.Context) {
	err := s.store.RemoveSource(c.Request.Context(), c.Param("source"))
	if err == nil {
		s.engine.Close(c.Param("source"))
		err = s.store.Audit(c.Request.Context(), caller(c).Name, "removed the source", c.Param("source"))
	}
	s.respond(c, gin.H{}, err)
}

func (s *Server) apiWorkspace(c *gin.Context) {
	kept, err := s.store.Workspace(c.Request.Context())
	if err == nil && kept == nil {
		kept = (&period.Workspace{Version: 1, Zone: s.engine.Calendar().Zone.String()}).JSON()
	}
	s.respond(c, json.RawMessage(kept), err)
}

func (s *Server) apiPutWorkspace(c *gin.Context) {
	b, err := io.ReadAll(c.Request.Body)
	var w *period.Workspace
	if err == nil {
		w, err = period.ReadWorkspace(b)
	}
	if err == nil {
		err = s.keepWorkspace(c, w)
	}
	s.respond(c, w, err)
}
