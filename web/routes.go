package web

import (
	"net/http"
	"strings"

	"github.com/gin-contrib/gzip"
	"github.com/gin-gonic/gin"

	"eskadel/rights"
	"eskadel/web/api"
	"eskadel/web/gate"
	"eskadel/workspace"
)

// A Route is an address with the line of the table of rights that it needs.
type Route = api.Route

// table is every route there is, the API's with the others. A test walks it with every kind
// of caller; what is not in it is not served.
func (s *Server) table() []Route {
	const get, post = http.MethodGet, http.MethodPost
	routes := []Route{
		// Anybody.
		{Method: get, Path: "/static/*path", Right: rights.Open, Handle: s.asset, Plain: true},
		{Method: get, Path: "/embed.js", Right: rights.Open, Handle: s.embedScript, Plain: true},
		{Method: get, Path: "/embed/:app/:dashboard", Right: rights.Open, Handle: s.frame},
		{Method: post, Path: "/embed/:app/:dashboard/session", Right: rights.Open, Handle: s.frameSession},
		{Method: get, Path: "/health", Right: rights.Open, Handle: s.health},
		{Method: get, Path: "/ready", Right: rights.Open, Handle: s.ready},
		{Method: get, Path: "/sign-in", Right: rights.Open, Handle: s.signInPage},
		{Method: post, Path: "/sign-in", Right: rights.Open, Handle: s.signIn},

		// Whoever may see a dashboard: people signed in, and viewers in frames.
		{Method: get, Path: "/view/:dashboard/live", Right: rights.See, Handle: s.liveStream, Plain: true},
		{Method: post, Path: "/view/:dashboard/sheet", Right: rights.See, Handle: s.sheet},
		{Method: post, Path: "/view/:dashboard/line", Right: rights.See, Handle: s.line},
		{Method: post, Path: "/view/:dashboard/filters/:filter", Right: rights.OwnFilters, Handle: s.filterMenu},
		{Method: post, Path: "/view/:dashboard/widgets/:widget", Right: rights.See, Handle: s.widget, Packed: true},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/words", Right: rights.See, Handle: s.words},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/figures.csv", Right: rights.TakeAway, Handle: s.figuresFile},
		{Method: post, Path: "/view/:dashboard/widgets/:widget/records", Right: rights.Records, Handle: s.records},

		// People signed in to Eskadel.
		{Method: get, Path: "/", Right: rights.Make, Handle: s.home},
		{Method: get, Path: "/home/list", Right: rights.Make, Handle: s.homeList},
		{Method: get, Path: "/dashboards", Right: rights.Make, Handle: s.home},
		{Method: post, Path: "/dashboards", Right: rights.Make, Handle: s.newDashboard},
		{Method: get, Path: "/dashboards/:dashboard", Right: rights.Make, Handle: s.reading, Pictures: true},
		{Method: get, Path: "/dashboards/:dashboard/edit", Right: rights.Edit, Handle: s.editing, Pictures: true},
		{Method: get, Path: "/dashboards/:dashboard/history", Right: rights.Edit, Handle: s.dashboardHistory},
		{Method: post, Path: "/dashboards/:dashboard/back", Right: rights.Edit, Handle: s.goBack(workspace.Dashboard, "dashboard", "/dashboards/")},
		{Method: post, Path: "/dashboards/:dashboard/draft", Right: rights.Edit, Handle: s.saveDraft},
		{Method: post, Path: "/dashboards/:dashboard/add", Right: rights.Edit, Handle: s.addWidget},
		{Method: post, Path: "/dashboards/:dashboard/widgets/:widget/own", Right: rights.Edit, Handle: s.ownCopy},
		{Method: post, Path: "/dashboards/:dashboard/publish", Right: rights.Publish, Handle: s.publish},
		{Method: post, Path: "/dashboards/:dashboard/remove", Right: rights.Edit, Handle: s.removeDashboard},
		{Method: get, Path: "/charts", Right: rights.Make, Handle: s.library},
		{Method: get, Path: "/charts/forms", Right: rights.Make, Handle: s.forms, Pictures: true},
		{Method: get, Path: "/charts/edit", Right: rights.Make, Handle: s.chartEditor, Pictures: true},
		{Method: post, Path: "/charts/menu", Right: rights.Make, Handle: s.chartMenu},
		{Method: post, Path: "/charts/finish", Right: rights.Make, Handle: s.chartFinish},
		{Method: post, Path: "/charts/change", Right: rights.Make, Handle: s.chartChange},
		{Method: post, Path: "/charts/answer", Right: rights.Make, Handle: s.chartAnswer},
		{Method: post, Path: "/charts/records", Right: rights.Make, Handle: s.chartRecords},
		{Method: post, Path: "/charts/place", Right: rights.Make, Handle: s.chartPlace},
		{Method: post, Path: "/charts/library/:chart/publish", Right: rights.Publish, Handle: s.chartPublish},
		{Method: post, Path: "/charts/library/:chart/back", Right: rights.Edit, Handle: s.goBack(workspace.Chart, "chart", "/charts/edit?at=library/")},
		{Method: post, Path: "/charts/library/:chart/remove", Right: rights.Edit, Handle: s.chartRemove},
		{Method: post, Path: "/sign-out", Right: rights.Make, Handle: s.signOut},

		// Whoever may make something of a dataset.
		{Method: get, Path: "/data", Right: rights.Use, Handle: s.data},
		{Method: get, Path: "/data/datasets/:dataset", Right: rights.Use, Handle: s.dataset},
		{Method: get, Path: "/data/datasets/:dataset/profile", Right: rights.Use, Handle: s.datasetProfile},
		{Method: get, Path: "/data/datasets/:dataset/export", Right: rights.Use, Handle: s.exportDataset},
		{Method: get, Path: "/data/datasets/:dataset/fields/:field", Right: rights.Use, Handle: s.fieldPage},
		{Method: get, Path: "/data/datasets/:dataset/values", Right: rights.Use, Handle: s.conditionValues},
		{Method: post, Path: "/data/datasets/:dataset/condition", Right: rights.Use, Handle: s.conditionWords},
		{Method: post, Path: "/data/datasets/:dataset/formula", Right: rights.Use, Handle: s.formulaTrial},
		{Method: get, Path: "/data/datasets/:dataset/formula/help", Right: rights.Use, Handle: s.formulaHelp},
		{Method: post, Path: "/data/datasets/:dataset/odd", Right: rights.Use, Handle: s.oddRecords},

		// Builders: sources, datasets, rules, files, settings.
		{Method: post, Path: "/data/sources", Right: rights.Build, Handle: s.addSource},
		{Method: get, Path: "/data/sources/:source", Right: rights.Build, Handle: s.sourceTables},
		{Method: get, Path: "/data/sources/:source/tables/:table", Right: rights.Build, Handle: s.tablePreview},
		{Method: post, Path: "/data/sources/:source/tables/:table", Right: rights.Build, Handle: s.makeDataset},
		{Method: post, Path: "/data/sources/:source/tables/:table/rules", Right: rights.Build, Handle: s.saveTableRules},
		{Method: post, Path: "/data/sources/:source/tables/:table/rules/back", Right: rights.Build, Handle: s.putBackRules},
		{Method: post, Path: "/data/sources/:source/remove", Right: rights.Build, Handle: s.removeSource},
		{Method: post, Path: "/data/sources/:source/authors", Right: rights.Build, Handle: s.sourceAuthors},
		{Method: post, Path: "/data/sources/:source/refresh", Right: rights.Build, Handle: s.refreshSource},
		{Method: post, Path: "/data/sources/:source/rules", Right: rights.Build, Handle: s.saveRules},
		{Method: get, Path: "/data/sources/:source/new", Right: rights.Build, Handle: s.newDataset},
		{Method: post, Path: "/data/sources/:source/new", Right: rights.Build, Handle: s.createDataset},
		{Method: post, Path: "/data/datasets/:dataset", Right: rights.Build, Handle: s.saveDataset},
		{Method: post, Path: "/data/datasets/:dataset/back", Right: rights.Build, Handle: s.goBack(workspace.Dataset, "dataset", "/data/datasets/")},
		{Method: post, Path: "/data/datasets/:dataset/remove", Right: rights.Build, Handle: s.removeDataset},
		{Method: post, Path: "/data/datasets/:dataset/fields/:field", Right: rights.Build, Handle: s.saveField},
		{Method: post, Path: "/data/datasets/:dataset/view-as", Right: rights.Build, Handle: s.viewAs},
		{Method: post, Path: "/data/files/table/:file", Right: rights.Build, Handle: s.changeFile},
		{Method: post, Path: "/data/files/upload", Right: rights.Build, Handle: s.upload, Streamed: true},
		{Method: post, Path: "/data/files/look", Right: rights.Build, Handle: s.lookAtFile, Streamed: true},
		{Method: get, Path: "/data/workspace", Right: rights.Build, Handle: s.settings},
		{Method: post, Path: "/data/workspace", Right: rights.Build, Handle: s.saveSettings},
		{Method: post, Path: "/data/workspace/back", Right: rights.Build, Handle: s.putBackSettings},

		// People and host apps.
		{Method: get, Path: "/people", Right: rights.Make, Handle: s.people},
		{Method: post, Path: "/people", Right: rights.Administer, Handle: s.savePerson},
		{Method: post, Path: "/people/keys", Right: rights.Keys, Handle: s.addKey},
		{Method: post, Path: "/people/keys/remove", Right: rights.Keys, Handle: s.removeKey},
		{Method: post, Path: "/people/hosts", Right: rights.Administer, Handle: s.saveHost},
		{Method: post, Path: "/people/hosts/remove", Right: rights.Administer, Handle: s.removeHost},
		{Method: post, Path: "/people/hosts/keys", Right: rights.Administer, Handle: s.addHostKey},
		{Method: post, Path: "/people/hosts/end", Right: rights.Administer, Handle: s.endHostKey},
		{Method: post, Path: "/people/viewers/end", Right: rights.Administer, Handle: s.endViewer},
		{Method: post, Path: "/people/viewers/admit", Right: rights.Administer, Handle: s.admitViewer},
		{Method: get, Path: "/profile/:profile", Right: rights.Administer, Handle: s.profile, Plain: true},
	}
	return append(routes, s.api.Routes()...)
}

