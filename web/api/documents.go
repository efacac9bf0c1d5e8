package api

import (
	"io"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/marks"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/view"
	"eskadel/web/gate"
	"eskadel/workspace"
)

func (a *API) search(c *gin.Context) {
	found, err := a.ws.Search(c.Request.Context(), who(c), c.Query("find"))
	out := []Document{}
	for _, st := range found {
		out = append(out, document(st))
	}
	a.respond(c, out, err)
}

func (a *API) dashboards(c *gin.Context) {
	rows, err := a.ws.Dashboards(c.Request.Context(), who(c), c.Query("find"))
	out := []Document{}
	for _, r := range rows {
		d := document(r.Standing)
		d.Answers = r.Answers
		if r.Trouble != nil {
			d.Trouble = r.Trouble.Words
		}
		out = append(out, d)
	}
	a.respond(c, out, err)
}

// drafted tells whether a request is about the draft.
func drafted(c *gin.Context) bool { return c.Query("draft") != "" }

func (a *API) dashboard(c *gin.Context) {
	o, err := a.ws.Dashboard(c.Request.Context(), who(c), c.Param("dashboard"), drafted(c))
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	tagged(c, o.Revision)
	a.respond(c, o.Doc, nil)
}

// newest is the newest state of a document, 0 where there is none.
func (a *API) newest(c *gin.Context, kind, name string) func() int {
	return func() int {
		st, err := a.ws.Standing(c.Request.Context(), who(c), kind, name)
		if err != nil {
			return 0
		}
		return st.Revision
	}
}

// given reads the document that a request carries and the state it was made from.
func (a *API) given(c *gin.Context, kind, name string) ([]byte, workspace.On, error) {
	b, err := io.ReadAll(c.Request.Body)
	if err != nil {
		return nil, workspace.On{}, problem.New(problem.Invalid, "", "The request did not arrive whole.")
	}
	from, err := on(c, a.newest(c, kind, name))
	return b, from, err
}

func (a *API) putDashboard(c *gin.Context) {
	name := c.Param("dashboard")
	b, from, err := a.given(c, workspace.Dashboard, name)
	var st workspace.Standing
	if err == nil {
		st, err = a.ws.SaveDashboard(c.Request.Context(), who(c), name, b, from)
	}
	a.kept(c, st, err)
}

func (a *API) publish(c *gin.Context) {
	st, err := a.ws.Publish(c.Request.Context(), who(c), c.Param("dashboard"))
	a.respond(c, Kept{st.Name, st.Revision, st.Published}, err)
}

func (a *API) look(c *gin.Context, of *RunWidget) (*workspace.Look, error) {
	return a.ws.Look(c.Request.Context(), who(c), c.Param("dashboard"), drafted(c), of.State)
}

// runWidget computes a widget: exact values as text, labels formatted.
func (a *API) runWidget(c *gin.Context) {
	var in RunWidget
	err := gate.Body(c, &in)
	var l *workspace.Look
	if err == nil {
		l, err = a.look(c, &in)
	}
	var out *view.Answer
	if err == nil {
		out, err = l.Widget(c.Param("widget"), view.Figures)
	}
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	if out.Grid != nil && in.Totals != nil && !*in.Totals {
		out.Grid = out.Grid.WithoutTotals()
	}
	a.respond(c, Widget{out.Title, out.Subtitle, out.Caption, out.Form, out.Sentence, out.Notes, out.Fresh, out.Live, out.Grid, out.Figures, out.Records, out.Listed, out.Nothing, out.Whole, out.How, out.Text, out.Grain, out.Grains}, nil)
}

// widgetRecords lists the records behind a mark.
func (a *API) widgetRecords(c *gin.Context) {
	var in WidgetRecords
	err := gate.Body(c, &in)
	var l *workspace.Look
	if err == nil {
		l, err = a.look(c, &RunWidget{State: in.State})
	}
	var ref marks.Reference
	if in.Mark != nil {
		ref = *in.Mark
	}
	var out *view.Page
	if err == nil {
		out, err = l.Records(c.Param("widget"), ref, workspace.Paging{Page: in.Page})
	}
	a.respond(c, out, err)
}

func (a *API) charts(c *gin.Context) {
	rows, err := a.ws.Library(c.Request.Context(), who(c))
	out := []Document{}
	for _, r := range rows {
		d := document(r.Standing)
		d.Sentence = r.Sentence
		if r.Trouble != nil {
			d.Trouble = r.Trouble.Words
		}
		out = append(out, d)
	}
	a.respond(c, out, err)
}

func (a *API) chart(c *gin.Context) {
	d, st, err := a.ws.Chart(c.Request.Context(), who(c), c.Param("chart"))
	if err == nil {
		tagged(c, st.Revision)
	}
	a.respond(c, d, err)
}

