package web

import (
	"net/http"
	"net/url"
	"slices"
	"sort"
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
	"eskadel/store"
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
		Name, Title, Source, Records, Description string
		Trouble                                   string
	}
	var rows []row
	for _, kept := range sets {
		d, err := dataset.Read(kept.Document)
		if err != nil {
			s.fail(c, err)
			return
		}
		if s.mayUse(c, d) != nil {
			continue
		}
		r := row{Name: d.Name, Title: d.Title, Source: d.Source, Records: d.Record[1], Description: d.Description}
		if ds, err := s.engine.Dataset(ctx, d.Name, caller(c).Viewer); err != nil {
			r.Trouble = "cannot be read just now"
		} else if rule.Publishable(ds) != nil {
			r.Trouble = "nobody has said yet who may see it"
		}
		rows = append(rows, r)
	}
	var mine []store.Source
	for _, src := range sources {
		if s.mayUseSource(c, &src) {
			mine = append(mine, src)
		}
	}
	more["Sources"], more["Datasets"], more["Files"], more["RoleSQL"] = mine, rows, s.files != nil, source.RoleSQL
	s.page(c, status, "data", "Data", more)
}

// mayUseSource tells whether an author may build on a source.
func (s *Server) mayUseSource(c *gin.Context, src *store.Source) bool {
	who := caller(c)
	return who.Builder || len(src.Authors()) == 0 || slices.Contains(src.Authors(), who.Email)
}

// mayUse tells in words why a person may not build on a dataset; nil when they may.
func (s *Server) mayUse(c *gin.Context, d *dataset.Document) error {
	who := caller(c)
	no := problem.New(problem.NotFound, "dataset", "There is no dataset “%s”.", d.Name)
	if who.Builder {
		return nil
	}
	if len(d.SeenBy) > 0 && !slices.Contains(d.SeenBy, who.Email) {
		return no
	}
	src, err := s.store.Source(c.Request.Context(), d.Source)
	if err == nil && !s.mayUseSource(c, src) {
		return no
	}
	return err
}

// usable finds a dataset that the caller may build on, as they may see it.
func (s *Server) usable(c *gin.Context, name string) (*dataset.Dataset, error) {
	ds, err := s.engine.Dataset(c.Request.Context(), name, caller(c).Viewer)
	if err != nil {
		return nil, err
	}
	return ds, s.mayUse(c, &ds.Document)
}

