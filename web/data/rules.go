package data

import (
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
)

// saveTableRules takes the row rules and hidden columns of one table.
func (s *Server) saveTableRules(c *gin.Context) {
	ctx, who, from := c.Request.Context(), gate.Caller(c), page.On(c)
	t, err := s.tableOf(c)
	var rules dataset.TableRules
	if err == nil {
		rules, err = s.Workspace.TableRulesAt(ctx, who, c.Param("source"), t.ID(), from.Revision)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	if err = changeRules(c, &rules); err == nil {
		_, err = s.Workspace.SaveTableRules(ctx, who, c.Param("source"), rules, from)
	}
	back := strings.TrimSuffix(c.Request.URL.Path, "/rules")
	if p := problem.Of(err); p != nil {
		s.tablePage(c, page.StatusOf(p), s.Unkept(c, err, back))
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, back+"#rules")
}

// changeRules makes the one change that a form asks for.
func changeRules(c *gin.Context, rules *dataset.TableRules) error {
	at := int(page.Number(c.PostForm("at")))
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
		rules.Hidden = append(rules.Hidden, dataset.HiddenColumns{Columns: columns, Except: page.Chosen(c, "except")})
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
	r.Roles, r.Words = page.Chosen(c, "roles"), strings.TrimSpace(c.PostForm("words"))
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

// saveRules takes the whole document of rules.
func (s *Server) saveRules(c *gin.Context) {
	written := c.PostForm("document")
	r, err := dataset.ReadRules([]byte(written))
	if err == nil && r.Source != c.Param("source") {
		err = problem.New(problem.Invalid, "source", "These rules are for the source “%s”.", r.Source)
	}
	if err == nil {
		err = s.Workspace.SaveSourceRules(c.Request.Context(), gate.Caller(c), r, c.PostForm("tag"))
	}
	if p := problem.Of(err); p != nil {
		s.sourcePage(c, 422, c.Param("source"), gin.H{"Problem": p, "RulesWritten": written})
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/sources/"+c.Param("source"))
}
