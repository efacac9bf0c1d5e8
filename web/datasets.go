package web

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/identity"
	"eskadel/store"
)

// parts of a dataset's page, in order, with their words.
var datasetParts = [][2]string{{"fields", "fields"}, {"linked", "linked records"}, {"calculations", "calculations"}, {"conditions", "conditions"}, {"rules", "row rules"}, {"records", "records"}, {"used", "where it is used"}, {"document", "document"}}

func (s *Server) dataset(c *gin.Context) { s.datasetPage(c, http.StatusOK, gin.H{}) }

func (s *Server) datasetPage(c *gin.Context, status int, data gin.H) {
	ctx := c.Request.Context()
	d, err := s.keptDataset(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	part := c.Query("part")
	if !slices.ContainsFunc(datasetParts, func(p [2]string) bool { return p[0] == part }) {
		part = "fields"
	}
	data["Doc"], data["Part"], data["Parts"] = d, part, datasetParts
	if data["Written"] == nil {
		data["Written"] = string(d.JSON())
	}
	ds, err := s.engine.Dataset(ctx, d.Name, caller(c).Viewer)
	if err != nil {
		if data["Problem"] == nil {
			data["Problem"] = problem.Of(err)
		}
		data["Part"] = "document"
		s.page(c, status, "dataset", d.Title, data)
		return
	}
	data["Dataset"], data["Fields"] = ds, datasetFields(ds)
	if p := problem.Of(rule.Publishable(ds)); p != nil {
		data["RuleProblem"], data["Ruleless"] = p, ds.Ruleless()
	}
	if who := caller(c); who.Builder && part == "fields" {
		if data["Authors"], err = s.authorTicks(c, d.SeenBy); err != nil {
			s.fail(c, err)
			return
		}
	}
	switch part {
	case "records":
		data["Preview"], err = s.preview(c, ds, caller(c).Viewer)
	case "used":
		data["Uses"], err = s.store.Uses(ctx, d.Name)
	case "rules":
		data["Attributes"], data["Roles"] = s.familiar(c)
		data["WrittenRoles"], data["WrittenWhere"], data["WrittenWords"] = chosen(c, "roles"), c.PostForm("where"), c.PostForm("words")
		data["Tables"] = ruledTables(ds)
		var people []store.Person
		people, err = s.store.People(ctx)
		data["People"] = people
	case "linked":
		data["Pointing"], data["Links"] = pointing(ds), ds.Table.Links
		data["OpenPointer"] = c.PostForm("table") + "|" + c.PostForm("by") + "|" + c.PostForm("of")
	}
	if err != nil {
		data["PartProblem"] = problem.Of(err)
	}
	s.page(c, status, "dataset", d.Title, data)
}

// keptDataset reads the dataset document that an address names, if the caller may use it.
func (s *Server) keptDataset(c *gin.Context) (*dataset.Document, error) {
	kept, err := s.store.Dataset(c.Request.Context(), c.Param("dataset"))
	if err != nil {
		return nil, err
	}
	d, err := dataset.Read(kept.Document)
	if err != nil {
		return nil, err
	}
	return d, s.mayUse(c.Request.Context(), caller(c), d)
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
	Of     string           // the link to the record they point to; "" for this one
	Fields conditionChoices // of their columns
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
					out = append(out, pointer{t, l.Name(), of, conditionFields(tableFields(t, ds.Linked))})
				}
			}
		}
	}
	return out
}

// saveDataset makes the one change that a form asks for, or takes the whole document.
func (s *Server) saveDataset(c *gin.Context) {
	kept, err := s.store.Dataset(c.Request.Context(), c.Param("dataset"))
	if err != nil {
		s.fail(c, err)
		return
	}
	written := c.PostForm("document")
	var d *dataset.Document
	if written != "" {
		d, err = dataset.Read([]byte(written))
		if err == nil && d.Name != kept.Name {
			err = problem.New(problem.Invalid, "name", "The name of a dataset stays “%s”, because charts refer to it.", kept.Name)
		}
	} else if d, err = dataset.Read(kept.Document); err == nil {
		if err = s.roundWidth(c, d.Name); err == nil {
			err = change(c, d)
		}
	}
	if err == nil {
		err = s.keepDataset(c, d)
	}
	if p := problem.Of(err); p != nil {
		data := gin.H{"Problem": p, "Form": c.Request.PostForm}
		if written != "" {
			data["Written"] = written
		}
		s.datasetPage(c, 422, data)
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	part := c.Query("part")
	if f := c.PostForm("then"); f != "" {
		redirect(c, "/data/datasets/"+d.Name+"/fields/"+url.PathEscape(f))
		return
	}
	redirect(c, "/data/datasets/"+d.Name+"?part="+url.QueryEscape(part))
}

func (s *Server) removeDataset(c *gin.Context) {
	name := c.Param("dataset")
	uses, err := s.store.Uses(c.Request.Context(), name)
	if err == nil && len(uses) > 0 {
		s.datasetPage(c, 409, gin.H{"Problem": problem.New(problem.Conflict, "", "%s stand on this dataset: change them first.", strings.Join(uses, ", "))})
		return
	}
	if err == nil {
		err = s.store.RemoveDataset(c.Request.Context(), name)
	}
	if err == nil {
		err = s.store.Audit(c.Request.Context(), caller(c).Name, "removed the dataset", name)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, "/data")
}

// viewAs shows a dataset as another viewer would see it.
func (s *Server) viewAs(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	var as rule.Viewer
	if err == nil {
		as, err = s.viewerFrom(c)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	v, err := s.engine.ViewAs(c.Request.Context(), ds, as)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "view-as", gin.H{"View": v, "Dataset": ds})
}

// viewerFrom reads the viewer of a “view as”: a person, or chosen roles with attributes.
func (s *Server) viewerFrom(c *gin.Context) (v rule.Viewer, err error) {
	if email := c.PostForm("person"); email != "" {
		p, err := s.store.PersonByEmail(c.Request.Context(), email)
		if err != nil {
			return v, err
		}
		return rule.Viewer{ID: p.Email, Name: p.Name, Roles: p.RoleList(), Attributes: p.AttributeMap()}, nil
	}
	v = rule.Viewer{ID: "view as", Roles: chosen(c, "roles")}
	v.Attributes, err = identity.Attributes(attributeLines(c))
	return v, err
}

// exportDataset is the document as a file.
func (s *Server) exportDataset(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="`+ds.Name+`.json"`)
	c.Data(http.StatusOK, "application/json", append(ds.Document.JSON(), '\n'))
}
