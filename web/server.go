// Package web is what browsers and programs talk to: pages, parts of pages, frames and
// the HTTP API. A handler reads and checks input, calls one thing and renders; rules,
// numbers and labels come from core through live.
package web

import (
	"embed"
	"io/fs"
	"net/http"
	"net/netip"
	"strings"

	"github.com/gin-contrib/gzip"
	"github.com/gin-gonic/gin"
	lru "github.com/hashicorp/golang-lru/v2"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/live"
	"eskadel/store"
	"eskadel/uploads"
)

//go:embed static templates openapi.yaml schemas
var shipped embed.FS

// A Server serves one workspace.
type Server struct {
	store  *store.Store
	engine *live.Engine
	pages  *pages
	assets *assets
	// versions keeps published documents, which are read only.
	versions *lru.Cache[string, *dashboard.Document]
	router   *gin.Engine
	files    *uploads.Uploads
	streams  streams
	moments  moments
	proxies  []netip.Prefix // that stand before the server and say who asks
}

// New returns a server over a store and an engine; u takes files, and is nil where there
// is no database for them.
func New(s *store.Store, e *live.Engine, u *uploads.Uploads) (*Server, error) {
	gin.SetMode(gin.ReleaseMode)
	p, err := loadPages()
	if err != nil {
		return nil, err
	}
	versions, err := lru.New[string, *dashboard.Document](200)
	if err != nil {
		return nil, err
	}
	server := &Server{store: s, engine: e, pages: p, versions: versions, router: gin.New(), files: u, moments: newMoments()}
	if err := server.router.SetTrustedProxies(nil); err != nil {
		return nil, err
	}
	server.routes()
	return server, nil
}

// Behind says which proxies stand before the server: what they say of a request's address,
// and of whether it came encrypted, is believed, and nobody else's word on it.
func (s *Server) Behind(proxies []netip.Prefix) error {
	names := make([]string, len(proxies))
	for i, p := range proxies {
		names[i] = p.String()
	}
	s.proxies = proxies
	return s.router.SetTrustedProxies(names)
}

// Handler is the server's entry.
func (s *Server) Handler() http.Handler { return s.router }

// Routes lists every route as "METHOD /path", for checking the API's description.
func (s *Server) Routes() (out []string) {
	for _, r := range s.router.Routes() {
		out = append(out, r.Method+" "+r.Path)
	}
	return out
}

