package deliveries

import (
	"context"
	"encoding/json"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dashboard"
	"eskadel/core/delivery"
	"eskadel/core/problem"
	"eskadel/core/schedule"
	"eskadel/identity"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// at is where a delivery stands.
func at(id int64) string { return "/deliveries/delivery/" + strconv.FormatInt(id, 10) }

func idOf(c *gin.Context) int64 { return page.Number(c.Param("delivery")) }

func (s *Server) list(c *gin.Context) { s.showList(c, http.StatusOK, nil) }

func (s *Server) showList(c *gin.Context, status int, p *problem.Problem) {
	all, err := s.Workspace.Deliveries(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, status, "deliveries", "Deliveries", gin.H{"All": all, "Problem": p})
}

// onList does something to a delivery for whoever asks, and shows the list again.
func (s *Server) onList(do func(*workspace.Workspace, context.Context, *identity.Caller, int64) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		err := do(s.Workspace, c.Request.Context(), gate.Caller(c), idOf(c))
		s.Done(c, err, "/deliveries", func(status int, p *problem.Problem) { s.showList(c, status, p) })
	}
}

// begin is the page on which a delivery of a dashboard is begun, as it is looked at.
func (s *Server) begin(c *gin.Context) {
	o, start, err := s.Workspace.Ordering(c.Request.Context(), gate.Caller(c), c.Query("dashboard"), c.Query("view"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	if on, err := o.Doc.Page(c.Query("page")); err == nil {
		start.Page = on.Title
	}
	s.showForm(c, http.StatusOK, o, workspace.DeliveryOrder{Dashboard: o.Name, Title: o.Doc.Title, Order: start}, nil)
}

// formID is of what a form is about; 0 for what is not there yet.
func formID(c *gin.Context) int64 {
	if c.Param("delivery") != "" {
		return idOf(c)
	}
	if id := c.PostForm("delivery"); id != "" {
		return page.Number(id)
	}
	return 0
}

// typed is what stands in the form of a delivery or an alert that was not kept.
type typed struct {
	delivery *workspace.DeliveryOrder
	alert    *workspace.AlertOrder
}

// wanted reads a delivery as it stands in its form.
func wanted(c *gin.Context) (d workspace.DeliveryOrder, err error) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	d = workspace.DeliveryOrder{Dashboard: post("dashboard"), Title: post("title"), SignUp: post("sign_up") != ""}
	d.ID = formID(c)
	d.Revision, _ = strconv.ParseInt(post("revision"), 10, 64)
	o := delivery.Order{Page: post("page"), As: page.Chosen(c, "as"), Only: post("only"), Keepers: post("keepers") != "", Note: post("note")}
	if post("parts") == "some" {
		o.Widgets = page.Chosen(c, "widgets")
		if len(o.Widgets) == 0 {
			err = problem.New(problem.Missing, "widgets", "Choose what of the page is delivered.")
		}
	}
	if state := post("state"); state != "" {
		if e := problem.Decode([]byte(state), &o.State); e != nil {
			return d, problem.At("state", e)
		}
	}
	o.Schedule = schedule.Schedule{Every: post("every"), At: page.Chosen(c, "at"), Zone: post("zone"), Holidays: post("holidays")}
	switch o.Schedule.Every {
	case "week":
		o.Schedule.Weekdays = page.Chosen(c, "weekdays")
	case "month", "quarter":
		nth, _ := strconv.Atoi(post("nth"))
		o.Schedule.On = &schedule.On{Nth: nth, Of: post("of")}
	}
	if id := post("calendar"); id != "" {
		o.Calendar = page.Number(id)
	}
	d.Order = o
	return d, err
}

// opened is the dashboard that a delivery is of, for whoever asks.
func (s *Server) opened(c *gin.Context, d workspace.DeliveryOrder) (*workspace.Opened, error) {
	o, _, err := s.Workspace.Ordering(c.Request.Context(), gate.Caller(c), d.Dashboard, "")
	return o, err
}

// form shows the fields of a delivery again, with what suits what was chosen.
func (s *Server) form(c *gin.Context) {
	d, _ := wanted(c)
	o, err := s.opened(c, d)
	var data gin.H
	if err == nil {
		data, err = s.formOf(c, o, d, nil)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "delivery-fields", data)
}

// keep keeps a delivery, a new one or one that is there.
func (s *Server) keep(c *gin.Context) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	d, err := wanted(c)
	id := d.ID
	if err == nil {
		id, err = s.Workspace.KeepDelivery(ctx, who, d)
	}
	s.Done(c, err, at(id), func(status int, p *problem.Problem) {
		if d.ID != 0 {
			s.show(c, status, d.ID, typed{delivery: &d}, p)
			return
		}
		o, err := s.opened(c, d)
		if err != nil {
			s.Fail(c, err)
			return
		}
		s.showForm(c, status, o, d, p)
	})
}