// addSource connects a database, or changes the address of one, tries it and keeps it
// only if it answers.
func (s *Server) addSource(c *gin.Context) {
	name, title, address := c.PostForm("name"), strings.TrimSpace(c.PostForm("title")), c.PostForm("url")
	if name == "" {
		name = strings.Trim(strings.ReplaceAll(strings.ToLower(title), " ", "-"), "-")
	}
	ctx := c.Request.Context()
	err := dataset.CheckName(name)
	if err == nil && title == "" {
		err = problem.New(problem.Missing, "title", "Give the source a title.")
	}
	if _, taken := s.store.Source(ctx, name); err == nil && taken == nil && c.PostForm("change") == "" {
		err = problem.New(problem.Conflict, "name", "There is a source called “%s” already.", name)
	}
	var found *source.Diagnosis
	if err == nil {
		found, err = source.Diagnose(ctx, address)
	}
	if p := problem.Of(err); p != nil || err == nil && c.PostForm("try") != "" {
		more := gin.H{"Problem": p, "Name": c.PostForm("name"), "SourceTitle": title}
		status := http.StatusUnprocessableEntity
		if p == nil {
			more["Found"], status = found.Words(), http.StatusOK
		}
		if c.PostForm("change") != "" {
			s.sourcePage(c, status, name, more)
			return
		}
		s.dataPage(c, status, more)
		return
	}
	if err == nil {
		err = s.keepSource(c, name, title, address)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/sources/"+name)
}

// keepSource keeps a database that has answered, and opens it.
func (s *Server) keepSource(c *gin.Context, name, title, address string) error {
	ctx := c.Request.Context()
	if err := s.store.SaveSource(ctx, name, title, address, "postgresql"); err != nil {
		return err
	}
	if err := s.store.Audit(ctx, caller(c).Name, "connected a source", name); err != nil {
		return err
	}
	src, err := s.store.Source(ctx, name)
	if err != nil {
		return err
	}
	return s.engine.Open(src)
}

func (s *Server) removeSource(c *gin.Context) {
	name := c.Param("source")
	err := s.store.RemoveSource(c.Request.Context(), name)
	if p := problem.Of(err); p != nil && p.Code == problem.Conflict {
		s.sourcePage(c, 409, name, gin.H{"Problem": p})
		return
	}
	if err == nil {
		s.engine.Close(name)
		err = s.store.Audit(c.Request.Context(), caller(c).Name, "removed the source", name)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data")
}

// sourceAuthors keeps who may build on a source.
func (s *Server) sourceAuthors(c *gin.Context) {
	emails := fieldsOf(c.PostForm("authors"))
	err := s.store.SaveAuthors(c.Request.Context(), c.Param("source"), emails)
	if err == nil {
		err = s.store.Audit(c.Request.Context(), caller(c).Name, "changed who may use the source", c.Param("source"))
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/sources/"+c.Param("source"))
}

// fieldsOf divides what is typed into a list: by commas, spaces and line ends.
func fieldsOf(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' || r == '\n' || r == '\r' || r == ';' })
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
	more["Live"], more["Trigger"], more["RoleSQL"] = s.engine.Hub.Heard(name), source.TriggerSQL, source.RoleSQL
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
		"Fields": conditionFields(tableFields(ds.Table, func(id string) *dataset.Table { return ds.Linked(id) })), "Attributes": attributes, "Roles": roles}
	s.page(c, status, "table", ds.Table.Name, data)
}

// familiar collects the roles and attributes that rules and people already speak of, for
// offering them where one is typed.
func (s *Server) familiar(c *gin.Context) (attributes, roles []string) {
	seen := map[string]bool{}
	note := func(list *[]string, name string) {
		if !seen[name] {
			seen[name] = true
			*list = append(*list, name)
		}
	}
	note(&roles, dataset.Everyone)
	people, err := s.store.People(c.Request.Context())
	if err != nil {
		return nil, roles
	}
	for _, p := range people {
		for _, r := range p.RoleList() {
			note(&roles, r)
		}
		for a := range p.AttributeMap() {
			note(&attributes, a)
		}
	}
	sources, err := s.store.Sources(c.Request.Context())
	if err != nil {
		return attributes, roles
	}
	for _, src := range sources {
		r, err := dataset.ReadRules(src.Rules)
		if err != nil {
			continue
		}
		for _, t := range r.Tables {
			for _, row := range t.RowRules {
				for _, role := range row.Roles {
					note(&roles, role)
				}
				for _, a := range row.Where.Attributes() {
					note(&attributes, a)
				}
			}
		}
	}
	sort.Strings(attributes)
	return attributes, roles
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
	who := caller(c).Name
	if err := s.store.SaveDataset(ctx, d.Name, d.Source, d.JSON(), who); err != nil {
		return err
	}
	return s.store.Audit(ctx, who, "changed the dataset, with its row rules", d.Name)
}

// saveTableRules takes the row rules and hidden columns of one table.
func (s *Server) saveTableRules(c *gin.Context) {
	ds, err := s.suggestion(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	t := ds.Table
	rules := dataset.TableRules{Table: t.ID()}
	if t.Rules != nil {
		rules.RowRules = append(rules.RowRules, t.Rules.RowRules...)
		rules.Hidden = append(rules.Hidden, t.Rules.Hidden...)
	}
	if err = changeRules(c, &rules); err == nil {
		err = s.keepTableRules(c, c.Param("source"), rules)
	}
	if p := problem.Of(err); p != nil {
		s.tablePage(c, 422, p)
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, c.Request.URL.Path[:len(c.Request.URL.Path)-len("/rules")]+"#rules")
}

// changeRules makes the one change that a form asks for.
func changeRules(c *gin.Context, rules *dataset.TableRules) error {
	at := int(number(c.PostForm("at")))
	switch c.PostForm("do") {
	case "add":
		r, err := ruleFrom(c)
		if err != nil {
			return err
		}
		rules.RowRules = append(rules.RowRules, r)
	case "remove":
		if at < len(rules.RowRules) {
			rules.RowRules = slices.Delete(rules.RowRules, at, at+1)
		}
	case "hide":
		columns := c.PostFormArray("column")
		if len(columns) == 0 {
			return problem.New(problem.Missing, "hidden", "Tick the columns to hide.")
		}
		rules.Hidden = append(rules.Hidden, dataset.HiddenColumns{Columns: columns, Except: fieldsOf(c.PostForm("except"))})
	case "show":
		if at < len(rules.Hidden) {
			rules.Hidden = slices.Delete(rules.Hidden, at, at+1)
		}
	default:
		return problem.New(problem.Invalid, "do", "Nothing was chosen.")
	}
	return nil
}

// ruleFrom reads a row rule from a form.
func ruleFrom(c *gin.Context) (r dataset.RowRule, err error) {
	r.Roles, r.Words = fieldsOf(c.PostForm("roles")), strings.TrimSpace(c.PostForm("words"))
	if len(r.Roles) == 0 {
		return r, problem.New(problem.Missing, "roles", "Say which roles the rule is for, or “everyone”.")
	}
	r.Where, err = conditionFrom(c, "where")
	return r, problem.At("where", err)
}

// conditionFrom reads a condition that the condition editor wrote; none is every row.
func conditionFrom(c *gin.Context, name string) (out filter.Condition, err error) {
	written := strings.TrimSpace(c.PostForm(name))
	if written == "" {
		return out, nil
	}
	return out, problem.Decode([]byte(written), &out)
}

// keepTableRules replaces the rules of one table, once they suit all tables.
func (s *Server) keepTableRules(c *gin.Context, name string, rules dataset.TableRules) error {
	kept, err := s.store.Source(c.Request.Context(), name)
	if err != nil {
		return err
	}
	all, err := dataset.ReadRules(kept.Rules)
	if err != nil {
		return err
	}
	all.Source = name
	all.Tables = slices.DeleteFunc(all.Tables, func(t dataset.TableRules) bool { return t.Table == rules.Table || "public."+t.Table == rules.Table })
	if len(rules.RowRules)+len(rules.Hidden) > 0 {
		all.Tables = append(all.Tables, rules)
	}
	return s.keepRules(c, all)
}

// keepRules keeps the rules of a source's tables, if they suit them.
func (s *Server) keepRules(c *gin.Context, r *dataset.SourceRules) error {
	ctx := c.Request.Context()
	src, err := s.engine.Source(r.Source)
	if err != nil {
		return err
	}
	tables, err := src.Catalogue(ctx)
	if err != nil {
		return err
	}
	if _, err := tables.With(r); err != nil {
		return err
	}
	if err := s.store.SaveRules(ctx, r.Source, r.JSON()); err != nil {
		return err
	}
	return s.store.Audit(ctx, caller(c).Name, "changed the row rules of the source", r.Source)
}

// saveRules takes the whole document of rules.
func (s *Server) saveRules(c *gin.Context) {
	written := c.PostForm("document")
	r, err := dataset.ReadRules([]byte(written))
	if err == nil && r.Source != c.Param("source") {
		err = problem.New(problem.Invalid, "source", "These rules are for the source “%s”.", r.Source)
	}
	if err == nil {
		err = s.keepRules(c, r)
	}
	if p := problem.Of(err); p != nil {
		s.sourcePage(c, 422, c.Param("source"), gin.H{"Problem": p, "RulesWritten": written})
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/sources/"+c.Param("source"))
}
