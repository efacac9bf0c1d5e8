package data

import (
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

func (s *Server) settings(c *gin.Context) { s.settingsPage(c, http.StatusOK, gin.H{}, nil) }

func (s *Server) settingsPage(c *gin.Context, status int, data gin.H, w *period.Workspace) {
	kept, st, err := s.Workspace.Settings(c.Request.Context(), gate.Caller(c))
	if err != nil && kept == nil {
		s.Fail(c, err)
		return
	}
	if err != nil && data["Problem"] == nil {
		data["Problem"] = problem.Of(err)
	}
	if w == nil {
		w = kept
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
	var versions []page.VersionRow
	if st.Published > 1 {
		if versions, err = s.History(c, workspace.Settings, st.Name); err != nil {
			s.Fail(c, err)
			return
		}
	}
	data["W"], data["Kept"], data["Days"], data["Months"], data["Own"], data["Numbers"], data["Versions"] = w, st, days, months, s.Workspace.Calendar().HasOwn(), numberStyles(), versions
	s.Page(c, status, "workspace", "Calendar", data)
}

// numberStyle is a manner of writing numbers, with an example.
type numberStyle struct{ Name, Example string }

func numberStyles() (out []numberStyle) {
	for _, name := range locale.Names() {
		out = append(out, numberStyle{name, locale.Example(name)})
	}
	return out
}

func (s *Server) saveSettings(c *gin.Context) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	w := &period.Workspace{Version: period.WorkspaceVersion, Zone: post("zone"), FirstDay: post("first_day"), FiscalStart: post("fiscal_start"), Numbers: post("numbers")}
	if w.MinDays = int(page.Number(post("min_days"))); post("min_days") == "" {
		w.MinDays = 0
	}
	if post("periods") != "" {
		w.Periods = &period.OwnPeriods{Dataset: post("periods"), Start: post("start"), Name: post("name")}
	}
	_, err := s.Workspace.SaveSettings(c.Request.Context(), gate.Caller(c), w.JSON(), page.On(c))
	if p := problem.Of(err); p != nil {
		s.settingsPage(c, page.StatusOf(p), s.Unkept(c, err, "/data/workspace"), w)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/data/workspace")
}

func theSettings(*gin.Context) (name, back string, err error) {
	return workspace.TheSettings, "/data/workspace", nil
}
