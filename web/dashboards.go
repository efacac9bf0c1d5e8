package web

import (
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/live"
	"eskadel/store"
)

func (s *Server) newDashboard(c *gin.Context) {
	title := strings.TrimSpace(c.PostForm("title"))
	if title == "" {
		s.fail(c, problem.New(problem.Missing, "title", "Give the dashboard a title."))
		return
	}
	d := &dashboard.Document{Version: 1, Name: slug(title), Title: title, Pages: []dashboard.Page{{Title: "Overview", Widgets: []dashboard.Widget{}}}, ViewersMay: []string{dashboard.MaySeeRecords}}
	if err := s.store.AddDashboard(c.Request.Context(), s.kept(c, d)); err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, "/dashboards/"+d.Name+"/edit")
}

// kept is a new dashboard, which whoever makes it keeps.
func (s *Server) kept(c *gin.Context, d *dashboard.Document) *store.Dashboard {
	who := caller(c)
	return &store.Dashboard{Name: d.Name, Draft: d.JSON(), Keeper: who.Name, KeeperID: &who.PersonID}
}

// mayChange tells whether the caller may change what somebody keeps: its keeper may, and
// builders.
func mayChange(c *gin.Context, keeper *int64) bool {
	who := caller(c)
	return who.Builder || keeper != nil && who.PersonID == *keeper
}

// changeable finds a dashboard that the caller may change.
func (s *Server) changeable(c *gin.Context, name string) (*store.Dashboard, error) {
	kept, err := s.store.Dashboard(c.Request.Context(), name)
	if err != nil {
		return nil, err
	}
	if !mayChange(c, kept.KeeperID) {
		return nil, problem.New(problem.Forbidden, "", "This dashboard is kept by %s: only they and builders change it.", kept.Keeper)
	}
	return kept, nil
}

// own reads the draft of a dashboard that the caller may change.
func (s *Server) own(c *gin.Context, name string) (*dashboard.Document, int, error) {
	kept, err := s.changeable(c, name)
	if err != nil {
		return nil, 0, err
	}
	d, err := dashboard.Read(kept.Draft)
	return d, kept.Revision, err
}

func (s *Server) reading(c *gin.Context) {
	d, _, err := s.document(c)
	kept, e := s.store.Dashboard(c.Request.Context(), c.Param("dashboard"))
	if e != nil {
		s.fail(c, e)
		return
	}
	if err != nil {
		if kept.Published == 0 {
			c.Redirect(http.StatusSeeOther, "/dashboards/"+kept.Name+"/edit")
			return
		}
		s.fail(c, err)
		return
	}
	s.page(c, http.StatusOK, "reading", d.Title, gin.H{"Doc": d, "Kept": kept, "PageTitle": c.Query("page"), "May": mayChange(c, kept.KeeperID)})
}

