package web

import (
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/problem"
)

func (s *Server) workspace(c *gin.Context) { s.workspacePage(c, http.StatusOK, nil, nil) }

func (s *Server) workspacePage(c *gin.Context, status int, p *problem.Problem, w *period.Workspace) {
	if w == nil {
		kept, err := s.store.Workspace(c.Request.Context())
		if err == nil && kept != nil {
			w, err = period.ReadWorkspace(kept)
		}
		if err != nil {
			s.fail(c, err)
			return
		}
		if w == nil {
			cal := s.engine.Calendar()
			w = &period.Workspace{Version: 1, Zone: cal.Zone.String()}
		}
	}
	if w.Periods == nil {
		w.Periods = &period.OwnPeriods{}
	}
	var days, months []string
	for d := 1; d <= 7; d++ {
		days = append(days, time.Weekday(d%7).String())
	}
	for m := time.January; m <= time.December; m++ {
		months = append(months, m.String())
	}
	cal := s.engine.Calendar()
	s.page(c, status, "workspace", "Calendar", gin.H{"W": w, "Problem": p, "Days": days, "Months": months, "Own": cal.HasOwn(), "Numbers": numberStyles()})
}

// numberStyle is a manner of writing numbers, with an example.
type numberStyle struct{ Name, Example string }

func numberStyles() (out []numberStyle) {
	for _, name := range locale.Names() {
		out = append(out, numberStyle{name, locale.Example(name)})
	}
	return out
}

func (s *Server) saveWorkspace(c *gin.Context) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	w := &period.Workspace{Version: 1, Zone: post("zone"), FirstDay: post("first_day"), FiscalStart: post("fiscal_start"), Numbers: post("numbers")}
	if w.MinDays = int(number(post("min_days"))); post("min_days") == "" {
		w.MinDays = 0
	}
	if post("periods") != "" {
		w.Periods = &period.OwnPeriods{Dataset: post("periods"), Start: post("start"), Name: post("name")}
	}
	err := s.keepWorkspace(c, w)
	if p := problem.Of(err); p != nil {
		s.workspacePage(c, 422, p, w)
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, "/data/workspace")
}

// keepWorkspace keeps settings that can be used, and uses them.
func (s *Server) keepWorkspace(c *gin.Context, w *period.Workspace) error {
	ctx := c.Request.Context()
	if _, err := w.Calendar(); err != nil {
		return err
	}
	if err := s.store.SaveWorkspace(ctx, w.JSON(), caller(c).Name); err != nil {
		return err
	}
	if err := s.store.Audit(ctx, caller(c).Name, "changed the calendar", w.Zone); err != nil {
		return err
	}
	return s.engine.Settle(ctx)
}