// serve gives every route of the table to the router, with what it has to pass first, and
// answers OPTIONS and unknown methods of each address.
func (s *Server) serve() {
	r, g := s.router, s.gate
	r.Use(g.Recover, gate.Logged, gate.Timed, g.Secured)
	packed := gzip.Gzip(gzip.BestSpeed)
	methods := map[string][]string{}
	for _, route := range s.routes {
		var pass []gin.HandlerFunc
		if !route.Plain && !route.Packed {
			pass = append(pass, packed)
		}
		may := func(c *gin.Context) {
			who := gate.Caller(c)
			err := rights.Ever(who, route.Right)
			if name := c.Param("dashboard"); err == nil && name != "" && rights.Of(who) == rights.Viewer {
				err = rights.May(who, rights.See, rights.Thing{Dashboard: name})
			}
			if err != nil {
				g.Fail(c, err)
			}
		}
		switch {
		case route.Right == rights.Open:
			pass = append(pass, g.Whole(gate.MostUnknown))
		case route.Streamed:
			// Files are read as they come; who sends them is known by then.
			pass = append(pass, g.Known, g.FromPage, may, gate.Streamed)
		default:
			pass = append(pass, g.Known, may, g.Whole(gate.MostKnown), g.FromPage)
		}
		if route.Pictures {
			pass = append(pass, s.withPictures)
		}
		pass = append(pass, route.Handle)
		r.Handle(route.Method, route.Path, pass...)
		methods[route.Path] = append(methods[route.Path], route.Method)
		if route.Method == http.MethodGet && route.Path != "/view/:dashboard/live" {
			r.Handle(http.MethodHead, route.Path, pass...)
			methods[route.Path] = append(methods[route.Path], http.MethodHead)
		}
	}
	for path, known := range methods {
		allow := strings.Join(append(known, http.MethodOptions), ", ")
		r.OPTIONS(path, func(c *gin.Context) {
			c.Header("Allow", allow)
			c.Status(http.StatusNoContent)
		})
	}
	r.HandleMethodNotAllowed = true
	r.NoMethod(g.NoMethod)
	r.NoRoute(func(c *gin.Context) { g.Fail(c, nothingHere) })
}
