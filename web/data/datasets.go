package data

import (
	"net/http"
	"net/url"
	"slices"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/identity"
	"eskadel/view"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// parts of a dataset's page, in order, with their words.
var datasetParts = [][2]string{{"fields", "fields"}, {"linked", "linked records"}, {"calculations", "calculations"}, {"conditions", "conditions"}, {"rules", "row rules"}, {"records", "records"}, {"changing", "changing records"}, {"used", "where it is used"}, {"history", "history"}, {"document", "document"}}

func (s *Server) dataset(c *gin.Context) { s.datasetPage(c, http.StatusOK, gin.H{}) }

func (s *Server) datasetPage(c *gin.Context, status int, data gin.H) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	d, err := s.Workspace.DatasetPage(ctx, who, c.Param("dataset"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	part := c.Query("part")
	if !slices.ContainsFunc(datasetParts, func(p [2]string) bool { return p[0] == part }) {
		part = "fields"
	}
	data["Doc"], data["Kept"], data["Part"], data["Parts"] = d.Doc, d.Standing, part, datasetParts
	if data["Written"] == nil {
		data["Written"] = string(d.Raw)
		if d.Doc != nil {
			data["Written"] = string(d.Doc.JSON())
		}
	}
	if d.Dataset == nil {
		if data["Problem"] == nil {
			data["Problem"] = d.Trouble
		}
		if d.Doc == nil {
			data["Doc"] = &dataset.Document{Name: d.Name, Title: d.Title}
		}
		if part != "history" && part != "used" {
			data["Part"] = "document"
		}
	}
	if data["Filing"], err = s.Filing(c, d.Standing, "/data/datasets/"+d.Name+"/filed"); err != nil {
		s.Fail(c, err)
		return
	}
	if part == "used" {
		data["Uses"], err = s.Workspace.Uses(ctx, who, workspace.Dataset, d.Name)
	}
	if part == "history" {
		data["Versions"], err = s.History(c, workspace.Dataset, d.Name)
	}
	if ds := d.Dataset; ds != nil && err == nil {
		data["Dataset"], data["Fields"] = ds, page.DatasetFields(ds)
		if p := problem.Of(rule.Publishable(ds)); p != nil {
			data["RuleProblem"], data["Ruleless"] = p, ds.Ruleless()
		}
		if d.May && part == "fields" {
			if data["Authors"], err = s.authorTicks(c, d.Doc.SeenBy); err != nil {
				s.Fail(c, err)
				return
			}
		}
		switch part {
		case "records":
			data["Preview"], err = s.Workspace.Records(ctx, who, ds, workspace.Listing{Size: previewed})
		case "changing":
			if d.May {
				data["Changer"], data["Apps"], err = s.Workspace.ChangesBy(ctx, who, d.Doc.Source)
			}
		case "rules":
			data["Attributes"], data["Roles"] = s.Workspace.Familiar(ctx, who)
			data["WrittenRoles"], data["WrittenWhere"], data["WrittenWords"] = page.Chosen(c, "roles"), c.PostForm("where"), c.PostForm("words")
			data["Tables"] = ruledTables(ds)
			if d.May {
				if data["People"], err = s.Workspace.People(ctx, who); err == nil {
					data["Attributed"], err = s.Attributed(c, data["Attributes"].([]string), nil)
				}
			}
		case "linked":
			data["Pointing"], data["Links"] = pointing(ds), ds.Table.Links
			data["OpenPointer"] = c.PostForm("table") + "|" + c.PostForm("by") + "|" + c.PostForm("of")
		}
	}
	if err != nil {
		data["PartProblem"] = problem.Of(err)
	}
	s.Page(c, status, "dataset", d.Title, data)
}

// A ruledTable is a table that a dataset reads, with who may see its records.
type ruledTable struct {
	Table *dataset.Table
	Rules *dataset.TableRules
}

func ruledTables(ds *dataset.Dataset) (out []ruledTable) {
	for _, id := range ds.Tables() {
		if t := ds.Linked(id); t != nil {
			out = append(out, ruledTable{t, t.Rules})
		}
	}
	return out
}

// A pointer is a table whose records point to those of a dataset, or to a record that
// these link to.
type pointer struct {
	Table  *dataset.Table
	By     string
	Of     string                // the link to the record they point to; "" for this one
	Fields page.ConditionChoices // of their columns
}

func pointing(ds *dataset.Dataset) (out []pointer) {
	to := map[string][]string{ds.Table.ID(): {""}}
	for i := range ds.Table.Links {
		l := &ds.Table.Links[i]
		to[l.Table] = append(to[l.Table], l.Name())
	}
	for _, t := range ds.Catalogue() {
		for i := range t.Links {
			l := &t.Links[i]
			for _, of := range to[l.Table] {
				if of == "" || t.ID() != ds.Table.ID() {
					out = append(out, pointer{t, l.Name(), of, page.ConditionFields(page.TableFields(t, ds.Linked))})
				}
			}
		}
	}
	return out
}

// saveDataset makes the one change that a form asks for, or takes the whole document.
func (s *Server) saveDataset(c *gin.Context) {
	ctx, who, name := c.Request.Context(), gate.Caller(c), c.Param("dataset")
	from, written := page.On(c), c.PostForm("document")
	var d *dataset.Document
	var err error
	if written != "" {
		d, err = dataset.Read([]byte(written))
		if err == nil && d.Name != name {
			err = problem.New(problem.Invalid, "name", "The name of a dataset stays “%s”, because charts refer to it.", name)
		}
	} else if d, err = s.Workspace.DatasetAt(ctx, who, name, from.Revision); err == nil {
		if err = s.roundWidth(c, name); err == nil {
			err = change(c, d)
		}
	}
	if err == nil {
		_, err = s.Workspace.SaveDataset(ctx, who, d, from, c.PostForm("anyway") != "")
	}
	if p := problem.Of(err); p != nil && problem.Is(err, problem.Forbidden) {
		s.Fail(c, err)
		return
	} else if p != nil {
		data := s.Unkept(c, err, "/data/datasets/"+name+"?part="+url.QueryEscape(c.Query("part")))
		if written != "" {
			data["Written"] = written
		}
		s.datasetPage(c, page.StatusOf(p), data)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	if f := c.PostForm("then"); f != "" {
		page.Redirect(c, "/data/datasets/"+name+"/fields/"+url.PathEscape(f))
		return
	}
	page.Redirect(c, "/data/datasets/"+name+"?part="+url.QueryEscape(c.Query("part")))
}

func (s *Server) removeDataset(c *gin.Context) {
	err := s.Workspace.Remove(c.Request.Context(), gate.Caller(c), workspace.Dataset, c.Param("dataset"), workspace.On{})
	if p := problem.Of(err); p != nil && p.Code == problem.Conflict {
		s.datasetPage(c, 409, gin.H{"Problem": p})
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/data")
}

// viewAs shows a dataset as another viewer would see it.
func (s *Server) viewAs(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	var as rule.Viewer
	if err == nil {
		as, err = s.viewerFrom(c)
	}
	var v *view.ViewAs
	if err == nil {
		v, err = s.Workspace.ViewAs(c.Request.Context(), gate.Caller(c), ds, as)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "view-as", gin.H{"View": v, "Dataset": ds})
}

// viewerFrom reads the viewer of a “view as”: a person, or chosen roles with attributes.
func (s *Server) viewerFrom(c *gin.Context) (v rule.Viewer, err error) {
	if email := c.PostForm("person"); email != "" {
		return s.Workspace.PersonAsViewer(c.Request.Context(), gate.Caller(c), email)
	}
	v = rule.Viewer{ID: "view as", Roles: page.Chosen(c, "roles")}
	v.Attributes, err = identity.Attributes(page.Attributes(c))
	return v, err
}

// usable finds a dataset that the caller may make something of.
func (s *Server) usable(c *gin.Context, name string) (*dataset.Dataset, error) {
	return s.Workspace.Dataset(c.Request.Context(), gate.Caller(c), name)
}

// exportDataset is the document as a file.
func (s *Server) exportDataset(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="`+ds.Name+`.json"`)
	c.Data(http.StatusOK, "application/json", append(ds.Document.JSON(), '\n'))
}