func (a *API) putChart(c *gin.Context) {
	name := c.Param("chart")
	b, from, err := a.given(c, workspace.Chart, name)
	var st workspace.Standing
	if err == nil {
		st, err = a.ws.SaveChart(c.Request.Context(), who(c), name, c.Query("folder"), b, from)
	}
	a.kept(c, st, err)
}

func (a *API) publishChart(c *gin.Context) {
	var in PublishChart
	err := gate.Body(c, &in)
	var st workspace.Standing
	var on []string
	if err == nil {
		st, on, err = a.ws.PublishChart(c.Request.Context(), who(c), c.Param("chart"), in.Where)
	}
	a.respond(c, ChartPublished{Kept{st.Name, st.Revision, st.Published}, on}, err)
}

// run computes a definition of the author's own.
func (a *API) run(c *gin.Context) {
	var in Run
	err := gate.Body(c, &in)
	var d query.Definition
	if err == nil {
		d, err = query.ReadDefinition(in.Definition)
		err = problem.At("definition", err)
	}
	var out *workspace.Computed
	if err == nil {
		out, err = a.ws.Run(c.Request.Context(), who(c), d, in.Filters)
	}
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	if in.Totals != nil && !*in.Totals {
		out.Grid = out.Grid.WithoutTotals()
	}
	if c.NegotiateFormat("application/json", "text/csv") == "text/csv" {
		a.csv(c, "figures", out.Grid)
		return
	}
	a.respond(c, Figures{out.Grid, out.Notes}, nil)
}

func (a *API) datasets(c *gin.Context) {
	rows, err := a.ws.DatasetRows(c.Request.Context(), who(c))
	out := []Document{}
	for _, r := range rows {
		d := document(r.Standing)
		d.Source, d.Trouble = r.Source, r.Trouble
		out = append(out, d)
	}
	a.respond(c, out, err)
}

func (a *API) dataset(c *gin.Context) {
	p, err := a.ws.DatasetPage(c.Request.Context(), who(c), c.Param("dataset"))
	if err == nil && p.Doc == nil {
		err = p.Trouble
	}
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	tagged(c, p.Revision)
	a.respond(c, p.Doc, nil)
}

// givenDataset reads the dataset that a request carries.
func givenDataset(c *gin.Context, b []byte) (*dataset.Document, error) {
	d, err := dataset.Read(b)
	if err == nil && d.Name != c.Param("dataset") {
		err = problem.New(problem.Invalid, "name", "The document's name, “%s”, is not the one in the address.", d.Name)
	}
	return d, err
}

func (a *API) putDataset(c *gin.Context) {
	name := c.Param("dataset")
	b, from, err := a.given(c, workspace.Dataset, name)
	var d *dataset.Document
	if err == nil {
		d, err = givenDataset(c, b)
	}
	var st workspace.Standing
	if err == nil {
		st, err = a.ws.SaveDataset(c.Request.Context(), who(c), d, from, c.Query("anyway") != "")
	}
	a.kept(c, st, err)
}

// reach says what a change of a dataset would reach, and what would no longer fit.
func (a *API) reach(c *gin.Context) {
	b, err := io.ReadAll(c.Request.Body)
	var d *dataset.Document
	if err == nil {
		d, err = givenDataset(c, b)
	}
	var out *workspace.Reach
	if err == nil {
		out, err = a.ws.Reach(c.Request.Context(), who(c), d)
	}
	a.respond(c, out, err)
}

func (a *API) usable(c *gin.Context) (*dataset.Dataset, error) {
	return a.ws.Dataset(c.Request.Context(), who(c), c.Param("dataset"))
}

// profile tells what is in the fields, as far as the caller may see it.
func (a *API) profile(c *gin.Context) {
	ds, err := a.usable(c)
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	p, err := a.ws.Profile(c.Request.Context(), who(c), ds, "")
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	out := Profile{p.Records, p.Whole, p.Looked, []ProfileField{}, []ProfileOdd{}}
	for _, f := range p.Fields {
		of := ProfileField{f.Of.Name, f.Of.Type, f.Filled, f.Empty, f.Unreadable, f.Distinct, f.Exactly, f.Smallest, f.Largest, f.Quartiles[1], f.Spread, []ProfileNumber{}}
		for _, t := range f.Top {
			of.MostFrequent = append(of.MostFrequent, ProfileNumber{t.Value, int64(t.N)})
		}
		out.Fields = append(out.Fields, of)
	}
	for _, o := range p.Odd {
		odd := ProfileOdd{o.Field, o.Words, o.Records, []ProfileOffer{}}
		for _, offer := range o.Offers {
			odd.Offers = append(odd.Offers, ProfileOffer{offer.Label, offer.Document.JSON()})
		}
		out.Odd = append(out.Odd, odd)
	}
	a.respond(c, out, nil)
}

