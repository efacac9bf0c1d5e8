package charts

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/profile"
	"eskadel/core/query"
	"eskadel/core/sentence"
	"eskadel/view"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

func (s *Server) library(c *gin.Context) {
	rows, err := s.Workspace.Library(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	groups := workspace.Grouped(rows)
	own, err := s.Workspace.Own(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	var on *workspace.Standing // the dashboard that one is to be placed on
	for i := range own {
		if own[i].Name == c.Query("on") {
			on = &own[i]
		}
	}
	s.Page(c, http.StatusOK, "charts", "Charts", gin.H{"Any": len(rows) > 0, "On": on, "OnPage": c.Query("page"), "Find": c.Query("find"), "Dashboards": own, "Groups": groups})
}

// chartEditor opens a chart: the one at a place, or a new one.
func (s *Server) chartEditor(c *gin.Context) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	at := workspace.ParsePlace(c.Query("at"))
	doc := &chart.Document{Definition: query.Definition{Version: query.Version}, Form: chart.Columns}
	var own *chart.Document
	var library string
	var err error
	switch {
	case c.Query("dataset") != "":
		var ds *dataset.Dataset
		if ds, err = s.Workspace.Dataset(ctx, who, c.Query("dataset")); err == nil {
			own = sentence.Start(ds, chart.Columns)
		}
	case c.Query("like") != "":
		own, _, err = s.Workspace.ChartAt(ctx, who, workspace.ParsePlace(c.Query("like")))
	case at == (workspace.Place{}):
		own = s.Workspace.Again(ctx, who, c.Query("again") != "")
	case at.Library != "" || at.Widget != "":
		own, library, err = s.Workspace.ChartAt(ctx, who, at)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	if library != "" {
		s.libraryHere(c, at, library)
		return
	}
	if own != nil {
		doc = own
	}
	s.editing(c, at, doc)
}

// chartOpen opens a chart that stands nowhere yet, such as an answer.
func (s *Server) chartOpen(c *gin.Context) {
	k, err := s.sketch(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.editing(c, workspace.Place{}, k.Doc)
}

// editing is the editor with a chart.
func (s *Server) editing(c *gin.Context, at workspace.Place, doc *chart.Document) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	dashboards, err := s.Workspace.Own(ctx, who)
	if err != nil {
		s.Fail(c, err)
		return
	}
	k, err := s.Workspace.SketchOf(ctx, who, doc)
	if err != nil {
		s.Fail(c, err)
		return
	}
	data, err := sentenceOf(k)
	if err != nil {
		s.Fail(c, err)
		return
	}
	if c.Request.Method == http.MethodGet && doc.Dataset != "" && at == (workspace.Place{}) && c.Query("dataset") == "" && c.Query("again") == "" && c.Query("like") == "" {
		data["Again"] = true
	}
	data["At"], data["Where"], data["Dashboards"] = c.Query("at"), at, dashboards
	for _, d := range dashboards {
		if d.Name == at.Dashboard {
			data["OnTitle"] = d.Title
		}
	}
	if at.Library != "" {
		uses, kept, err := s.libraryUses(c, at.Library)
		if err == nil {
			data["Filing"], err = s.Filing(c, kept, "/charts/library/"+kept.Name+"/filed")
		}
		if err != nil {
			s.Fail(c, err)
			return
		}
		data["Uses"], data["Kept"] = uses, kept
	}
	s.Page(c, http.StatusOK, "chart-editor", "Chart", data)
}

// libraryUses are the dashboards that show a chart of the library, with its standing.
func (s *Server) libraryUses(c *gin.Context, name string) (on []workspace.Used, st workspace.Standing, err error) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	if _, st, err = s.Workspace.Chart(ctx, who, name); err != nil {
		return nil, st, err
	}
	uses, err := s.Workspace.Uses(ctx, who, workspace.Chart, name)
	for _, u := range uses {
		if u.Kind == workspace.Dashboard && u.Published {
			on = append(on, u)
		}
	}
	return on, st, err
}

// libraryHere asks whether a chart of the library that stands on a widget is to be changed
// everywhere, or becomes a copy of the dashboard's own.
func (s *Server) libraryHere(c *gin.Context, at workspace.Place, library string) {
	uses, st, err := s.libraryUses(c, library)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, http.StatusOK, "library-here", st.Title, gin.H{"At": at, "Uses": uses, "Kept": st})
}