// parts are what of a page can be delivered.
func (s *Server) parts(c *gin.Context, o *workspace.Opened, d workspace.DeliveryOrder) (out []page.Tick, err error) {
	l, err := s.Workspace.Look(c.Request.Context(), gate.Caller(c), o.Name, false, dashboard.State{Page: d.Order.Page})
	if err != nil {
		return nil, err
	}
	all, err := l.Charts(d.Order.Page)
	for _, w := range all {
		out = append(out, page.Tick{Value: w.ID, Words: w.Title, On: slices.Contains(d.Order.Widgets, w.ID)})
	}
	return out, err
}

// places are where in the form something may be wrong.
var places = []string{"title", "page", "widgets", "as", "only", "note", "schedule", "calendar", "keepers", "state"}

// formOf is what the fields of a delivery show.
func (s *Server) formOf(c *gin.Context, o *workspace.Opened, d workspace.DeliveryOrder, p *problem.Problem) (gin.H, error) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	if _, err := o.Doc.Page(d.Order.Page); err != nil {
		d.Order.Page = "" // it has been renamed or taken away
	}
	if d.Order.Page == "" && len(o.Doc.Pages) > 0 {
		d.Order.Page = o.Doc.Pages[0].Title
	}
	parts, err := s.parts(c, o, d)
	if err != nil {
		return nil, err
	}
	some := len(d.Order.Widgets) > 0
	if c.PostForm("parts") == "some" && !some { // those of a page that has just been chosen: all, until some are not wanted
		some = true
		for i := range parts {
			parts[i].On = true
		}
	}
	calendars, err := s.Workspace.Calendars(ctx, who)
	if err != nil {
		return nil, err
	}
	state, err := json.Marshal(d.Order.State)
	if err != nil {
		return nil, err
	}
	var forms []page.Tick
	for _, f := range delivery.Forms {
		forms = append(forms, page.Tick{Value: f.Name, Words: f.Words, On: slices.Contains(d.Order.As, f.Name)})
	}
	var days []page.Tick
	for _, day := range schedule.Weekdays {
		days = append(days, page.Tick{Value: day, Words: strings.ToUpper(day[:1]) + day[1:], On: slices.Contains(d.Order.Schedule.Weekdays, day)})
	}
	if d.Order.Schedule.On == nil {
		d.Order.Schedule.On = &schedule.On{Nth: 1, Of: "day"}
	}
	var nths []int
	for n := 1; n <= 31; n++ {
		nths = append(nths, n)
	}
	data := gin.H{"D": d, "Doc": o.Doc, "Parts": parts, "Forms": forms, "Some": some, "Conditions": delivery.Conditions, "Days": days, "Everies": schedule.Everies, "Nths": append([]int{-1, -2, -3, -4, -5}, nths...),
		"Kinds": append([]string{"day", "working day"}, schedule.Weekdays...), "Zones": schedule.Zones, "Calendars": calendars, "State": string(state), "Narrowed": string(state) != "{}", "Shares": o.Shares, "Wrong": wrongs(p, places), "Caller": who,
		"Here": s.Workspace.Calendar().Zone.String(), "Monthly": d.Order.Schedule.Every == "month" || d.Order.Schedule.Every == "quarter"}
	asked := d.Order.Schedule
	if !data["Monthly"].(bool) {
		asked.On = nil
	}
	moments, err := s.Workspace.Moments(ctx, who, asked, d.Order.Calendar, 3)
	if e := problem.Of(err); e != nil {
		data["Whens"] = e.Words
	} else if err != nil {
		return nil, err
	} else {
		data["Words"], data["Moments"] = asked.Words(), moments
	}
	return data, nil
}

