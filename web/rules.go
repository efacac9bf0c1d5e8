package web

import (
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/problem"
)

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
		rules.Hidden = append(rules.Hidden, dataset.HiddenColumns{Columns: columns, Except: chosen(c, "except")})
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
	r.Roles, r.Words = chosen(c, "roles"), strings.TrimSpace(c.PostForm("words"))
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
	all.Tables = slices.DeleteFunc(all.Tables, func(t dataset.TableRules) bool { return t.Table == rules.Table })
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
	r.Settle(tables)
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
