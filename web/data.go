package web

import (
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/live"
	"eskadel/source"
)

func (s *Server) data(c *gin.Context) {
	s.dataPage(c, http.StatusOK, gin.H{})
}

func (s *Server) dataPage(c *gin.Context, status int, more gin.H) {
	ctx := c.Request.Context()
	sources, err := s.store.Sources(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	sets, err := s.store.Datasets(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	type row struct {
		Name, Title, Source, Records, Rules string
	}
	var rows []row
	for _, kept := range sets {
		d, err := dataset.Read(kept.Document)
		if err != nil {
			s.fail(c, err)
			return
		}
		rules := "nobody yet"
		var roles []string
		for _, r := range d.RowRules {
			roles = append(roles, r.Roles...)
		}
		if len(roles) > 0 {
			rules = strings.Join(roles, ", ")
		}
		rows = append(rows, row{d.Name, d.Title, d.Source, d.Record[1], rules})
	}
	more["Sources"], more["Datasets"] = sources, rows
	s.page(c, status, "data", "Data", more)
}

// addSource connects a database, tries it and keeps it only if it answers.
func (s *Server) addSource(c *gin.Context) {
	name, title, url := c.PostForm("name"), c.PostForm("title"), c.PostForm("url")
	err := dataset.CheckName(name)
	if err == nil && title == "" {
		err = problem.New(problem.Missing, "title", "Give the source a title.")
	}
	if err == nil {
		var src *source.Source
		if src, err = source.Open(name, url); err == nil {
			err = src.Test(c.Request.Context())
			src.Close()
		}
	}
	if p := problem.Of(err); p != nil {
		if p.Place == "" {
			p = problem.New(p.Code, "url", "%s", p.Words)
		}
		s.dataPage(c, 422, gin.H{"Problem": p, "Name": name, "SourceTitle": title})
		return
	}
	if err == nil {
		err = s.store.SaveSource(c.Request.Context(), name, title, url)
	}
	if err == nil {
		err = s.store.Audit(c.Request.Context(), caller(c).Name, "connected a source", name)
	}
	if err == nil {
		err = s.reopen(c, name)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/sources/"+name)
}

func (s *Server) reopen(c *gin.Context, name string) error {
	sources, err := s.store.Sources(c.Request.Context())
	if err != nil {
		return err
	}
	for i := range sources {
		if sources[i].Name == name {
			return s.engine.Open(&sources[i])
		}
	}
	return nil
}

func (s *Server) catalogue(c *gin.Context) (*source.Source, dataset.Catalogue, error) {
	src, err := s.engine.Source(c.Param("source"))
	if err != nil {
		return nil, nil, err
	}
	tables, err := src.Catalogue(c.Request.Context())
	return src, tables, err
}

func (s *Server) sourceTables(c *gin.Context) {
	src, tables, err := s.catalogue(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.page(c, http.StatusOK, "source", src.Name, gin.H{"Source": src.Name, "Tables": tables, "Live": s.engine.Hub.Heard(src.Name), "Trigger": source.TriggerSQL})
}

// suggestion is the dataset that a table would make.
func (s *Server) suggestion(c *gin.Context) (*dataset.Dataset, error) {
	src, tables, err := s.catalogue(c)
	if err != nil {
		return nil, err
	}
	t := tables.Table(c.Param("table"))
	if t == nil {
		return nil, problem.New(problem.NotFound, "", "The source has no table “%s” that may be read.", c.Param("table"))
	}
	return dataset.Resolve(dataset.Suggest(src.Name, t, tables), tables)
}

// preview lists the first records of a dataset, for builders every row.
func (s *Server) preview(c *gin.Context, ds *dataset.Dataset, v rule.Viewer) (*live.Page, error) {
	l, err := s.engine.Records(c.Request.Context(), query.NewList(ds, s.engine.Setting(ds, v, filter.Condition{}, time.Time{}), 12), v)
	if err != nil {
		return nil, err
	}
	return live.NewPage(l), nil
}

func (s *Server) tablePreview(c *gin.Context) {
	ds, err := s.suggestion(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	p, err := s.preview(c, ds, caller(c).Viewer)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.page(c, http.StatusOK, "table", ds.Table.Name, gin.H{"Dataset": ds, "Preview": p, "Source": c.Param("source")})
}

func (s *Server) makeDataset(c *gin.Context) {
	ds, err := s.suggestion(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	if _, err := s.store.Dataset(c.Request.Context(), ds.Name); err == nil {
		c.Redirect(http.StatusSeeOther, "/data/datasets/"+ds.Name)
		return
	}
	if err := s.keepDataset(c, &ds.Document); err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/datasets/"+ds.Name)
}

// keepDataset checks a dataset document against its source and keeps it.
func (s *Server) keepDataset(c *gin.Context, d *dataset.Document) error {
	src, err := s.engine.Source(d.Source)
	if err != nil {
		return err
	}
	tables, err := src.Catalogue(c.Request.Context())
	if err != nil {
		return err
	}
	if _, err := dataset.Resolve(d, tables); err != nil {
		return err
	}
	who := caller(c).Name
	if err := s.store.SaveDataset(c.Request.Context(), d.Name, d.Source, d.JSON(), who); err != nil {
		return err
	}
	return s.store.Audit(c.Request.Context(), who, "changed the dataset, with its row rules", d.Name)
}

func (s *Server) dataset(c *gin.Context) { s.datasetPage(c, http.StatusOK, nil, "") }

func (s *Server) datasetPage(c *gin.Context, status int, p *problem.Problem, written string) {
	kept, err := s.store.Dataset(c.Request.Context(), c.Param("dataset"))
	if err != nil {
		s.fail(c, err)
		return
	}
	d, err := dataset.Read(kept.Document)
	if err != nil {
		s.fail(c, err)
		return
	}
	data := gin.H{"Doc": d, "Problem": p, "Written": written}
	if written == "" {
		data["Written"] = string(d.JSON())
	}
	ds, err := s.engine.Dataset(c.Request.Context(), d.Name)
	if err == nil {
		data["Dataset"] = ds
		if data["Preview"], err = s.preview(c, ds, caller(c).Viewer); err != nil {
			data["PreviewProblem"] = problem.Of(err)
		}
		if err := rule.Publishable(ds); err != nil {
			data["RuleProblem"] = problem.Of(err)
		}
	} else if p == nil {
		data["Problem"] = problem.Of(err)
	}
	s.page(c, status, "dataset", d.Title, data)
}

// saveDataset takes the form of labels and display fields, or the whole document.
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
		d.Title = strings.TrimSpace(c.PostForm("title"))
		for i := range d.Fields {
			f := &d.Fields[i]
			f.Label, f.Hidden = strings.TrimSpace(c.PostForm("label."+f.Name)), c.PostForm("hidden."+f.Name) != ""
			if len(f.Link) > 0 && f.Column == "" {
				f.Show = c.PostForm("show." + f.Name)
			}
			if t := c.PostForm("time." + f.Name); t != "" {
				f.Time = t
			}
		}
		err = rulesFrom(c, d)
	}
	if err == nil {
		err = s.keepDataset(c, d)
	}
	if p := problem.Of(err); p != nil {
		s.datasetPage(c, 422, p, written)
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/datasets/"+d.Name+"#fields")
}

// rulesFrom adds the row rule of the form, if one is filled in.
func rulesFrom(c *gin.Context, d *dataset.Document) error {
	roles := strings.FieldsFunc(c.PostForm("rule.roles"), func(r rune) bool { return r == ',' || r == ' ' })
	if len(roles) == 0 {
		return nil
	}
	r := dataset.RowRule{Roles: roles}
	switch name, attribute := c.PostForm("rule.field"), strings.TrimSpace(c.PostForm("rule.attribute")); {
	case name == "":
	case attribute == "":
		return problem.New(problem.Missing, "row_rules", "Name the attribute of the viewer that the field is compared with.")
	default:
		r.Where = filter.Condition{Field: name, Op: filter.Is, Values: []filter.Operand{{Viewer: attribute}}}
		r.Words = "at your " + attribute
	}
	d.RowRules = append(d.RowRules, r)
	return nil
}