// chartPanel is the editor of a chart as it stands under its dashboard; of a chart of the library
// it asks what is to be changed.
func (s *Server) chartPanel(c *gin.Context) {
	ctx, who, at := c.Request.Context(), gate.Caller(c), workspace.ParsePlace(c.PostForm("at"))
	own, library, err := s.Workspace.ChartAt(ctx, who, at)
	var data gin.H
	switch {
	case err != nil:
	case library != "":
		var uses []workspace.Used
		var st workspace.Standing
		uses, st, err = s.libraryUses(c, library)
		data = gin.H{"Uses": uses, "Kept": &st}
	case own == nil:
		err = problem.New(problem.NotFound, "widget", "This is no chart.")
	default:
		data, err = s.panelOf(c, own)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	data["Panel"] = true
	s.Part(c, http.StatusOK, "chart-panel", data)
}

// panelOf is the sentence of a chart. One whose dataset is gone says so, and asks for another.
func (s *Server) panelOf(c *gin.Context, own *chart.Document) (gin.H, error) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	k, err := s.Workspace.SketchOf(ctx, who, own)
	gone := ""
	if problem.Is(err, problem.NotFound) && own.Dataset != "" {
		bare := *own
		bare.Dataset, gone = "", problem.Of(err).Words+" Choose another."
		k, err = s.Workspace.SketchOf(ctx, who, &bare)
	}
	if err != nil {
		return nil, err
	}
	data, err := sentenceOf(k)
	if err == nil && gone != "" {
		data["Missing"] = gone
	}
	return data, err
}

// sketch reads the chart document that the editor holds.
func (s *Server) sketch(c *gin.Context) (*workspace.Sketch, error) {
	return s.Workspace.Sketch(c.Request.Context(), gate.Caller(c), []byte(c.PostForm("document")))
}

func sentenceOf(k *workspace.Sketch) (gin.H, error) {
	document, err := json.Marshal(k.Doc)
	if err != nil {
		return nil, err
	}
	return gin.H{"Phrases": k.Sentence(), "Heading": k.Title(), "Own": k.Doc.Title, "Missing": sentence.Missing(k.Doc, k.Dataset), "Document": string(document), "HasDataset": k.Dataset != nil}, nil
}

// chartMenu unfolds what a phrase of the sentence may become.
func (s *Server) chartMenu(c *gin.Context) {
	k, err := s.sketch(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	part := c.PostForm("part")
	m, err := s.menu(c, k, part)
	if err != nil {
		s.Fail(c, err)
		return
	}
	of := gin.H{"Menu": m}
	if m.Reckoning != nil {
		bare := m.Of.Bare()
		of["Names"], of["Dataset"] = page.FormulaNames(bare, bare.Visible()), bare.Name
	}
	if path, set, where := conditioned(k, part); set != nil {
		_, name, _ := onField(part)
		f := set.Find(name)
		if f == nil || !f.IsQuantity() {
			name = "" // what is asked of a number is written
		}
		of["Where"] = gin.H{"Path": path, "Value": where, "Choices": page.DatasetFields(set), "Dataset": set.Name, "Begin": name, "Open": f == nil || name != ""}
	}
	s.Part(c, http.StatusOK, "choices", of)
}

// fieldPictures are small pictures of what is in the fields of a dataset.
func (s *Server) fieldPictures(c *gin.Context) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	ds, err := s.Workspace.Dataset(ctx, who, c.PostForm("dataset"))
	var p *profile.Profile
	if err == nil {
		p, err = s.Workspace.Profile(ctx, who, ds, "")
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "field-pictures", page.NewProfileView(ds, p, s.Workspace.Calendar().Zone))
}

// conditioned tells where in the document the condition stands that a part of the sentence
// is, the dataset it is on and what it is now; no dataset where the part is none.
func conditioned(k *workspace.Sketch, part string) (path string, on *dataset.Dataset, where *filter.Condition) {
	if k.Dataset == nil {
		return "", nil, nil
	}
	if part == "where" || strings.HasPrefix(part, "where.") {
		return "where", k.Dataset, k.Doc.Where
	}
	for i, m := range k.Doc.Measures {
		if of := fmt.Sprint(sentence.Those, i); part == of || strings.HasPrefix(part, of+".") {
			return fmt.Sprintf("measures.%d.where", i), k.Dataset, m.Where
		}
	}
	for i, b := range k.Doc.Also {
		if path = fmt.Sprintf("also.%d.where", i); part == path {
			return path, k.Doc.Other(i), b.Where
		}
	}
	return "", nil, nil
}

// onField tells of which field a part of the sentence asks: of the chart's records ("where.kind"), or
// of those of one measure ("those.0.kind").
func onField(part string) (measure int, field string, on bool) {
	if field, on = strings.CutPrefix(part, "where."); on {
		return -1, field, true
	}
	if rest, of := strings.CutPrefix(part, sentence.Those); of {
		number, field, on := strings.Cut(rest, ".")
		measure, err := strconv.Atoi(number)
		return measure, field, on && err == nil && measure >= 0
	}
	return 0, "", false
}

// menu is what a phrase of the sentence may become; which datasets there are only the
// workspace knows.
func (s *Server) menu(c *gin.Context, k *workspace.Sketch, part string) (*sentence.Menu, error) {
	if measure, name, on := onField(part); on && k.Dataset != nil {
		return k.Where(measure, name, c.PostForm("find"))
	}
	beside, err := strconv.Atoi(strings.TrimPrefix(part, "also."))
	other := err == nil && strings.HasPrefix(part, "also.")
	if part != "dataset" && k.Dataset != nil && !other {
		many, _ := strconv.Atoi(strings.TrimSpace(c.PostForm("find")))
		return k.Menu(part, many)
	}
	all, err := s.Workspace.Datasets(c.Request.Context(), gate.Caller(c))
	switch {
	case err != nil:
		return nil, err
	case other && k.Dataset != nil:
		return sentence.Others(k.Doc, k.Dataset, beside, all), nil
	}
	return sentence.Datasets(k.Doc, k.Dataset, all), nil
}

