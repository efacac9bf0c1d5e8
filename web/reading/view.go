package reading

import (
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/dashboard"
	"eskadel/core/field"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/theme"
	"eskadel/deliver/sheet"
	"eskadel/view"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// drafted tells whether a request is about the draft.
func drafted(c *gin.Context) bool { return c.Query("draft") != "" || c.PostForm("draft") != "" }

// look is what a request is about: its dashboard in the posted state.
func (s *Server) look(c *gin.Context) (*workspace.Look, error) {
	var state dashboard.State
	if posted := c.PostForm("state"); posted != "" {
		if err := problem.Decode([]byte(posted), &state); err != nil {
			return nil, problem.At("state", err)
		}
	}
	if state.Page == "" {
		state.Page = c.PostForm("page")
	}
	if version, err := strconv.Atoi(c.PostForm("version")); err == nil && version > 0 {
		return s.Workspace.LookAtVersion(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), version, state)
	}
	return s.Workspace.Look(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), drafted(c), state)
}

// sheet renders a page of a dashboard: the reading line and places for its widgets,
// or the place of one widget only.
func (s *Server) sheet(c *gin.Context) {
	l, err := s.look(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	place, err := theme.ReadPlace(c.PostForm("look"))
	var data gin.H
	if err == nil {
		data, err = s.sheetOf(c, l, c.PostForm("page"), c.PostForm("widget"), l.Doc.Theme.In(place))
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "sheet", data)
}

// sheetOf is what the part sheet shows, looking as in its place.
func (s *Server) sheetOf(c *gin.Context, v *workspace.Look, title, only string, placed theme.Placed) (gin.H, error) {
	page, err := v.Doc.Page(title)
	if err != nil {
		return nil, err
	}
	widgets := page.InOrder()
	if only != "" {
		w, err := v.Doc.Widget(only)
		if err != nil {
			return nil, err
		}
		one := *w
		one.At = [4]int{0, 0, 12, one.At[3]}
		widgets = []dashboard.Widget{one}
	}
	return gin.H{"Doc": v.Doc, "Page": page, "Look": placed.CSS, "Widgets": widgets, "Narrow": page.Narrow(), "Single": only != "", "Records": v.MayRecords(), "Takes": v.MayTakeAway(), "Mails": v.MaySubscribe(), "Freezes": v.MayFreeze() && v.MayTakeAway(), "Narrows": v.MayNarrow(), "Ask": only == "" && v.MayAsk(), "Host": s.PictureAddress(c)}, nil
}

func (s *Server) line(c *gin.Context) {
	v, err := s.look(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	l, err := v.Line(c.PostForm("page"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "line", gin.H{"Line": l, "Dashboard": v.Doc.Name})
}

// asked answers the widget that a request names, or fails it.
func (s *Server) asked(c *gin.Context, parts view.Parts) (v *workspace.Look, a *view.Answer, ok bool) {
	v, err := s.look(c)
	if err == nil {
		a, err = v.Widget(c.Param("widget"), parts)
	}
	if err != nil {
		s.Fail(c, err)
	}
	return v, a, err == nil
}

// words says how a widget is worked out, what is left out and how fresh it is.
func (s *Server) words(c *gin.Context) {
	if v, a, ok := s.asked(c, view.Drawing|view.Figures); ok {
		s.Part(c, http.StatusOK, "words", gin.H{"A": a, "Takes": v.MayTakeAway() && (a.Drawing != nil || a.Grid != nil), "Keep": v.MayKeep() && a.Form != "text", "Widget": c.Param("widget"), "Watch": watchAddress(c, v, a)})
	}
}

// watchAddress is where an alert on a widget is begun; "" where nobody may.
func watchAddress(c *gin.Context, l *workspace.Look, a *view.Answer) string {
	if !gate.Caller(c).Author || gate.Caller(c).Looking != nil || !l.MaySubscribe() || a.Form == "text" {
		return ""
	}
	at := url.Values{"dashboard": {l.Doc.Name}, "widget": {c.Param("widget")}}
	for _, p := range l.Doc.Pages {
		if slices.ContainsFunc(p.Widgets, func(w dashboard.Widget) bool { return w.ID == c.Param("widget") }) {
			at.Set("page", p.Title)
		}
	}
	return "/deliveries/alerts/new?" + at.Encode()
}

// take offers how a widget can be taken away.
func (s *Server) take(c *gin.Context) {
	if l, a, ok := s.asked(c, view.Drawing|view.Figures); ok {
		s.Part(c, http.StatusOK, "take", gin.H{"Freezes": l.MayFreeze(), "Widget": c.Param("widget"), "A": a, "Files": sheet.Kinds, "At": "/view/" + c.Param("dashboard") + "/widgets/" + c.Param("widget") + "/"})
	}
}

// finding keeps what a widget shows now by a name, or the records behind one of its marks.
func (s *Server) finding(c *gin.Context) {
	l, err := s.look(c)
	var kept workspace.Standing
	switch {
	case err != nil:
	case c.PostForm("mark") != "":
		var ref marks.Reference
		if ref, _, err = page.MarkOf(c); err == nil {
			kept, err = l.FindRecords(c.Param("widget"), ref, c.PostForm("name"))
		}
	default:
		kept, err = l.Find(c.Param("widget"), c.PostForm("name"))
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "found", kept)
}

// figuresFile answers with a widget's figures as a file.
func (s *Server) figuresFile(c *gin.Context) {
	l, err := s.look(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Figures(c, "", func(kind string) ([]*view.Leaving, error) {
		one, err := l.Figures(c.Param("widget"), c.PostForm("totals") != "no", kind)
		return []*view.Leaving{one}, err
	})
}

// pageFile answers with the figures of a page's widgets as a file with a sheet for each.
func (s *Server) pageFile(c *gin.Context) {
	l, err := s.look(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Figures(c, l.Doc.Title, func(kind string) ([]*view.Leaving, error) {
		return l.PageFigures(c.PostForm("page"), c.PostFormArray("widget"), c.PostForm("totals") != "no", kind)
	})
}

// takePage offers how a page can be taken away.
func (s *Server) takePage(c *gin.Context) {
	l, err := s.look(c)
	var widgets []view.Called
	if err == nil {
		widgets, err = l.Figured(c.PostForm("page"))
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "take-page", gin.H{"Widgets": widgets, "Print": papers(l.Doc, c.PostForm("page")), "CannotPrint": problem.Of(s.Printer.Ready()), "At": "/view/" + c.Param("dashboard") + "/"})
}

// picture answers with a picture of a widget.
func (s *Server) picture(c *gin.Context) {
	l, err := s.look(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Picture(c, func(kind string) (*view.Leaving, error) { return l.Pictured(c.Param("widget"), kind) })
}

func (s *Server) records(c *gin.Context) {
	ref, paging, err := page.MarkOf(c)
	var l *workspace.Look
	if err == nil {
		l, err = s.look(c)
	}
	var p *view.Page
	if err == nil {
		p, err = l.Records(c.Param("widget"), ref, paging)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	keep := ""
	if l.MayKeep() {
		keep = c.Param("widget")
	}
	at := "/view/" + c.Param("dashboard") + "/widgets/" + c.Param("widget")
	file := ""
	if l.MayTakeAway() {
		file = at + "/records.file"
	}
	s.Proven(c, p, at+"/records", keep, at+"/proof", file)
}

// recordsFile sends the records behind a mark as a file, as they are listed.
func (s *Server) recordsFile(c *gin.Context) {
	ref, paging, err := page.MarkOf(c)
	var l *workspace.Look
	if err == nil {
		l, err = s.look(c)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Records(c, func(kind string) sheet.Source {
		return func(begin func(*view.Filed) error, each func([]field.Value) error) error {
			return l.RecordsFile(c.Param("widget"), ref, paging, kind, begin, each)
		}
	})
}

// reading is the page of a dashboard or, for those who may change it, of its draft.
func (s *Server) reading(c *gin.Context) {
	ctx, who, name := c.Request.Context(), gate.Caller(c), c.Param("dashboard")
	draft := c.Query("draft") != ""
	var o *workspace.Opened
	var err error
	if draft {
		o, err = s.Workspace.Changing(ctx, who, name)
	} else if o, err = s.Workspace.Dashboard(ctx, who, name, false); problem.Is(err, problem.NotFound) {
		// What has not been published yet is only worked on.
		if draft, e := s.Workspace.Changing(ctx, who, name); e == nil && draft.Published == 0 {
			c.Redirect(http.StatusSeeOther, "/dashboards/"+draft.Name+"/edit")
			return
		}
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	o.Note(ctx, s.Workspace, who)
	data := gin.H{"Doc": o.Doc, "Kept": o.Standing, "PageTitle": c.Query("page"), "May": o.May, "Draft": draft}
	if id := c.Query("view"); id != "" {
		if data["State"], data["Lost"], err = s.Workspace.ViewOf(ctx, who, o, id); err != nil {
			s.Fail(c, err)
			return
		}
	}
	data["Back"] = s.back(c)
	s.Page(c, http.StatusOK, "reading", o.Doc.Title, data)
}
