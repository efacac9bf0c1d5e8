package data

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

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
	if err := s.Workspace.ReadTables(c.Request.Context(), gate.Caller(c), c.Param("source")); err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/sources/"+c.Param("source"))
}

func (s *Server) sourcePage(c *gin.Context, status int, name string, more gin.H) {
	p, err := s.Workspace.SourcePage(c.Request.Context(), gate.Caller(c), name)
	if err != nil {
		s.Fail(c, err)
		return
	}
	if p.Trouble != nil && more["Problem"] == nil {
		more["Problem"] = p.Trouble
	}
	find := strings.ToLower(strings.TrimSpace(c.Query("find")))
	var rows []tableRow
	for _, t := range p.Tables {
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
		s.Part(c, status, "tables", gin.H{"Rows": rows, "Source": name, "Find": find})
		return
	}
	more["Source"], more["Rows"], more["Count"], more["Find"] = p.SourceRow, rows, len(p.Tables), find
	if more["Authors"], err = s.authorTicks(c, p.Authors); err != nil {
		s.Fail(c, err)
		return
	}
	if more["Address"] == nil {
		more["Address"] = p.Address
	}
	if more["Changer"] = p.Changer; more["ChangerRole"] == nil {
		more["ChangerRole"] = p.Changer.Role
	}
	more["Live"], more["Trigger"], more["RoleSQL"], more["FileRows"], more["RulesTag"] = p.Live, p.WatchSQL, p.RoleSQL, p.Files, p.RulesTag
	if more["RulesWritten"] == nil && p.Rules != nil {
		more["RulesWritten"] = string(p.Rules.JSON())
	}
	s.Page(c, status, "source", p.Title, more)
}

// tableOf is the table that an address names, with its row rules.
func (s *Server) tableOf(c *gin.Context) (*dataset.Table, error) {
	tables, err := s.Workspace.Tables(c.Request.Context(), gate.Caller(c), c.Param("source"))
	if err != nil {
		return nil, err
	}
	t := tables.Table(c.Param("table"))
	if t == nil {
		return nil, problem.New(problem.NotFound, "", "The source has no table “%s” that may be read.", c.Param("table"))
	}
	return t, nil
}

// suggestion is the dataset that a table would make.
func (s *Server) suggestion(c *gin.Context) (*dataset.Dataset, error) {
	t, err := s.tableOf(c)
	if err != nil {
		return nil, err
	}
	tables, err := s.Workspace.Tables(c.Request.Context(), gate.Caller(c), c.Param("source"))
	if err != nil {
		return nil, err
	}
	return dataset.Resolve(dataset.Suggest(c.Param("source"), t, tables), tables, nil)
}

// previewed is how many records a preview shows.
const previewed = 12

func (s *Server) tablePreview(c *gin.Context) { s.tablePage(c, http.StatusOK, gin.H{}) }

func (s *Server) tablePage(c *gin.Context, status int, data gin.H) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	ds, err := s.suggestion(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	records, err := s.Workspace.Records(ctx, who, ds, workspace.Listing{Size: previewed})
	if err != nil {
		s.Fail(c, err)
		return
	}
	_, kept, err := s.Workspace.TableRules(ctx, who, c.Param("source"), ds.Table.ID())
	if err != nil && data["Problem"] == nil {
		data["Problem"] = problem.Of(err)
	}
	var versions []page.VersionRow
	if kept.Published > 1 {
		if versions, err = s.History(c, workspace.Rules, kept.Name); err != nil {
			s.Fail(c, err)
			return
		}
	}
	attributes, roles := s.Workspace.Familiar(ctx, who)
	for name, v := range (gin.H{"Dataset": ds, "Table": ds.Table, "Preview": records, "Source": c.Param("source"), "SourceTitle": s.Workspace.SourceTitle(ctx, c.Param("source")), "Rules": ds.Table.Rules, "Kept": kept, "Versions": versions,
		"Fields": page.ConditionFields(page.TableFields(ds.Table, func(id string) *dataset.Table { return ds.Linked(id) })), "Attributes": attributes, "Roles": roles, "Hiders": roles[1:],
		"WrittenRoles": page.Chosen(c, "roles"), "WrittenWhere": c.PostForm("where"), "WrittenWords": c.PostForm("words")}) {
		data[name] = v
	}
	s.Page(c, status, "table", ds.Table.Name, data)
}

// rulesOf names the rules of the table that an address names.
func (s *Server) rulesOf(c *gin.Context) (name, back string, err error) {
	t, err := s.tableOf(c)
	if err != nil {
		return "", "", err
	}
	return c.Param("source") + "/" + t.ID(), strings.TrimSuffix(c.Request.URL.Path, "/rules/back") + "#rules", nil
}

func (s *Server) makeDataset(c *gin.Context) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	ds, err := s.suggestion(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	d := ds.Document
	if name := c.PostForm("name"); name != "" {
		d.Name = name
	}
	if _, err := s.Workspace.DatasetPage(ctx, who, d.Name); err == nil {
		c.Redirect(http.StatusSeeOther, "/data/datasets/"+url.PathEscape(d.Name))
		return
	}
	_, err = s.Workspace.NewDataset(ctx, who, &d)
	if p := problem.Of(err); p != nil {
		s.tablePage(c, page.StatusOf(p), gin.H{"Problem": p})
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/datasets/"+d.Name)
}

// authorTicks offers the people who build and are no builders, for saying which of them may.
func (s *Server) authorTicks(c *gin.Context, chosen []string) (out []page.Tick, err error) {
	people, err := s.Workspace.Authors(c.Request.Context(), gate.Caller(c), chosen)
	left := slices.Clone(chosen)
	for _, p := range people {
		left = slices.DeleteFunc(left, func(email string) bool { return email == p.Email })
		out = append(out, page.Tick{Value: p.Email, Words: p.Name, On: slices.Contains(chosen, p.Email)})
	}
	return append(out, page.Offered(nil, left)...), err
}