// chartChange renders the sentence of a changed chart and, if it has a place, keeps it there.
func (s *Server) chartChange(c *gin.Context) {
	k, err := s.sketch(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	if path := c.PostForm("path"); path != "" {
		set, err := k.Doc.Set(path, c.PostForm("kind"), c.PostForm("value"))
		if err == nil && k.Dataset != nil && k.Doc.Check(k.Dataset) == nil {
			err = set.Check(k.Dataset)
		}
		if err != nil {
			s.Fail(c, err)
			return
		}
		if k, err = s.Workspace.SketchOf(c.Request.Context(), gate.Caller(c), set); err != nil {
			s.Fail(c, err)
			return
		}
	}
	if part := c.PostForm("part"); part != "" {
		if k, err = k.Reckon(part, c.PostForm("label"), c.PostForm("formula")); err != nil {
			s.Fail(c, err)
			return
		}
	}
	if title, ok := c.GetPostForm("title"); ok {
		k.Doc.Title = strings.TrimSpace(title)
		if k.Dataset != nil && k.Doc.Title == sentence.Title(&chart.Document{Definition: k.Doc.Definition, Form: k.Doc.Form}, k.Dataset) {
			k.Doc.Title = ""
		}
	}
	data, err := sentenceOf(k)
	if err != nil {
		s.Fail(c, err)
		return
	}
	// What cannot be drawn as it says is said, and what is kept stays as it was.
	at, fits := workspace.ParsePlace(c.PostForm("at")), error(nil)
	if k.Dataset != nil && data["Missing"] == "" {
		if fits = k.Doc.Check(k.Dataset); fits == nil {
			fits = k.Doc.Fits(k.Doc.Form, k.Dataset)
		}
	}
	switch {
	case fits != nil:
		data["Missing"], data["Unfit"] = problem.Of(fits).Words, true
	case at != (workspace.Place{}) && k.Dataset != nil:
		err = k.KeepAt(at)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	data["Panel"] = c.PostForm("panel") != ""
	s.Part(c, http.StatusOK, "sentence", data)
}

// chartFinish unfolds how the chart is finished: words, numbers, axes, colours, cells.
func (s *Server) chartFinish(c *gin.Context) {
	k, err := s.sketch(c)
	var sections []sentence.Section
	if err == nil {
		sections, err = k.Finish()
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	of := gin.H{"Sections": sections}
	for i := range sections {
		if sections[i].Name == c.PostForm("section") {
			of["Open"] = &sections[i]
		}
	}
	s.Part(c, http.StatusOK, "finish", of)
}

// chartAnswer draws the chart in the editor.
func (s *Server) chartAnswer(c *gin.Context) {
	k, err := s.sketch(c)
	var a *view.Answer
	if err == nil {
		a, err = k.Answer()
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	if k.Dataset == nil {
		c.JSON(http.StatusOK, gin.H{"nothing": a.Nothing, "title": a.Title})
		return
	}
	s.Answer(c, a, a.Cut)
}

// chartPicture answers with a picture of the chart in the editor.
func (s *Server) chartPicture(c *gin.Context) {
	k, err := s.sketch(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Picture(c, k.Pictured)
}

// chartRecords lists the records behind a mark in the editor.
func (s *Server) chartRecords(c *gin.Context) {
	ref, paging, err := page.MarkOf(c)
	var k *workspace.Sketch
	if err == nil {
		k, err = s.sketch(c)
	}
	var p *view.Page
	if err == nil {
		p, err = k.Records(ref, paging)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Drawer(c, p, "/charts/records", "")
}

// chartPlace puts a chart on a dashboard's draft, or keeps it in the library.
func (s *Server) chartPlace(c *gin.Context) {
	k, err := s.sketch(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	to := c.PostForm("to")
	if to == "findings" {
		if _, err := k.Find(c.PostForm("name")); err != nil {
			s.Fail(c, err)
			return
		}
		page.Redirect(c, "/charts")
		return
	}
	if to == "library" {
		if _, err := k.ToLibrary(); err != nil {
			s.Fail(c, err)
			return
		}
		page.Redirect(c, "/charts")
		return
	}
	id, err := k.Place(to)
	if err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/dashboards/"+to+"/edit#"+id)
}

// chartPublish makes the draft of a chart of the library its next version, everywhere it is
// used or from now on, or keeps it as a chart of its own.
func (s *Server) chartPublish(c *gin.Context) {
	_, _, err := s.Workspace.PublishChart(c.Request.Context(), gate.Caller(c), c.Param("chart"), c.PostForm("where"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/charts")
}

// chartRemove takes a chart that no dashboard shows out of the library.
func (s *Server) chartRemove(c *gin.Context) {
	if err := s.Workspace.Remove(c.Request.Context(), gate.Caller(c), workspace.Chart, c.Param("chart"), workspace.On{}); err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/charts")
}
