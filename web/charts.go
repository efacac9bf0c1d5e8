package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/sentence"
	"eskadel/live"
	"eskadel/store"
)

// A libraryRow is a chart of the library as lists name it.
type libraryRow struct {
	Name, Title, Sentence, By string
	May                       bool // change it
}

// libraryRows lists the library, with titles and sentences of charts whose dataset the
// caller may use.
func (s *Server) libraryRows(c *gin.Context) (out []libraryRow, err error) {
	kept, err := s.store.Charts(c.Request.Context())
	if err != nil {
		return nil, err
	}
	for _, k := range kept {
		d, err := chart.Read(k.Document)
		if err != nil {
			return nil, err
		}
		r := libraryRow{Name: k.Name, Title: k.Name, By: k.UpdatedBy, May: mayChange(c, k.KeeperID)}
		if ds, err := s.usable(c, d.Dataset); err == nil {
			r.Title, r.Sentence = sentence.Title(d, ds), sentence.Text(d, ds)
		}
		out = append(out, r)
	}
	return out, nil
}

func (s *Server) library(c *gin.Context) {
	rows, err := s.libraryRows(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.page(c, http.StatusOK, "charts", "Charts", gin.H{"Rows": rows})
}

// A place is where an edited chart is kept: on a widget of a draft, "dashboard/widget",
// or in the library, "library/name"; "" for a chart that stands nowhere yet.
type place struct {
	Dashboard, Widget, Library string
}

func parsePlace(at string) place {
	first, second, _ := strings.Cut(at, "/")
	if first == "library" {
		return place{Library: second}
	}
	return place{Dashboard: first, Widget: second}
}

// chartEditor opens a chart: the one at a place, or a new one.
func (s *Server) chartEditor(c *gin.Context) {
	at := parsePlace(c.Query("at"))
	doc := &chart.Document{Definition: query.Definition{Version: 1}, Form: chart.Columns}
	var err error
	switch {
	case c.Query("dataset") != "":
		var ds *dataset.Dataset
		if ds, err = s.usable(c, c.Query("dataset")); err == nil {
			doc = sentence.Start(ds, chart.Columns)
		}
	case c.Query("like") != "":
		var own *chart.Document
		if own, err = s.like(c, parsePlace(c.Query("like"))); own != nil {
			doc = own
		}
	case at == (place{}):
		doc = s.again(c, doc, c.Query("again") != "")
	case at.Library != "":
		doc, err = s.engine.Library(c.Request.Context(), at.Library)
	case at.Widget != "":
		var own *chart.Document
		if own, err = s.like(c, at); own != nil {
			doc = own
		}
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	dashboards, err := s.mine(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	data, err := s.sentenceOf(c, doc)
	if err != nil {
		s.fail(c, err)
		return
	}
	if doc.Dataset != "" && at == (place{}) && c.Query("dataset") == "" && c.Query("again") == "" && c.Query("like") == "" {
		data["Again"] = true
	}
	data["At"], data["Where"], data["Dashboards"] = c.Query("at"), at, dashboards
	for _, d := range dashboards {
		if d.Name == at.Dashboard {
			data["OnTitle"] = d.Title
		}
	}
	s.page(c, http.StatusOK, "chart-editor", "Chart", data)
}

// A titled thing has a name for programs and a title for people.
type titled struct{ Name, Title string }

// mine lists the dashboards that the caller may change.
func (s *Server) mine(c *gin.Context) (out []titled, err error) {
	kept, err := s.store.Dashboards(c.Request.Context())
	for _, k := range kept {
		if d, err := dashboard.Read(k.Draft); err == nil && mayChange(c, k.KeeperID) {
			out = append(out, titled{k.Name, d.Title})
		}
	}
	return out, err
}

// like is the chart that stands on a widget of a draft, or in the library; nil where a
// widget has none of its own.
func (s *Server) like(c *gin.Context, at place) (*chart.Document, error) {
	if at.Library != "" {
		return s.engine.Library(c.Request.Context(), at.Library)
	}
	d, _, err := s.draft(c, at.Dashboard)
	if err != nil {
		return nil, err
	}
	w, err := d.Widget(at.Widget)
	if err != nil || w.Chart == nil {
		return nil, err
	}
	return w.Chart.Own, nil
}

// again starts a chart from the dataset of the one that the person placed last, on
// request with its groups; it returns doc where there is none that may still be used.
func (s *Server) again(c *gin.Context, doc *chart.Document, groups bool) *chart.Document {
	me, err := s.store.PersonByEmail(c.Request.Context(), caller(c).Email)
	if err != nil || me.LastChart == nil {
		return doc
	}
	last, err := chart.Read(*me.LastChart)
	if err != nil {
		return doc
	}
	ds, err := s.usable(c, last.Dataset)
	if err != nil {
		return doc
	}
	next := sentence.Start(ds, chart.Columns)
	if groups {
		next.By, next.Split, next.Form = last.By, last.Split, last.Form
		if next.Check(ds) != nil {
			return sentence.Start(ds, chart.Columns)
		}
	}
	return next
}

func (s *Server) draft(c *gin.Context, name string) (*dashboard.Document, int, error) {
	kept, err := s.store.Dashboard(c.Request.Context(), name)
	if err != nil {
		return nil, 0, err
	}
	d, err := dashboard.Read(kept.Draft)
	return d, kept.Revision, err
}

// posted reads the chart document that the editor holds.
func (s *Server) posted(c *gin.Context) (*chart.Document, *dataset.Dataset, error) {
	d, err := chart.Read([]byte(c.PostForm("document")))
	if err != nil {
		return nil, nil, problem.At("chart", err)
	}
	d.Now = s.engine.Hub.Clock()
	if d.Dataset == "" {
		return d, nil, nil
	}
	d.Sets = sets{s, c}
	ds, err := s.usable(c, d.Dataset)
	return d, ds, err
}

// postedWith is posted for what only a chart of a dataset has.
func (s *Server) postedWith(c *gin.Context) (*chart.Document, *dataset.Dataset, error) {
	d, ds, err := s.posted(c)
	if err == nil && ds == nil {
		err = problem.New(problem.Missing, "dataset", "%s", sentence.Missing(d, nil))
	}
	return d, ds, err
}

// sets finds the datasets that the person may use in charts.
type sets struct {
	server  *Server
	request *gin.Context
}

func (s sets) Dataset(name string) (*dataset.Dataset, error) {
	return s.server.usable(s.request, name)
}

// all returns every dataset that the person may use.
func (s sets) all() (out []*dataset.Dataset, err error) {
	kept, err := s.server.store.Datasets(s.request.Request.Context())
	for _, k := range kept {
		if ds, err := s.Dataset(k.Name); err == nil {
			out = append(out, ds)
		}
	}
	return out, err
}

func (s *Server) sentenceOf(c *gin.Context, d *chart.Document) (gin.H, error) {
	var ds *dataset.Dataset
	if d.Dataset != "" {
		var err error
		if ds, err = s.usable(c, d.Dataset); err != nil {
			return nil, err
		}
		d.Sets = sets{s, c}
	}
	document, err := json.Marshal(d)
	if err != nil {
		return nil, err
	}
	return gin.H{"Phrases": sentence.Of(d, ds), "Heading": sentence.Title(d, ds), "Own": d.Title, "Missing": sentence.Missing(d, ds), "Document": string(document), "HasDataset": ds != nil}, nil
}

// chartMenu unfolds what a phrase of the sentence may become.
func (s *Server) chartMenu(c *gin.Context) {
	d, ds, err := s.posted(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	part := c.PostForm("part")
	m, err := s.menu(c, d, ds, part)
	if err != nil {
		s.fail(c, err)
		return
	}
	of := gin.H{"Menu": m}
	if path, set, where := s.conditioned(d, ds, part); set != nil {
		of["Where"] = gin.H{"Path": path, "Value": where, "Choices": datasetFields(set), "Dataset": set.Name}
	}
	s.part(c, http.StatusOK, "choices", of)
}

// conditioned tells where in the document the condition stands that a part of the sentence
// is, the dataset it is on and what it is now; no dataset where the part is none.
func (s *Server) conditioned(d *chart.Document, ds *dataset.Dataset, part string) (path string, on *dataset.Dataset, where *filter.Condition) {
	if ds == nil {
		return "", nil, nil
	}
	if part == "where" {
		return part, ds, d.Where
	}
	for i, b := range d.Also {
		if path = fmt.Sprintf("also.%d.where", i); part == path {
			return path, d.Other(i), b.Where
		}
	}
	return "", nil, nil
}

// menu is what a phrase of the sentence may become; which datasets there are only the
// server knows.
func (s *Server) menu(c *gin.Context, d *chart.Document, ds *dataset.Dataset, part string) (*sentence.Menu, error) {
	beside, err := strconv.Atoi(strings.TrimPrefix(part, "also."))
	other := err == nil && strings.HasPrefix(part, "also.")
	if part != "dataset" && ds != nil && !other {
		return sentence.Choices(d, ds, part)
	}
	all, err := sets{s, c}.all()
	switch {
	case err != nil:
		return nil, err
	case other && ds != nil:
		return sentence.Others(d, ds, beside, all), nil
	}
	return sentence.Datasets(d, ds, all), nil
}

// chartChange renders the sentence of a changed chart and, if it has a place, keeps it there.
func (s *Server) chartChange(c *gin.Context) {
	d, ds, err := s.posted(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	if path := c.PostForm("path"); path != "" {
		set, err := d.Set(path, c.PostForm("kind"), c.PostForm("value"))
		if err == nil && ds != nil && d.Check(ds) == nil {
			err = set.Check(ds)
		}
		if err != nil {
			s.fail(c, err)
			return
		}
		d = set
	}
	if title, ok := c.GetPostForm("title"); ok {
		d.Title = strings.TrimSpace(title)
		if ds != nil && d.Title == sentence.Title(&chart.Document{Definition: d.Definition, Form: d.Form}, ds) {
			d.Title = ""
		}
	}
	data, err := s.sentenceOf(c, d)
	if err != nil {
		s.fail(c, err)
		return
	}
	// What cannot be drawn as it says is said, and what is kept stays as it was.
	at, fits := parsePlace(c.PostForm("at")), error(nil)
	if ds != nil && data["Missing"] == "" {
		if fits = d.Check(ds); fits == nil {
			fits = d.Fits(d.Form, ds)
		}
	}
	switch {
	case fits != nil:
		data["Missing"] = problem.Of(fits).Words
	case at.Widget != "" && ds != nil:
		err = s.keepOnWidget(c, at, d)
	case at.Library != "" && ds != nil:
		err = s.keepInLibrary(c, at.Library, d)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "sentence", data)
}

// chartFinish unfolds how the chart is finished: words, numbers, axes, colours, cells.
func (s *Server) chartFinish(c *gin.Context) {
	d, ds, err := s.postedWith(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	all, err := sets{s, c}.all()
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "finish", sentence.Finish(d, ds, all))
}

// keepInLibrary keeps a chart of the library, a new one or one that the caller may change.
func (s *Server) keepInLibrary(c *gin.Context, name string, d *chart.Document) error {
	ctx, who := c.Request.Context(), caller(c)
	keeper := &who.PersonID
	switch kept, err := s.store.Chart(ctx, name); {
	case err == nil && !mayChange(c, kept.KeeperID):
		return problem.New(problem.Forbidden, "", "This chart of the library is kept by somebody else, who alone changes it, besides builders.")
	case err == nil:
		keeper = kept.KeeperID
	case !problem.Is(err, problem.NotFound):
		return err
	}
	return s.store.SaveChart(ctx, &store.Chart{Name: name, Document: d.JSON(), UpdatedBy: who.Name, KeeperID: keeper})
}

func (s *Server) keepOnWidget(c *gin.Context, at place, d *chart.Document) error {
	doc, revision, err := s.own(c, at.Dashboard)
	if err != nil {
		return err
	}
	w, err := doc.Widget(at.Widget)
	if err != nil {
		return err
	}
	w.Chart, w.Text = &dashboard.Chart{Own: d}, ""
	_, err = s.store.SaveDraft(c.Request.Context(), at.Dashboard, revision, doc.JSON())
	return err
}

// chartAnswer draws the chart in the editor.
func (s *Server) chartAnswer(c *gin.Context) {
	d, ds, err := s.posted(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	if ds == nil {
		c.JSON(http.StatusOK, gin.H{"nothing": sentence.Missing(d, nil), "title": sentence.Title(d, nil)})
		return
	}
	v := caller(c).Viewer
	a, err := s.engine.Answer(c.Request.Context(), d, ds, v, s.engine.Setting(ds, v, filter.Condition{}, time.Time{}), 0, live.Drawing|live.Figures)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.answer(c, a, a.Cut)
}

// chartRecords lists the records behind a mark in the editor.
func (s *Server) chartRecords(c *gin.Context) {
	d, ds, err := s.postedWith(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	ref, words, sort, page, down, err := mark(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	v := caller(c).Viewer
	p, err := s.engine.Drawer(c.Request.Context(), d, ds, v, s.engine.Setting(ds, v, filter.Condition{}, ref.Now), ref, words, page, sort, down)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.drawer(c, p, "/charts/records")
}

// chartPlace puts a chart on a dashboard's draft, or keeps it in the library by a name.
func (s *Server) chartPlace(c *gin.Context) {
	d, ds, err := s.posted(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	if missing := sentence.Missing(d, ds); missing != "" {
		s.fail(c, problem.New(problem.Missing, "chart", "%s", missing))
		return
	}
	if err := s.store.SaveLastChart(c.Request.Context(), caller(c).Email, d.JSON()); err != nil {
		s.fail(c, err)
		return
	}
	to := c.PostForm("to")
	if to == "library" {
		name := slug(sentence.Title(d, ds))
		for n := 2; ; n++ {
			if _, err := s.store.Chart(c.Request.Context(), name); err != nil {
				break
			}
			name = fmt.Sprintf("%s-%d", slug(sentence.Title(d, ds)), n)
		}
		if err := s.keepInLibrary(c, name, d); err != nil {
			s.fail(c, err)
			return
		}
		redirect(c, "/charts")
		return
	}
	doc, revision, err := s.own(c, to)
	if err != nil {
		s.fail(c, err)
		return
	}
	page := &doc.Pages[0]
	w := dashboard.Widget{ID: doc.NewID(), Chart: &dashboard.Chart{Own: d}}
	w.At = page.Place(sizeOf(d.Form))
	page.Widgets = append(page.Widgets, w)
	if _, err := s.store.SaveDraft(c.Request.Context(), to, revision, doc.JSON()); err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, "/dashboards/"+to+"/edit#"+w.ID)
}

// sizeOf is how large a new widget is.
func sizeOf(f chart.Form) (width, height int) {
	switch f {
	case chart.KeyFigures:
		return 4, 2
	case chart.Table, chart.Records:
		return 12, 5
	}
	return 6, 5
}

// slug makes a name of a title.
func slug(title string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(title) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	name := strings.Trim(b.String(), "-")
	if name == "" || name[0] < 'a' {
		name = "c-" + name
	}
	return name[:min(len(name), 50)]
}