// showForm is the page of a delivery that is not there yet.
func (s *Server) showForm(c *gin.Context, status int, o *workspace.Opened, d workspace.DeliveryOrder, p *problem.Problem) {
	data, err := s.formOf(c, o, d, p)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, status, "new-delivery", "A delivery of "+o.Doc.Title, data)
}

func (s *Server) one(c *gin.Context) { s.show(c, http.StatusOK, idOf(c), typed{}, nil) }

// show is the page of a delivery or an alert, with what stands in its form where that was not kept.
func (s *Server) show(c *gin.Context, status int, id int64, in typed, p *problem.Problem) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	e, runs, err := s.Workspace.Delivery(ctx, who, id)
	if err != nil {
		s.Fail(c, err)
		return
	}
	wrong := p
	if p != nil && p.Place == "to" {
		wrong = nil // it is said where receivers are
	}
	data, err := s.fieldsOf(c, e, in, wrong)
	if gone := problem.Of(err); gone != nil && (gone.Code == problem.NotFound || gone.Code == problem.Forbidden) {
		data, err = gin.H{"Gone": gone}, nil // its history and its end can be seen all the same
	}
	if err == nil {
		data["Channels"], err = s.Workspace.Channels(ctx, who)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	data["E"], data["Runs"], data["Said"], data["Mails"], data["Typed"] = e, runs, said[c.Query("said")], s.Workspace.Mails(), in != typed{}
	data["Working"], data["Now"] = working(runs), s.Workspace.Now()
	if p != nil && p.Place == "to" {
		data["WrongTo"] = p.Words
	}
	if words := c.GetString("said"); words != "" {
		data["Said"] = words
	}
	s.Page(c, status, "delivery", e.Title, data)
}

// fieldsOf is what the form of a delivery or an alert shows.
func (s *Server) fieldsOf(c *gin.Context, e *workspace.Errand, in typed, p *problem.Problem) (gin.H, error) {
	if e.Kind == "alert" {
		a := workspace.AlertOrder{Revision: int64(e.Revision), Title: e.Title, SignUp: e.SignUp, Watch: e.Watch}
		if in.alert != nil {
			a = *in.alert
		}
		a.ID, a.Dashboard = e.ID, e.Dashboard
		o, _, can, err := s.Workspace.Watching(c.Request.Context(), gate.Caller(c), a.Dashboard, a.Watch, "")
		if err != nil {
			return nil, err
		}
		return s.alertFormOf(c, o, can, a, p)
	}
	d := workspace.DeliveryOrder{Revision: int64(e.Revision), Title: e.Title, SignUp: e.SignUp, Order: e.Order}
	if in.delivery != nil {
		d = *in.delivery
	}
	d.ID, d.Dashboard = e.ID, e.Dashboard
	o, err := s.opened(c, d)
	if err != nil {
		return nil, err
	}
	return s.formOf(c, o, d, p)
}

// working tells whether something of it is under way.
func working(runs []workspace.Run) bool {
	return slices.ContainsFunc(runs, func(r workspace.Run) bool { return r.EndedAt == nil })
}

// said is what was done, after a page has been asked for anew.
var said = map[string]string{"send": "It is being sent.", "try": "It is on its way to you."}