// datasetRecords lists records of a dataset.
func (a *API) datasetRecords(c *gin.Context) {
	var in DatasetRecords
	err := gate.Body(c, &in)
	var ds *dataset.Dataset
	if err == nil {
		ds, err = a.usable(c)
	}
	var out *view.Page
	if err == nil {
		out, err = a.ws.Records(c.Request.Context(), who(c), ds, workspace.Listing{Fields: in.Fields, Where: in.Filters, Size: planner.PageSize, Paging: workspace.Paging{Page: in.Page, Sort: in.Sort, Down: in.Descending}})
	}
	a.respond(c, out, err)
}

func (a *API) values(c *gin.Context) {
	ds, err := a.usable(c)
	var out []view.Listed
	if err == nil {
		out, err = a.ws.Values(c.Request.Context(), who(c), ds, c.Param("field"), c.Query("find"))
	}
	a.respond(c, out, err)
}

// formula checks a formula and computes it for the first records.
func (a *API) formula(c *gin.Context) {
	var in Formula
	err := gate.Body(c, &in)
	var ds *dataset.Dataset
	if err == nil {
		ds, err = a.usable(c)
	}
	var out *view.Trial
	if err == nil {
		out, err = a.ws.Try(c.Request.Context(), who(c), ds, in.Formula)
	}
	a.respond(c, out, err)
}

// viewAs tells how many records a viewer would see, and which fields not.
func (a *API) viewAs(c *gin.Context) {
	var in ViewAs
	err := gate.Body(c, &in)
	var ds *dataset.Dataset
	if err == nil {
		ds, err = a.usable(c)
	}
	var out *view.ViewAs
	if err == nil {
		out, err = a.ws.ViewAs(c.Request.Context(), who(c), ds, rule.Viewer{ID: "view as", Roles: in.Roles, Attributes: in.Attributes})
	}
	a.respond(c, out, err)
}

func (a *API) uses(kind string) gin.HandlerFunc {
	return func(c *gin.Context) {
		uses, err := a.ws.Uses(c.Request.Context(), who(c), kind, c.Param(kind))
		out := []Use{}
		for _, u := range uses {
			out = append(out, Use(u))
		}
		a.respond(c, out, err)
	}
}

func (a *API) versions(kind string) gin.HandlerFunc {
	return func(c *gin.Context) {
		versions, err := a.ws.Versions(c.Request.Context(), who(c), kind, c.Param(kind))
		out := []Version{}
		for _, v := range versions {
			out = append(out, Version(v))
		}
		a.respond(c, out, err)
	}
}

// numbered reads the number of a version from the query; 0, the draft, when left out.
func numbered(c *gin.Context, name string) (int, error) {
	if c.Query(name) == "" {
		return 0, nil
	}
	n, err := strconv.Atoi(c.Query(name))
	if err != nil || n < 0 {
		return 0, problem.New(problem.Invalid, name, "“%s” is not the number of a version.", c.Query(name))
	}
	return n, nil
}

// changes compares two versions of a document in words.
func (a *API) changes(kind string) gin.HandlerFunc {
	return func(c *gin.Context) {
		before, err := numbered(c, "from")
		after := 0
		if err == nil {
			after, err = numbered(c, "to")
		}
		var words []string
		if err == nil {
			words, err = a.ws.Compare(c.Request.Context(), who(c), kind, c.Param(kind), before, after)
		}
		a.respond(c, Changes{words}, err)
	}
}

// changed says what a document would change of the one that is kept.
func (a *API) changed(kind string) gin.HandlerFunc {
	return func(c *gin.Context) {
		b, err := io.ReadAll(c.Request.Body)
		var words []string
		if err == nil {
			words, err = a.ws.CompareWith(c.Request.Context(), who(c), kind, c.Param(kind), b)
		}
		a.respond(c, Changes{words}, err)
	}
}

func (a *API) back(kind string) gin.HandlerFunc {
	return func(c *gin.Context) {
		var in Back
		err := gate.Body(c, &in)
		from, e := on(c, a.newest(c, kind, c.Param(kind)))
		if err == nil {
			err = e
		}
		var st workspace.Standing
		if err == nil {
			st, err = a.ws.GoBack(c.Request.Context(), who(c), kind, c.Param(kind), in.Version, from)
		}
		a.kept(c, st, err)
	}
}

func (a *API) rename(kind string) gin.HandlerFunc {
	return func(c *gin.Context) {
		var in Name
		err := gate.Body(c, &in)
		var st workspace.Standing
		if err == nil {
			st, err = a.ws.Rename(c.Request.Context(), who(c), kind, c.Param(kind), in.Name)
		}
		a.kept(c, st, err)
	}
}

func (a *API) remove(kind string) gin.HandlerFunc {
	return func(c *gin.Context) {
		from, err := on(c, a.newest(c, kind, c.Param(kind)))
		if err == nil {
			err = a.ws.Remove(c.Request.Context(), who(c), kind, c.Param(kind), from)
		}
		a.none(c, err)
	}
}