func (s *Server) routes() {
	r := s.router
	r.Use(s.recover, logged, timed, s.secured)
	compressed := r.Group("", gzip.Gzip(gzip.BestSpeed))
	unknown := compressed.Group("", s.whole(mostUnknown))
	known := compressed.Group("", s.caller, s.whole(mostKnown), s.fromPage, s.forgetting)

	static, err := fs.Sub(shipped, "static")
	if err != nil {
		panic(err) // the folder is part of the program
	}
	s.assets = &assets{files: static}
	r.GET("/static/*path", s.asset)
	r.GET("/embed.js", s.embedScript)
	compressed.GET("/embed/:app/:dashboard", s.frame)
	unknown.POST("/embed/:app/:dashboard/session", s.frameSession)
	compressed.GET("/sign-in", s.signInPage)
	unknown.POST("/sign-in", s.signIn)

	// Whoever may see a dashboard: people signed in, and viewers in frames.
	r.GET("/view/:dashboard/live", s.caller, s.liveStream)
	view := known.Group("/view/:dashboard")
	view.POST("/sheet", s.sheet)
	view.POST("/line", s.line)
	view.POST("/filters/:filter", s.filterMenu)
	r.POST("/view/:dashboard/widgets/:widget", s.caller, s.whole(mostKnown), s.fromPage, s.widget) // compressed once for all
	view.POST("/widgets/:widget/words", s.words)
	view.POST("/widgets/:widget/figures.csv", s.figuresFile)
	view.POST("/widgets/:widget/records", s.records)

	// People signed in to Eskadel.
	author := known.Group("", s.authors)
	// Whoever makes something stands on datasets that they may build on.
	maker := author.Group("", s.building)
	author.GET("/", s.home)
	author.GET("/home/list", s.homeList)
	author.POST("/sign-out", s.signOut)
	maker.GET("/data", s.data)
	maker.GET("/data/datasets/:dataset", s.dataset)
	maker.GET("/data/datasets/:dataset/profile", s.datasetProfile)
	maker.GET("/data/datasets/:dataset/export", s.exportDataset)
	maker.GET("/data/datasets/:dataset/fields/:field", s.fieldPage)
	maker.GET("/data/datasets/:dataset/values", s.conditionValues)
	maker.POST("/data/datasets/:dataset/condition", s.conditionWords)
	maker.POST("/data/datasets/:dataset/formula", s.formulaTrial)
	maker.GET("/data/datasets/:dataset/formula/help", s.formulaHelp)
	maker.POST("/data/datasets/:dataset/odd", s.oddRecords)
	maker.GET("/charts", s.library)
	maker.GET("/charts/forms", s.withPictures, s.forms)
	maker.GET("/charts/edit", s.withPictures, s.chartEditor)
	maker.POST("/charts/menu", s.chartMenu)
	maker.POST("/charts/finish", s.chartFinish)
	maker.POST("/charts/change", s.chartChange)
	maker.POST("/charts/answer", s.chartAnswer)
	maker.POST("/charts/records", s.chartRecords)
	maker.POST("/charts/place", s.chartPlace)
	author.GET("/dashboards", s.home)
	author.POST("/dashboards", s.newDashboard)
	author.GET("/dashboards/:dashboard", s.withPictures, s.reading)
	maker.GET("/dashboards/:dashboard/edit", s.withPictures, s.editing)
	maker.POST("/dashboards/:dashboard/draft", s.saveDraft)
	maker.POST("/dashboards/:dashboard/add", s.addWidget)
	maker.POST("/dashboards/:dashboard/publish", s.publish)
	author.GET("/people", s.people)
	author.POST("/people/keys", s.addKey)
	author.POST("/people/keys/remove", s.removeKey)

	builder := maker.Group("", s.builders)
	builder.POST("/data/sources", s.addSource)
	builder.GET("/data/sources/:source", s.sourceTables)
	builder.GET("/data/sources/:source/tables/:table", s.tablePreview)
	builder.POST("/data/sources/:source/tables/:table", s.makeDataset)
	builder.POST("/data/sources/:source/tables/:table/rules", s.saveTableRules)
	builder.POST("/data/sources/:source/remove", s.removeSource)
	builder.POST("/data/sources/:source/authors", s.sourceAuthors)
	builder.POST("/data/sources/:source/refresh", s.refreshSource)
	builder.POST("/data/sources/:source/rules", s.saveRules)
	builder.GET("/data/sources/:source/new", s.newDataset)
	builder.POST("/data/sources/:source/new", s.createDataset)
	builder.POST("/data/datasets/:dataset", s.saveDataset)
	builder.POST("/data/datasets/:dataset/remove", s.removeDataset)
	builder.POST("/data/datasets/:dataset/fields/:field", s.saveField)
	builder.POST("/data/datasets/:dataset/view-as", s.viewAs)
	builder.POST("/data/files/table/:file", s.changeFile)
	builder.GET("/data/workspace", s.workspace)
	builder.POST("/data/workspace", s.saveWorkspace)
	builder.POST("/people", s.savePerson)
	builder.POST("/people/hosts/end", s.endHostKey)
	builder.POST("/people/viewers/end", s.endViewer)
	builder.POST("/people/viewers/admit", s.admitViewer)

	// Files are read as they come; who sends them is known by then.
	bring := compressed.Group("", s.caller, s.fromPage, s.authors, s.builders, s.forgetting, streamed)
	bring.POST("/data/files/upload", s.upload)
	bring.POST("/data/files/look", s.lookAtFile)
	bring.PUT("/api/v1/files/:file", s.apiPutFile)
	bring.POST("/api/v1/files/:file/rows", s.apiAppend)

	api := known.Group("/api/v1")
	api.GET("/dashboards/:dashboard", s.apiDashboard)
	api.POST("/dashboards/:dashboard/widgets/:widget/run", s.apiRunWidget)
	api.POST("/dashboards/:dashboard/widgets/:widget/records", s.apiRecords)
	write := api.Group("", s.authors, s.building)
	write.POST("/run", s.apiRun)
	write.PUT("/dashboards/:dashboard", s.apiPutDashboard)
	write.POST("/dashboards/:dashboard/publish", s.publish)
	write.GET("/datasets/:dataset", s.apiDataset)
	write.PUT("/datasets/:dataset", s.builders, s.apiPutDataset)
	write.DELETE("/datasets/:dataset", s.builders, s.apiDeleteDataset)
	write.GET("/datasets", s.apiDatasets)
	write.GET("/datasets/:dataset/profile", s.apiProfile)
	write.POST("/datasets/:dataset/records", s.apiDatasetRecords)
	write.GET("/datasets/:dataset/values/:field", s.apiValues)
	write.POST("/datasets/:dataset/formula", s.apiFormula)
	write.POST("/datasets/:dataset/view-as", s.builders, s.apiViewAs)
	write.GET("/sources", s.builders, s.apiSources)
	write.PUT("/sources/:source", s.builders, s.apiPutSource)
	write.DELETE("/sources/:source", s.builders, s.apiDeleteSource)
	write.GET("/workspace", s.apiWorkspace)
	write.PUT("/workspace", s.builders, s.apiPutWorkspace)
	write.GET("/sources/:source/tables", s.builders, s.apiTables)
	write.GET("/sources/:source/rules", s.builders, s.apiRules)
	write.PUT("/sources/:source/rules", s.builders, s.apiPutRules)
	write.GET("/files", s.apiFiles)
	write.DELETE("/files/:file", s.builders, s.apiDeleteFile)
	compressed.GET("/api/v1/openapi.yaml", s.file("openapi.yaml", "application/yaml"))
	for _, name := range []string{"dataset", "chart", "dashboard", "rules"} {
		compressed.GET("/api/v1/schemas/"+name+".json", s.file("schemas/"+name+".json", "application/schema+json"))
	}
	r.NoRoute(func(c *gin.Context) {
		s.fail(c, problem.New(problem.NotFound, "", "There is nothing at this address."))
	})
}

func (s *Server) file(name, kind string) gin.HandlerFunc {
	return func(c *gin.Context) {
		b, err := shipped.ReadFile(name)
		if err != nil {
			s.fail(c, err)
			return
		}
		c.Data(http.StatusOK, kind, b)
	}
}

// wantsJSON tells whether a program asks, or a script of ours.
func wantsJSON(c *gin.Context) bool {
	return strings.HasPrefix(c.Request.URL.Path, "/api/") || strings.Contains(c.GetHeader("Accept"), "application/json")
}