// history shows what came of a delivery, again and again while something of it is under way.
func (s *Server) history(c *gin.Context) {
	e, runs, err := s.Workspace.Delivery(c.Request.Context(), gate.Caller(c), idOf(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "delivery-history", gin.H{"E": e, "Runs": runs, "Working": working(runs)})
}

// tend does something to a delivery, and shows it again.
func (s *Server) tend(do func(*workspace.Workspace, context.Context, *identity.Caller, int64) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		err := do(s.Workspace, c.Request.Context(), gate.Caller(c), idOf(c))
		s.Done(c, err, at(idOf(c)), func(status int, p *problem.Problem) { s.show(c, status, idOf(c), typed{}, p) })
	}
}

func (s *Server) remove(c *gin.Context) {
	err := s.Workspace.RemoveErrand(c.Request.Context(), gate.Caller(c), idOf(c))
	to := "/deliveries"
	if c.PostForm("kind") == "alert" {
		to += "/alerts"
	}
	s.Done(c, err, to, func(status int, p *problem.Problem) { s.show(c, status, idOf(c), typed{}, p) })
}

// send has it be sent now, or tried.
func (s *Server) send(trial bool) gin.HandlerFunc {
	words := map[bool]string{true: "try", false: "send"}[trial]
	return func(c *gin.Context) {
		err := s.Workspace.DoErrand(c.Request.Context(), gate.Caller(c), idOf(c), trial)
		s.Done(c, err, at(idOf(c))+"?said="+words+"#history", func(status int, p *problem.Problem) { s.show(c, status, idOf(c), typed{}, p) })
	}
}

func (s *Server) addReceiver(c *gin.Context) {
	to := c.PostForm("whom")
	if typed := strings.TrimSpace(c.PostForm("address")); typed != "" {
		to = "address/" + typed
	} else if id := c.PostForm("channel"); id != "" {
		to = "channel/" + id
	}
	words, err := s.Workspace.AddReceiver(c.Request.Context(), gate.Caller(c), idOf(c), to)
	if p := problem.Of(err); p != nil {
		if p.Place == "" || p.Place == "whom" {
			p = problem.New(p.Code, "to", "%s", p.Words)
		}
		s.show(c, page.StatusOf(p), idOf(c), typed{}, p)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Set("said", words)
	s.show(c, http.StatusOK, idOf(c), typed{}, nil)
}

func (s *Server) endReceiver(c *gin.Context) {
	err := s.Workspace.RemoveReceiver(c.Request.Context(), gate.Caller(c), idOf(c), page.Number(c.PostForm("id")))
	s.Done(c, err, at(idOf(c)), func(status int, p *problem.Problem) { s.show(c, status, idOf(c), typed{}, p) })
}

// leaving asks whoever follows the link in a letter whether they want no more of it. Mail programs that read links
// before people do end nothing.
func (s *Server) leaving(c *gin.Context) {
	title, err := s.Workspace.Leaving(c.Request.Context(), c.Param("token"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Header("Referrer-Policy", "no-referrer")
	s.Page(c, http.StatusOK, "leave", "No more of it", gin.H{"What": title, "Bare": true})
}

// leave ends it, by a button or by a mail program (RFC 8058).
func (s *Server) leave(c *gin.Context) {
	title, err := s.Workspace.LeaveBy(c.Request.Context(), c.Param("token"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, http.StatusOK, "leave", "No more of it", gin.H{"What": title, "Left": true, "Bare": true})
}

// open lists what is delivered of a dashboard to whoever reads it.
func (s *Server) open(c *gin.Context) { s.showOpen(c, "") }

func (s *Server) showOpen(c *gin.Context, words string) {
	who := gate.Caller(c)
	all, o, err := s.Workspace.OpenTo(c.Request.Context(), who, c.Param("dashboard"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "open-deliveries", gin.H{"All": all, "Name": o.Name, "Author": who.Author, "Said": words})
}

// here signs somebody up where they read, or ends it.
func (s *Server) here(do func(*workspace.Workspace, context.Context, *identity.Caller, int64) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		if err := do(s.Workspace, c.Request.Context(), gate.Caller(c), page.Number(c.PostForm("id"))); err != nil {
			p := problem.Of(err)
			if p == nil {
				s.Fail(c, err)
				return
			}
			s.showOpen(c, p.Words)
			return
		}
		s.showOpen(c, "")
	}
}
