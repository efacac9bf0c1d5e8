// Package reading is dashboards as they are read: by people in Eskadel, and by viewers in frames of their host app.
package reading

import (
	"embed"
	"html/template"
	"net/http"

	"github.com/gin-gonic/gin"

	"eskadel/rights"
	"eskadel/web/gate"
	"eskadel/web/page"
)

//go:embed *.html *.css *.js tag
var files embed.FS

// Area is what the pages consist of.
var Area = page.Area{Name: "reading", Files: files, Modules: []string{"frame.js", "frame-problem.js", "tag/eskadel.js", "reading.js", "printed.js", "open.js", "as.js", "viewing.js"}, Scripts: []string{"tag/embed.js"}, Functions: template.FuncMap{"oneSide": oneSide}}

// A Server answers for this area.
type Server struct {
	*page.Server
	streams gate.Streams
	answers *brief[*sent] // as they are sent to viewers in frames
}

// New returns the area of a server.
func New(s *page.Server) *Server { return &Server{Server: s, answers: newBrief[*sent](1000)} }

// Routes are the addresses of the area.
func (s *Server) Routes() []gate.Route {
	const get, post = http.MethodGet, http.MethodPost
	return []gate.Route{
		{Method: get, Path: "/embed.js", Right: rights.Open, Handle: s.tag("tag/embed.js"), Plain: true},
		{Method: get, Path: "/eskadel.js", Right: rights.Open, Handle: s.tag("tag/eskadel.js"), Plain: true},
		{Method: get, Path: "/eskadel.d.ts", Right: rights.Open, Handle: s.tag("tag/eskadel.d.ts"), Plain: true},
		{Method: get, Path: "/embed/:app/:dashboard", Right: rights.Open, Handle: s.frame},
		{Method: post, Path: "/embed/:app/:dashboard/session", Right: rights.Open, Handle: s.frameSession},
		{Method: get, Path: "/view/:dashboard/live", Right: rights.See, Handle: s.liveStream, Plain: true},
		{Method: post, Path: "/view/:dashboard/sheet", Right: rights.See, Handle: s.sheet},
		{Method: post, Path: "/view/:dashboard/look", Right: rights.See, Handle: s.placed},
		{Method: post, Path: "/view/:dashboard/line", Right: rights.See, Handle: s.line},
		{Method: post, Path: "/view/:dashboard/keep", Right: rights.See, Handle: s.keep},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/mark", Right: rights.See, Handle: s.markMenu},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/proof", Right: rights.Records, Handle: s.proof},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/proof.json", Right: rights.Records, Handle: s.proofFile},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/why", Right: rights.See, Handle: s.why},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/why/records", Right: rights.Records, Handle: s.whyRecords},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/go", Right: rights.See, Handle: s.follow},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/record", Right: rights.Change, Handle: s.record},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/change", Right: rights.Change, Handle: s.change},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/change/field", Right: rights.Change, Handle: s.changeField},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/change/undo", Right: rights.Change, Handle: s.undoChange},
		{Method: post, Path: "/view/:dashboard/filters/:filter", Right: rights.OwnFilters, Handle: s.filterMenu},
		{Method: post, Path: "/view/:dashboard/ask", Right: rights.Ask, Handle: s.ask},
		{Method: post, Path: "/view/:dashboard/ask/answer", Right: rights.Ask, Handle: s.askAnswer},
		{Method: post, Path: "/view/:dashboard/ask/records", Right: rights.Records, Handle: s.askRecords},
		{Method: post, Path: "/view/:dashboard/widgets/:widget", Right: rights.See, Handle: s.widget, Packed: true},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/words", Right: rights.See, Handle: s.words},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/finding", Right: rights.Make, Handle: s.finding},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/figures.file", Right: rights.TakeAway, Handle: s.figuresFile},
		{Method: post, Path: "/view/:dashboard/take", Right: rights.TakeAway, Handle: s.takePage},
		{Method: post, Path: "/view/:dashboard/print", Right: rights.TakeAway, Handle: s.print, Plain: true},
		{Method: get, Path: "/print/:ticket", Right: rights.Open, Handle: s.printed, Pictures: true},
		{Method: post, Path: "/view/:dashboard/figures.file", Right: rights.TakeAway, Handle: s.pageFile},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/take", Right: rights.TakeAway, Handle: s.take},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/picture", Right: rights.TakeAway, Handle: s.picture},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/records.file", Right: rights.TakeAway, Handle: s.recordsFile, Plain: true},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/records", Right: rights.Records, Handle: s.records},
		{Method: get, Path: "/dashboards/:dashboard/pass-on", Right: rights.Make, Handle: s.passingPage},
		{Method: post, Path: "/dashboards/:dashboard/pass-on/look", Right: rights.Make, Handle: func(c *gin.Context) { s.showPassing(c, c.PostForm("whom"), passed{status: http.StatusOK}) }},
		{Method: post, Path: "/dashboards/:dashboard/pass-on", Right: rights.Make, Handle: s.passOn},
		{Method: post, Path: "/dashboards/:dashboard/pass-on/let", Right: rights.Share, Handle: s.letSee},
		{Method: post, Path: "/dashboards/:dashboard/pass-on/ask", Right: rights.Make, Handle: s.askFor},
		{Method: post, Path: "/dashboards/:dashboard/pass-on/links", Right: rights.Share, Handle: s.makeLink},
		{Method: post, Path: "/dashboards/:dashboard/pass-on/links/end", Right: rights.Share, Handle: s.endLink},
		{Method: get, Path: "/dashboards/:dashboard/as", Right: rights.Build, Handle: s.viewAs},
		{Method: get, Path: "/dashboards/:dashboard/as/frame", Right: rights.Build, Handle: s.asFrame},
		{Method: get, Path: "/open/:token", Right: rights.Open, Handle: s.open},
		{Method: post, Path: "/open/:token/session", Right: rights.Open, Handle: s.openSession},
		{Method: get, Path: "/dashboards/:dashboard", Right: rights.Make, Handle: s.reading, Pictures: true},
	}
}
