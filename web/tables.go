package web

import (
	"maps"
	"net/http"
	"net/url"
	"slices"
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

// chosen reads what was ticked under a name, with what was typed besides, each once.
func chosen(c *gin.Context, name string) []string {
	out := []string{}
	for _, v := range c.PostFormArray(name) {
		if v = strings.TrimSpace(v); v != "" && !slices.Contains(out, v) {
			out = append(out, v)
		}
	}
	return out
}

// between divides what is typed at one sign; the parts may hold spaces.
func between(text, sign string) (out []string) {
	for _, part := range strings.Split(text, sign) {
		if part = strings.TrimSpace(part); part != "" {
			out = append(out, part)
		}
	}
	return out
}

// A tableRow is a table as the page of its source lists it.
type tableRow struct {
	*dataset.Table
	Rules string
}

func (s *Server) sourceTables(c *gin.Context) {
	s.sourcePage(c, http.StatusOK, c.Param("source"), gin.H{})
}

// refreshSource reads the tables of a source again.
func (s *Server) refreshSource(c *gin.Context) {
	src, err := s.engine.Source(c.Param("source"))
	if err == nil {
		_, err = src.Introspect(c.Request.Context())
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/sources/"+c.Param("source"))
}

func (s *Server) sourcePage(c *gin.Context, status int, name string, more gin.H) {
	kept, err := s.store.Source(c.Request.Context(), name)
	if err != nil {
		s.fail(c, err)
		return
	}
	tables, err := s.engine.Catalogue(c.Request.Context(), name)
	if p := problem.Of(err); p != nil && more["Problem"] == nil {
		more["Problem"] = p
	}
	find := strings.ToLower(strings.TrimSpace(c.Query("find")))
	var rows []tableRow
	for _, t := range tables {
		if find != "" && !strings.Contains(strings.ToLower(t.ID()+" "+t.Comment), find) {
			continue
		}
		r := tableRow{Table: t, Rules: "nobody yet"}
		if t.Rules != nil {
			var roles []string
			for _, rule := range t.Rules.RowRules {
				roles = append(roles, rule.Roles...)
			}
			if len(roles) > 0 {
				r.Rules = strings.Join(roles, ", ")
			}
		}
		rows = append(rows, r)
	}
	if c.GetHeader("HX-Request") != "" && status == http.StatusOK {
		s.part(c, status, "tables", gin.H{"Rows": rows, "Source": name, "Find": find})
		return
	}
	more["Source"], more["Rows"], more["Count"], more["Find"] = kept, rows, len(tables), find
	if more["Authors"], err = s.authorTicks(c, kept.Authors()); err != nil {
		s.fail(c, err)
		return
	}
	var schemas []string
	for _, t := range tables {
		if !slices.Contains(schemas, t.Schema) {
			schemas = append(schemas, t.Schema)
		}
	}
	if address, err := s.store.SourceURL(kept); err == nil && more["Address"] == nil {
		more["Address"], _ = source.Bare(address)
	}
	more["Live"], more["Trigger"], more["RoleSQL"] = s.engine.Hub.Heard(name), source.WatchSQL(schemas, rule.Compared(tables)), source.RoleSQL(schemas)
	if kept.Kind == "files" {
		if more["FileRows"], err = s.store.Files(c.Request.Context()); err != nil {
			s.fail(c, err)
			return
		}
	}
	var rules []byte
	if r, err := dataset.ReadRules(kept.Rules); err == nil {
		rules = r.JSON()
	}
	if more["RulesWritten"] == nil {
		more["RulesWritten"] = string(rules)
	}
	s.page(c, status, "source", kept.Title, more)
}

// suggestion is the dataset that a table would make.
func (s *Server) suggestion(c *gin.Context) (*dataset.Dataset, error) {
	tables, err := s.engine.Catalogue(c.Request.Context(), c.Param("source"))
	if err != nil {
		return nil, err
	}
	t := tables.Table(c.Param("table"))
	if t == nil {
		return nil, problem.New(problem.NotFound, "", "The source has no table “%s” that may be read.", c.Param("table"))
	}
	return dataset.Resolve(dataset.Suggest(c.Param("source"), t, tables), tables, nil)
}

// preview lists the first records of a dataset, for builders every row.
func (s *Server) preview(c *gin.Context, ds *dataset.Dataset, v rule.Viewer) (*live.Page, error) {
	l, err := s.engine.Records(c.Request.Context(), query.NewList(ds, s.engine.Setting(ds, v, filter.Condition{}, time.Time{}), 12), v)
	if err != nil {
		return nil, err
	}
	return live.NewPage(l), nil
}

func (s *Server) tablePreview(c *gin.Context) { s.tablePage(c, http.StatusOK, nil) }

func (s *Server) tablePage(c *gin.Context, status int, p *problem.Problem) {
	ds, err := s.suggestion(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	records, err := s.preview(c, ds, caller(c).Viewer)
	if err != nil {
		s.fail(c, err)
		return
	}
	attributes, roles := s.familiar(c)
	data := gin.H{"Dataset": ds, "Table": ds.Table, "Preview": records, "Source": c.Param("source"), "Problem": p, "Rules": ds.Table.Rules,
		"Fields": conditionFields(tableFields(ds.Table, func(id string) *dataset.Table { return ds.Linked(id) })), "Attributes": attributes, "Roles": roles, "Hiders": roles[1:],
		"WrittenRoles": chosen(c, "roles"), "WrittenWhere": c.PostForm("where"), "WrittenWords": c.PostForm("words")}
	s.page(c, status, "table", ds.Table.Name, data)
}

// familiar collects the roles and attributes that rules, people and the passes of viewers
// speak of already, for offering them where one is chosen.
func (s *Server) familiar(c *gin.Context) (attributes, roles []string) {
	ctx := c.Request.Context()
	note := func(rules []dataset.RowRule) {
		for _, r := range rules {
			roles, attributes = append(roles, r.Roles...), append(attributes, r.Where.Attributes()...)
		}
	}
	people, _ := s.store.People(ctx)
	for _, p := range people {
		roles = append(roles, p.RoleList()...)
		attributes = slices.AppendSeq(attributes, maps.Keys(p.AttributeMap()))
	}
	sources, _ := s.store.Sources(ctx)
	for _, src := range sources {
		if r, err := dataset.ReadRules(src.Rules); err == nil {
			for _, t := range r.Tables {
				note(t.RowRules)
				for _, h := range t.Hidden {
					roles = append(roles, h.Except...)
				}
			}
		}
	}
	kept, _ := s.store.Datasets(ctx)
	for _, k := range kept {
		if d, err := dataset.Read(k.Document); err == nil {
			note(d.RowRules)
		}
	}
	vouched, carried, _ := s.store.Vouched(ctx)
	roles, attributes = append(roles, vouched...), append(attributes, carried...)
	roles = slices.DeleteFunc(roles, func(r string) bool { return r == dataset.Everyone })
	slices.Sort(roles)
	slices.Sort(attributes)
	return slices.Compact(attributes), append([]string{dataset.Everyone}, slices.Compact(roles)...)
}

func (s *Server) makeDataset(c *gin.Context) {
	ds, err := s.suggestion(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	d := ds.Document
	if name := c.PostForm("name"); name != "" {
		d.Name = name
	}
	if _, err := s.store.Dataset(c.Request.Context(), d.Name); err == nil {
		c.Redirect(http.StatusSeeOther, "/data/datasets/"+url.PathEscape(d.Name))
		return
	}
	err = s.keepDataset(c, &d)
	if p := problem.Of(err); p != nil {
		s.tablePage(c, 422, p)
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/datasets/"+d.Name)
}

// keepDataset checks a dataset document against its source and keeps it.
func (s *Server) keepDataset(c *gin.Context, d *dataset.Document) error {
	ctx := c.Request.Context()
	ds, err := s.engine.Resolve(ctx, d)
	if err != nil {
		return err
	}
	if err := s.engine.KeyProblem(ctx, ds); err != nil {
		return err
	}
	d.Settle(ds.Catalogue())
	who := caller(c).Name
	if err := s.store.SaveDataset(ctx, d.Name, d.Source, d.JSON(), who); err != nil {
		return err
	}
	return s.store.Audit(ctx, who, "changed the dataset, with its row rules", d.Name)
}
