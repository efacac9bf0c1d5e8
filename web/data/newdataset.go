package data

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// newDataset offers the ways to make a dataset that is not one table.
func (s *Server) newDataset(c *gin.Context) { s.newDatasetPage(c, http.StatusOK, gin.H{}) }

func (s *Server) newDatasetPage(c *gin.Context, status int, data gin.H) {
	tables, err := s.Workspace.Tables(c.Request.Context(), gate.Caller(c), c.Param("source"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	data["Source"], data["SourceTitle"], data["Tables"], data["Form"] = c.Param("source"), s.Workspace.SourceTitle(c.Request.Context(), c.Param("source")), tables, c.Request.PostForm
	s.Page(c, status, "new-dataset", "New dataset", data)
}

// createDataset makes a dataset of a query, of the elements of a list, of columns, or of a file.
func (s *Server) createDataset(c *gin.Context) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	d, err := s.startDataset(c)
	switch {
	case err != nil:
	case c.PostForm("how") == "document":
		// Only a document, whose fields and rules stay as they are, replaces a dataset.
		from := workspace.On{}
		if kept, e := s.Workspace.DatasetPage(ctx, who, d.Name); e == nil {
			from.Revision = kept.Revision
		}
		_, err = s.Workspace.SaveDataset(ctx, who, d, from, c.PostForm("anyway") != "")
	default:
		_, err = s.Workspace.NewDataset(ctx, who, d)
	}
	if p := problem.Of(err); p != nil {
		data := s.Unkept(c, err, "/data")
		if d != nil && c.PostForm("how") == "document" {
			if all := s.Workspace.Misfits(ctx, who, d); len(all) > 1 {
				data["Misfits"] = all
			}
		}
		s.newDatasetPage(c, 422, data)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/data/datasets/"+d.Name)
}

func (s *Server) startDataset(c *gin.Context) (*dataset.Document, error) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	if post("how") == "document" {
		d, err := dataset.Read([]byte(c.PostForm("document")))
		if err == nil {
			d.Source = c.Param("source")
		}
		return d, err
	}
	title := post("title")
	d := &dataset.Document{Version: dataset.Version, Title: title, Name: strings.ReplaceAll(dataset.NameOf(title), "_", "-"), Source: c.Param("source"), Record: [2]string{post("one"), post("several")}}
	if title == "" {
		return d, problem.New(problem.Missing, "title", "Give the dataset a title.")
	}
	if d.Record[0] == "" {
		d.Record = [2]string{"record", "records"}
	}
	switch post("how") {
	case "select":
		d.From.Select, d.Key = c.PostForm("select"), between(post("key"), ",")
	case "unnest":
		table, column, _ := strings.Cut(post("list"), "|")
		d.From.Unnest = &dataset.Unnest{Table: table, Column: column, Inside: between(post("inside"), ".")}
	case "wide":
		d.From.Wide = &dataset.Wide{Table: post("table"), Columns: between(post("columns"), ","), Name: dataset.NameOf(post("name")), Value: dataset.NameOf(post("value"))}
	default:
		return d, problem.New(problem.Missing, "how", "Choose where the records come from.")
	}
	t, tables, err := s.Workspace.From(c.Request.Context(), gate.Caller(c), d)
	if err != nil {
		return d, err
	}
	suggested := dataset.Suggest(d.Source, t, tables)
	d.Fields, d.Date = suggested.Fields, suggested.Date
	if len(d.Key) == 0 {
		d.Key = suggested.Key
	}
	return d, nil
}
