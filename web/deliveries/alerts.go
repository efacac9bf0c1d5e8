package deliveries

import (
	"encoding/json"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/alert"
	"eskadel/core/problem"
	"eskadel/view"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

func (s *Server) alerts(c *gin.Context) {
	all, err := s.Workspace.Alerts(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, http.StatusOK, "alerts", "Alerts", gin.H{"All": all})
}

// beginAlert is the page on which an alert on a widget is begun, as it is looked at.
func (s *Server) beginAlert(c *gin.Context) {
	start := alert.Watch{Page: c.Query("page"), Widget: c.Query("widget"), When: alert.Above, By: []string{"mail", "notice"}}
	o, start, can, err := s.Workspace.Watching(c.Request.Context(), gate.Caller(c), c.Query("dashboard"), start, c.Query("view"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	if on, err := o.Doc.Page(start.Page); err == nil {
		start.Page = on.Title
	}
	if len(can.Measures) == 0 {
		start.When = alert.Comes
	}
	s.showAlertForm(c, http.StatusOK, o, can, workspace.AlertOrder{Dashboard: o.Name, Title: can.Title, Watch: start}, nil)
}

// wantedAlert reads an alert as it stands in its form.
func wantedAlert(c *gin.Context) (a workspace.AlertOrder, err error) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	number := func(name string) int { n, _ := strconv.Atoi(post(name)); return n }
	a = workspace.AlertOrder{Dashboard: post("dashboard"), Title: post("title"), SignUp: post("sign_up") != "", ID: formID(c), Revision: int64(number("revision"))}
	a.Watch = alert.Watch{Page: post("page"), Widget: post("widget"), When: post("when"), Measure: number("measure"), Than: post("than"), Percent: post("percent") != "", Hours: number("hours"), Keepers: post("keepers") != "",
		Note: post("note"), By: page.Chosen(c, "by"), After: number("after"), Again: post("again")}
	if q := (alert.Quiet{From: post("from"), To: post("to"), Weekends: post("weekends") != ""}); q != (alert.Quiet{}) {
		a.Watch.Quiet = &q
	}
	if state := post("state"); state != "" {
		err = problem.At("state", problem.Decode([]byte(state), &a.Watch.State))
	}
	return a, err
}

// alertForm shows the fields of an alert again, with what suits what was chosen.
func (s *Server) alertForm(c *gin.Context) {
	a, err := wantedAlert(c)
	var o *workspace.Opened
	var can *view.Watchable
	if err == nil {
		o, _, can, err = s.Workspace.Watching(c.Request.Context(), gate.Caller(c), a.Dashboard, a.Watch, "")
	}
	var data gin.H
	if err == nil {
		data, err = s.alertFormOf(c, o, can, a, nil)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "alert-fields", data)
}

// keepAlert keeps an alert, a new one or one that is there.
func (s *Server) keepAlert(c *gin.Context) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	a, err := wantedAlert(c)
	id := a.ID
	if err == nil {
		id, err = s.Workspace.KeepAlert(ctx, who, a)
	}
	s.Done(c, err, at(id), func(status int, p *problem.Problem) {
		if a.ID != 0 {
			s.show(c, status, a.ID, typed{alert: &a}, p)
			return
		}
		o, _, can, err := s.Workspace.Watching(ctx, who, a.Dashboard, a.Watch, "")
		if err != nil {
			s.Fail(c, err)
			return
		}
		s.showAlertForm(c, status, o, can, a, p)
	})
}

// lasting are for how long something may last before it is told again.
var lasting = []struct {
	Minutes int
	Words   string
}{{0, "never again"}, {15, "after 15 minutes"}, {60, "after 1 hour"}, {240, "after 4 hours"}, {1440, "after a day"}}

// alertPlaces are where in the form of an alert something may be wrong.
var alertPlaces = []string{"title", "page", "widget", "when", "than", "hours", "measure", "by", "quiet", "after", "again", "note", "keepers", "state"}

// alertFormOf is what the fields of an alert show.
func (s *Server) alertFormOf(c *gin.Context, o *workspace.Opened, can *view.Watchable, a workspace.AlertOrder, p *problem.Problem) (gin.H, error) {
	state, err := json.Marshal(a.Watch.State)
	if err != nil {
		return nil, err
	}
	var whens []alert.Choice
	for _, w := range alert.Whens {
		if points := w.Name != alert.Comes && w.Name != alert.Silent; points && len(can.Measures) == 0 || (w.Name == alert.Rises || w.Name == alert.Falls) && !can.Compared {
			continue
		}
		whens = append(whens, w)
	}
	var by []page.Tick
	for _, b := range alert.By {
		by = append(by, page.Tick{Value: b.Name, Words: b.Words, On: slices.Contains(a.Watch.By, b.Name)})
	}
	quiet := alert.Quiet{}
	if a.Watch.Quiet != nil {
		quiet = *a.Watch.Quiet
	}
	return gin.H{"A": a, "Doc": o.Doc, "Can": can, "Whens": whens, "Ways": by, "Lasting": lasting, "Quiet": quiet, "State": string(state), "Narrowed": string(state) != "{}", "Shares": o.Shares, "Wrong": wrongs(p, alertPlaces), "Caller": gate.Caller(c),
		"Changes": a.Watch.When == alert.Rises || a.Watch.When == alert.Falls}, nil
}

// wrongs are what is wrong by where it is in a form; "" is anywhere else.
func wrongs(p *problem.Problem, places []string) map[string]string {
	out := map[string]string{}
	if p != nil {
		at, _, _ := strings.Cut(p.Place, ".")
		if at, _, _ = strings.Cut(at, "["); !slices.Contains(places, at) {
			at = ""
		}
		out[at] = p.Words
	}
	return out
}

// showAlertForm is the page of an alert that is not there yet.
func (s *Server) showAlertForm(c *gin.Context, status int, o *workspace.Opened, can *view.Watchable, a workspace.AlertOrder, p *problem.Problem) {
	data, err := s.alertFormOf(c, o, can, a, p)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, status, "new-alert", "An alert on "+can.Title, data)
}

// snooze has an alert tell nothing for a while.
func (s *Server) snooze(c *gin.Context) {
	hours, _ := strconv.Atoi(c.PostForm("hours"))
	err := s.Workspace.SnoozeAlert(c.Request.Context(), gate.Caller(c), idOf(c), time.Duration(min(max(hours, 0), 24*31))*time.Hour)
	s.Done(c, err, at(idOf(c)), func(status int, p *problem.Problem) { s.show(c, status, idOf(c), typed{}, p) })
}

// later says whether a receiver hears only of what lasts.
func (s *Server) later(c *gin.Context) {
	err := s.Workspace.TellLater(c.Request.Context(), gate.Caller(c), idOf(c), page.Number(c.PostForm("id")), c.PostForm("later") != "")
	s.Done(c, err, at(idOf(c))+"#to", func(status int, p *problem.Problem) { s.show(c, status, idOf(c), typed{}, p) })
}