func (s *Server) editing(c *gin.Context) {
	d, revision, err := s.own(c, c.Param("dashboard"))
	if err != nil {
		s.fail(c, err)
		return
	}
	kept, err := s.store.Dashboard(c.Request.Context(), d.Name)
	if err != nil {
		s.fail(c, err)
		return
	}
	page, err := d.Page(c.Query("page"))
	if err != nil {
		s.fail(c, err)
		return
	}
	charts, err := s.libraryRows(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.page(c, http.StatusOK, "editing", d.Title, gin.H{"Doc": d, "Kept": kept, "Revision": revision, "Page": page, "Library": charts, "Document": string(d.JSON())})
}

// saveDraft keeps the document that the editor holds.
func (s *Server) saveDraft(c *gin.Context) {
	d, err := dashboard.Read([]byte(c.PostForm("document")))
	if err == nil && d.Name != c.Param("dashboard") {
		err = problem.New(problem.Invalid, "name", "The name of a dashboard stays as it is.")
	}
	revision, _ := strconv.Atoi(c.PostForm("revision"))
	if err == nil {
		_, err = s.changeable(c, c.Param("dashboard"))
	}
	if err == nil {
		revision, err = s.store.SaveDraft(c.Request.Context(), c.Param("dashboard"), revision, d.JSON())
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.JSON(http.StatusOK, gin.H{"revision": revision})
}

// addWidget puts something new on a page of the draft and leads on to it.
func (s *Server) addWidget(c *gin.Context) {
	d, revision, err := s.own(c, c.Param("dashboard"))
	if err != nil {
		s.fail(c, err)
		return
	}
	page, err := d.Page(c.PostForm("page"))
	if err != nil {
		s.fail(c, err)
		return
	}
	w := dashboard.Widget{ID: d.NewID()}
	next := "/charts/edit?at=" + d.Name + "/" + w.ID
	own := &chart.Document{Definition: query.Definition{Version: 1}, Form: chart.Columns}
	what := c.PostForm("what")
	switch text, is := texts[what]; {
	case is:
		w.Text, next = text.begins, "/dashboards/"+d.Name+"/edit#"+w.ID
		w.At = page.Place(6, text.high)
	case strings.HasPrefix(what, "library/"):
		name := strings.TrimPrefix(what, "library/")
		doc, err := s.engine.Library(c.Request.Context(), name)
		if err != nil {
			s.fail(c, err)
			return
		}
		w.Chart, next = &dashboard.Chart{Library: name}, "/dashboards/"+d.Name+"/edit#"+w.ID
		w.At = page.Place(sizeOf(doc.Form))
	default:
		for _, f := range []chart.Form{chart.KeyFigures, chart.Table, chart.Records} {
			if what == f.Kind {
				own.Form = f
			}
		}
		w.Chart = &dashboard.Chart{Own: own}
		w.At = page.Place(sizeOf(own.Form))
	}
	page.Widgets = append(page.Widgets, w)
	if _, err := s.store.SaveDraft(c.Request.Context(), d.Name, revision, d.JSON()); err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, next)
}

// texts are the widgets that are words, by what they are called where one is added: how
// each begins and how high it is.
var texts = map[string]struct {
	begins string
	high   int
}{
	"text":  {"A few words for those who read this.", 1},
	"image": {"![What the picture shows](/)", 3},
	"link":  {"[Where it leads](https://example.org/)", 2},
}

// publishable checks that every chart of a draft works, stands on datasets that its author
// may use, and may be shown.
func (s *Server) publishable(c *gin.Context, d *dashboard.Document) error {
	v, err := s.engine.NewView(c.Request.Context(), d, 0, caller(c).Viewer, dashboard.State{})
	if err != nil {
		return err
	}
	for _, w := range d.Widgets() {
		doc, ds, err := documentOf(v, &w)
		if err != nil {
			return problem.At(w.ID, err)
		}
		if doc == nil {
			continue
		}
		if err := doc.Check(ds); err != nil {
			return problem.At(w.ID, err)
		}
		of := []*dataset.Dataset{ds}
		for i := range doc.Also {
			of = append(of, doc.Other(i))
		}
		for _, ds := range of {
			if err := rule.Publishable(ds); err != nil {
				return problem.At(w.ID, err)
			}
		}
	}
	return nil
}

// colour gives the values that the dashboard tells apart their colours.
func (s *Server) colour(c *gin.Context, d *dashboard.Document) error {
	v, err := s.engine.NewView(c.Request.Context(), d, 0, caller(c).Viewer, dashboard.State{})
	if err != nil {
		return err
	}
	d.Colours, err = v.Colours()
	return err
}

// documentOf is the chart on a widget; one whose dataset is still to be chosen is a problem.
func documentOf(v *live.View, w *dashboard.Widget) (*chart.Document, *dataset.Dataset, error) {
	if w.Chart != nil && w.Chart.Own != nil && w.Chart.Own.Dataset == "" {
		return nil, nil, problem.New(problem.Missing, "", "A chart has no records yet: choose which, or take it off the page.")
	}
	return v.Document(w)
}

func (s *Server) publish(c *gin.Context) {
	d, _, err := s.own(c, c.Param("dashboard"))
	if err == nil {
		err = s.publishable(c, d)
	}
	if err == nil {
		err = s.colour(c, d)
	}
	number := 0
	if err == nil {
		number, err = s.store.Publish(c.Request.Context(), d.Name, d.JSON(), caller(c).Name)
	}
	if err == nil {
		err = s.store.Audit(c.Request.Context(), caller(c).Name, "published version "+strconv.Itoa(number)+" of the dashboard", d.Name)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	if wantsJSON(c) {
		c.JSON(http.StatusOK, gin.H{"version": number})
		return
	}
	redirect(c, "/dashboards/"+d.Name)
}
