package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/live"
	"eskadel/store"
)

// document returns the dashboard that the caller may read: its published version, or
// for an author who asks for it the draft.
func (s *Server) document(c *gin.Context) (*dashboard.Document, int, error) {
	name := c.Param("dashboard")
	if !caller(c).MaySee(name) {
		return nil, 0, problem.New(problem.Forbidden, "", "Your viewer pass is not for this dashboard.")
	}
	read := func() (*store.Dashboard, bool, error) {
		kept, err := s.store.Dashboard(c.Request.Context(), name)
		return kept, true, err
	}
	var kept *store.Dashboard
	var err error
	if caller(c).Author {
		kept, _, err = read()
	} else {
		kept, err = s.moments.dashboards.get(name, always, read)
	}
	if err != nil {
		return nil, 0, err
	}
	if c.Query("draft") != "" || c.PostForm("draft") != "" {
		if !caller(c).Author {
			return nil, 0, problem.New(problem.Forbidden, "", "Drafts are for authors.")
		}
		s.building(c)
		d, err := dashboard.Read(kept.Draft)
		return d, 0, err
	}
	if kept.Published == 0 {
		return nil, 0, problem.New(problem.NotFound, "", "This dashboard has not been published yet.")
	}
	d, err := s.version(c, name, kept.Published)
	return d, kept.Published, err
}

// version reads a published document; it never changes, so it is kept once read.
func (s *Server) version(c *gin.Context, name string, number int) (*dashboard.Document, error) {
	key := name + "/" + strconv.Itoa(number)
	if d, ok := s.versions.Get(key); ok {
		return d, nil
	}
	v, err := s.store.Version(c.Request.Context(), name, number)
	if err != nil {
		return nil, err
	}
	d, err := dashboard.Read(v.Document)
	if err == nil {
		s.versions.Add(key, d)
	}
	return d, err
}

// view makes the view that a request is about, from its dashboard and posted state.
func (s *Server) view(c *gin.Context) (*live.View, error) {
	d, version, err := s.document(c)
	if err != nil {
		return nil, err
	}
	var state dashboard.State
	if posted := c.PostForm("state"); posted != "" {
		if err := problem.Decode([]byte(posted), &state); err != nil {
			return nil, problem.At("state", err)
		}
	}
	return s.engine.NewView(c.Request.Context(), d, version, caller(c).Viewer, state)
}

// sheet renders a page of a dashboard: the reading line and places for its widgets,
// or the place of one widget only.
func (s *Server) sheet(c *gin.Context) {
	v, err := s.view(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	data, err := sheetOf(c, v, c.PostForm("page"), c.PostForm("widget"))
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "sheet", data)
}

// sheetOf is what the part sheet shows.
func sheetOf(c *gin.Context, v *live.View, title, only string) (gin.H, error) {
	page, err := v.Doc.Page(title)
	if err != nil {
		return nil, err
	}
	widgets := page.Widgets
	if only != "" {
		w, err := v.Doc.Widget(only)
		if err != nil {
			return nil, err
		}
		one := *w
		one.At = [4]int{0, 0, 12, one.At[3]}
		widgets = []dashboard.Widget{one}
	}
	return gin.H{"Doc": v.Doc, "Page": page, "Widgets": widgets, "Single": only != "", "Records": caller(c).Author || v.Doc.Allows(dashboard.MaySeeRecords)}, nil
}

func (s *Server) line(c *gin.Context) {
	v, err := s.view(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	l, err := v.Line(c.PostForm("page"))
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "line", gin.H{"Line": l, "Dashboard": v.Doc.Name})
}

// asked answers the widget that a request names, or fails it.
func (s *Server) asked(c *gin.Context, parts live.Parts) (v *live.View, a *live.Answer, ok bool) {
	v, err := s.view(c)
	if err == nil {
		a, err = v.Widget(c.Param("widget"), parts)
	}
	if err != nil {
		s.fail(c, err)
	}
	return v, a, err == nil
}

// answer tells the chart editor, besides, the document as its form can carry it.
func (s *Server) answer(c *gin.Context, a *live.Answer, cut *chart.Document) {
	body, err := s.answered(c, a, cut)
	if err != nil {
		s.fail(c, err)
		return
	}
	c.JSON(http.StatusOK, body)
}

// answered is what a page is told of an answer.
func (s *Server) answered(c *gin.Context, a *live.Answer, cut *chart.Document) (gin.H, error) {
	if a.Open = s.hostAddress(c); a.Open == "" && caller(c).Author {
		a.Unlink() // no host app is registered that could open them
	}
	if a.Listed != nil {
		a.Listed.Host = s.pictureAddress(c)
		a.Listed.Open(a.Open)
	} else if a.Text != "" {
		a.Host = s.pictureAddress(c)
	}
	html, err := s.text("widget", a)
	return gin.H{"title": a.Title, "subtitle": a.Subtitle, "caption": a.Caption, "no_title": a.NoTitle, "form": a.Form, "sentence": a.Sentence, "notes": a.Notes, "fresh": a.Fresh, "live": a.Live, "drawing": a.Drawing, "whole": a.Whole, "nothing": a.Nothing, "html": html, "grain": a.Grain, "grains": a.Grains, "closer": a.Closer, "cut": cut}, err
}

