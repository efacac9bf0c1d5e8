package reading

import (
	"encoding/json"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dashboard"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// filterMenu renders the popover of a phrase of the reading line: of a filter, of a value that
// a formula takes ("=" and its name), or of the filters that a viewer may add ("+").
func (s *Server) filterMenu(c *gin.Context) {
	l, err := s.look(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	if typed := strings.TrimSpace(c.PostForm("typed")); typed != "" {
		set, err := l.Range(c.Param("filter"), typed)
		s.Respond(c, gin.H{"set": set}, err)
		return
	}
	var part string
	var data any
	switch name := c.Param("filter"); {
	case name == "+":
		part = "offered"
		data, err = offered(l, c.PostForm("page"), c.PostForm("only_in"))
	case strings.HasPrefix(name, "="):
		part = "setting"
		data, err = setting(l, name[1:])
	default:
		part, data, err = s.popover(c, l, name)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, part, data)
}

// offered are the filters that may be added to a page or, where one is named, set in one chart alone.
func offered(l *workspace.Look, page, widget string) (any, error) {
	if widget != "" {
		filters, err := l.OfferedIn(widget)
		return gin.H{"Filters": filters, "In": widget}, err
	}
	line, err := l.Line(page)
	if err != nil {
		return nil, err
	}
	return gin.H{"Filters": line.Offered}, nil
}

func setting(l *workspace.Look, name string) (any, error) {
	settings, err := l.Settings()
	if err != nil {
		return nil, err
	}
	for _, set := range settings {
		if set.Name == name {
			return set, nil
		}
	}
	return nil, problem.New(problem.NotFound, "filter", "The dashboard has no such value to set.")
}

// popover is the part that sets a filter, fitted to its kind, with what it shows. An author may
// set what it begins with to what the viewer brings along.
func (s *Server) popover(c *gin.Context, l *workspace.Look, name string) (part string, data gin.H, err error) {
	f := l.Doc.Filter(name)
	if f == nil || f.Shown == dashboard.Hidden && !drafted(c) {
		return "", nil, problem.New(problem.NotFound, "filter", "The dashboard has no such filter.")
	}
	data = gin.H{"Filter": f, "Set": f.Setting(l.State()), "Dashboard": l.Doc.Name}
	switch f.Kind {
	case dashboard.Dates:
		month, err := l.Month(name, c.PostForm("month"))
		if c.PostForm("only") == "month" {
			return "month", gin.H{"Month": month}, err
		}
		data["Ranges"], data["Units"], data["Month"] = ranges(f.Setting(l.State())), period.Units(), month
		return "dates", data, err
	case dashboard.Numbers:
		ds, field, p, err := l.Picture(f)
		if err != nil {
			return "", nil, err
		}
		if p != nil {
			data["Picture"] = page.NewProfileView(ds, p, s.Workspace.Calendar().Zone).Fields[field]
		}
		return "numbers", data, nil
	case dashboard.YesNo:
		return "yes-or-no", data, nil
	}
	if drafted(c) {
		data["Attributes"], _ = s.Workspace.Familiar(c.Request.Context(), gate.Caller(c))
	}
	data["Values"], err = l.Values(f.Name, c.PostForm("find"))
	if c.PostForm("only") == "list" {
		return "value-list", data, err
	}
	return "values", data, err
}

// A namedRange is a relative range that a menu offers.
type namedRange struct {
	Words  string
	JSON   string
	Chosen bool
}

// ranges are those that are offered; now is the one that is set.
func ranges(now *dashboard.Setting) (out []namedRange) {
	for _, r := range []period.Relative{
		{Named: "today"}, {Named: "this week"}, {Named: "last week"}, {Named: "this month"}, {Named: "last month"}, {Named: "this quarter"}, {Named: "this year"}, {Named: "last year"},
		{Last: 7, Unit: period.Day}, {Last: 30, Unit: period.Day}, {Last: 12, Unit: period.Week}, {Last: 12, Unit: period.Month}, {Last: 24, Unit: period.Month},
	} {
		b, _ := json.Marshal(r)
		out = append(out, namedRange{r.Words(nil), string(b), now != nil && now.Range != nil && *now.Range == r})
	}
	return out
}