// words says how a widget is worked out, what is left out and how fresh it is.
func (s *Server) words(c *gin.Context) {
	if v, a, ok := s.asked(c, live.Drawing|live.Figures); ok {
		s.part(c, http.StatusOK, "words", gin.H{"A": a, "File": a.Grid != nil && mayDownload(c, v.Doc), "Widget": c.Param("widget")})
	}
}

// mayDownload tells whether the caller may take figures of a dashboard away.
func mayDownload(c *gin.Context, d *dashboard.Document) bool {
	return caller(c).Author || d.Allows(dashboard.MayDownload)
}

// figuresFile answers with a widget's figures as comma-separated values.
func (s *Server) figuresFile(c *gin.Context) {
	v, err := s.view(c)
	if err == nil && !mayDownload(c, v.Doc) {
		err = problem.New(problem.Forbidden, "", "The author of this dashboard does not let its figures be taken away.")
	}
	var a *live.Answer
	if err == nil {
		a, err = v.Widget(c.Param("widget"), live.Figures)
	}
	if err == nil && a.Grid == nil {
		err = problem.New(problem.NotFound, "widget", "This widget has no table of figures.")
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	if c.PostForm("totals") == "no" {
		a.Grid = a.Grid.WithoutTotals()
	}
	s.csv(c, slug(a.Title), a.Grid)
}

// csv sends a table as a file.
func (s *Server) csv(c *gin.Context, name string, g *chart.Grid) {
	var b bytes.Buffer
	if err := g.WriteCSV(&b); err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="`+name+`.csv"`)
	c.Data(http.StatusOK, "text/csv; charset=utf-8", b.Bytes())
}

// mark reads which mark's records are asked for.
func mark(c *gin.Context) (ref query.Reference, words, sort string, page int, down bool, err error) {
	if posted := c.PostForm("mark"); posted != "" {
		err = problem.At("mark", problem.Decode([]byte(posted), &ref))
	}
	page, _ = strconv.Atoi(c.PostForm("number"))
	return ref, c.PostForm("words"), c.PostForm("sort"), page, c.PostForm("down") != "", err
}

func (s *Server) recordsPage(c *gin.Context) (*live.Page, error) {
	v, err := s.view(c)
	if err != nil {
		return nil, err
	}
	if !caller(c).Author && !v.Doc.Allows(dashboard.MaySeeRecords) {
		return nil, problem.New(problem.Forbidden, "", "The author of this dashboard does not show single records.")
	}
	ref, words, sort, page, down, err := mark(c)
	if err != nil {
		return nil, err
	}
	return v.Records(c.Param("widget"), ref, words, page, sort, down)
}

func (s *Server) records(c *gin.Context) {
	p, err := s.recordsPage(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.drawer(c, p, "/view/"+c.Param("dashboard")+"/widgets/"+c.Param("widget")+"/records")
}

func (s *Server) drawer(c *gin.Context, p *live.Page, address string) {
	host := s.hostAddress(c)
	if host == "" && caller(c).Author {
		p.Unlink()
	}
	s.part(c, http.StatusOK, "records", gin.H{"Page": p, "Address": address, "Mark": c.PostForm("mark"), "Words": c.PostForm("words"), "State": c.PostForm("state"), "Host": host, "Draft": c.PostForm("draft"), "Document": c.PostForm("document")})
}

// hostAddress is what comes before a record's path: nothing for a viewer in a frame,
// whose host app opens the record itself.
func (s *Server) hostAddress(c *gin.Context) string {
	if !caller(c).Author {
		return ""
	}
	return s.pictureAddress(c)
}

// pictureAddress is what comes before the path of a picture, which the host app serves:
// for a viewer in a frame the one that vouches for them.
func (s *Server) pictureAddress(c *gin.Context) string {
	if name := caller(c).HostApp; name != "" {
		if app, err := s.store.HostApp(c.Request.Context(), name); err == nil {
			return app.Address
		}
	}
	apps, err := s.store.HostApps(c.Request.Context())
	if err != nil || len(apps) == 0 {
		return ""
	}
	return apps[0].Address
}

// pictured lets a page show pictures of the host apps.
func (s *Server) pictured(c *gin.Context, frames string) {
	apps, _ := s.store.HostApps(c.Request.Context())
	var from []string
	for _, app := range apps {
		from = append(from, app.Address)
	}
	c.Header("Content-Security-Policy", policy(frames, from...))
}

// withPictures is for pages of Eskadel's own that show pictures of the host apps.
func (s *Server) withPictures(c *gin.Context) { s.pictured(c, "'none'") }

// filterMenu renders the popover of a filter's phrase.
func (s *Server) filterMenu(c *gin.Context) {
	v, err := s.view(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	if name, ok := strings.CutPrefix(c.Param("filter"), "="); ok {
		settings, err := v.Settings()
		for _, set := range settings {
			if set.Name == name {
				s.part(c, http.StatusOK, "setting", set)
				return
			}
		}
		if err != nil {
			s.fail(c, err)
			return
		}
	}
	for _, f := range v.Doc.Filters {
		if f.Name != c.Param("filter") {
			continue
		}
		if f.IsDate() {
			s.part(c, http.StatusOK, "dates", gin.H{"Filter": f, "Ranges": ranges(), "Set": f.Setting(v.State)})
			return
		}
		if f.Kind == dashboard.Numbers || f.Kind == dashboard.YesNo {
			s.part(c, http.StatusOK, map[string]string{dashboard.Numbers: "numbers", dashboard.YesNo: "yes-or-no"}[f.Kind], gin.H{"Filter": f, "Set": f.Setting(v.State)})
			return
		}
		values, err := v.Values(f.Name, c.PostForm("find"))
		if err != nil {
			s.fail(c, err)
			return
		}
		name := "values"
		if c.PostForm("only") == "list" {
			name = "value-list"
		}
		s.part(c, http.StatusOK, name, gin.H{"Filter": f, "Values": values, "Dashboard": v.Doc.Name})
		return
	}
	s.fail(c, problem.New(problem.NotFound, "filter", "The dashboard has no such filter."))
}

// A namedRange is a relative range that a menu offers.
type namedRange struct {
	Words string
	JSON  string
}

func ranges() (out []namedRange) {
	for _, r := range []period.Relative{
		{Named: "today"}, {Named: "this week"}, {Named: "last week"}, {Named: "this month"}, {Named: "last month"}, {Named: "this quarter"}, {Named: "this year"}, {Named: "last year"},
		{Last: 7, Unit: period.Day}, {Last: 30, Unit: period.Day}, {Last: 12, Unit: period.Week}, {Last: 12, Unit: period.Month}, {Last: 24, Unit: period.Month},
	} {
		b, _ := json.Marshal(r)
		out = append(out, namedRange{r.Words(), string(b)})
	}
	return out
}

// How often a stream looks whether whoever listens still may, and in how many seconds it
// says something even if nothing changes.
const (
	lookEvery  = 4 * time.Second
	pulseEvery = 20
)

// liveStream tells a page which of its widgets have changed, as server-sent events over
// a fetch. Events are at least a second apart; what happens between is told together.
func (s *Server) liveStream(c *gin.Context) {
	v, err := s.view(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	widgets := v.Doc.Widgets()
	depends, concerns, err := v.Tables(widgets)
	if err != nil {
		s.fail(c, err)
		return
	}
	sub := s.engine.Hub.Subscribe(concerns)
	defer sub.Close()
	end := s.streams.begin(caller(c).ID, c.ClientIP())
	if end == nil {
		s.fail(c, problem.New(problem.TooMany, "", "Too many pages are open: this one is not told of changes. Close some of the others, and load it again."))
		return
	}
	defer end()
	c.Header("Content-Type", "text/event-stream")
	c.Header("X-Accel-Buffering", "no")
	send := func(event string, data any) bool {
		b, _ := json.Marshal(data)
		_ = connection(c).SetWriteDeadline(time.Now().Add(bodyTime))
		_, err := fmt.Fprintf(c.Writer, "event: %s\ndata: %s\n\n", event, b)
		c.Writer.Flush()
		return err == nil
	}
	if !send("ready", gin.H{}) {
		return
	}
	// A frame's stay is over when its token is; the page then comes back with a new one.
	over := time.NewTimer(time.Until(caller(c).Expires))
	defer over.Stop()
	look := time.NewTicker(lookEvery)
	defer look.Stop()
	quiet := 0
	for {
		select {
		case <-c.Request.Context().Done():
			return
		case <-over.C:
			return
		case <-look.C:
			if alive, err := caller(c).Alive(c.Request.Context(), s.store); err == nil && !alive {
				return // ended meanwhile: the page asks again and is told so
			}
			if quiet++; quiet*int(lookEvery.Seconds()) >= pulseEvery {
				if quiet = 0; !send("pulse", gin.H{}) {
					return
				}
			}
			continue
		case <-sub.C():
		}
		e := sub.Take()
		changed := []string{}
		for _, w := range widgets {
			for t := range depends[w.ID] {
				if e.Tables[t] {
					changed = append(changed, w.ID)
					break
				}
			}
		}
		if !send("changed", gin.H{"widgets": changed, "lost": e.Lost}) {
			return
		}
		select {
		case <-c.Request.Context().Done():
			return
		case <-time.After(time.Second):
		}
	}
}
