// Package api is the HTTP API: what programs ask, and the descriptions of it. A handler
// reads the request, calls the workspace and answers with one of the types of types.go.
package api

import (
	"bytes"
	"embed"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/chart"
	"eskadel/core/problem"
	"eskadel/deliver/sheet"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/view"
	"eskadel/web/gate"
	"eskadel/workspace"
)

//go:embed openapi.yaml schemas
var shipped embed.FS

// An API answers programs.
type API struct {
	gate *gate.Gate
	ws   *workspace.Workspace
}

// New returns the API of a workspace.
func New(g *gate.Gate) *API { return &API{g, g.Workspace} }

const base = "/api/v1"

// Routes are the addresses of the API.
func (a *API) Routes() []gate.Route {
	const get, post, put, del = http.MethodGet, http.MethodPost, http.MethodPut, http.MethodDelete
	out := []gate.Route{
		{Method: get, Path: "/search", Right: rights.Make, Handle: a.search},
		{Method: get, Path: "/dashboards", Right: rights.Make, Handle: a.dashboards},
		{Method: get, Path: "/dashboards/:dashboard", Right: rights.See, Handle: a.dashboard},
		{Method: put, Path: "/dashboards/:dashboard", Right: rights.Make, Handle: a.putDashboard},
		{Method: del, Path: "/dashboards/:dashboard", Right: rights.Edit, Handle: a.remove(workspace.Dashboard)},
		{Method: post, Path: "/dashboards/:dashboard/publish", Right: rights.Publish, Handle: a.publish},
		{Method: post, Path: "/dashboards/:dashboard/widgets/:widget/run", Right: rights.See, Handle: a.runWidget},
		{Method: post, Path: "/dashboards/:dashboard/widgets/:widget/records", Right: rights.Records, Handle: a.widgetRecords},
		{Method: get, Path: "/charts", Right: rights.Make, Handle: a.charts},
		{Method: get, Path: "/charts/:chart", Right: rights.Make, Handle: a.chart},
		{Method: put, Path: "/charts/:chart", Right: rights.Make, Handle: a.putChart},
		{Method: del, Path: "/charts/:chart", Right: rights.Edit, Handle: a.remove(workspace.Chart)},
		{Method: post, Path: "/charts/:chart/publish", Right: rights.Publish, Handle: a.publishChart},
		{Method: post, Path: "/run", Right: rights.Make, Handle: a.run},
		{Method: get, Path: "/datasets", Right: rights.Use, Handle: a.datasets},
		{Method: get, Path: "/datasets/:dataset", Right: rights.Use, Handle: a.dataset},
		{Method: put, Path: "/datasets/:dataset", Right: rights.Build, Handle: a.putDataset},
		{Method: del, Path: "/datasets/:dataset", Right: rights.Build, Handle: a.remove(workspace.Dataset)},
		{Method: post, Path: "/datasets/:dataset/reach", Right: rights.Build, Handle: a.reach},
		{Method: get, Path: "/datasets/:dataset/profile", Right: rights.Use, Handle: a.profile},
		{Method: post, Path: "/datasets/:dataset/records", Right: rights.Use, Handle: a.datasetRecords},
		{Method: get, Path: "/datasets/:dataset/values/:field", Right: rights.Use, Handle: a.values},
		{Method: post, Path: "/datasets/:dataset/formula", Right: rights.Use, Handle: a.formula},
		{Method: post, Path: "/datasets/:dataset/view-as", Right: rights.Build, Handle: a.viewAs},
		{Method: get, Path: "/sources", Right: rights.Build, Handle: a.sources},
		{Method: put, Path: "/sources/:source", Right: rights.Build, Handle: a.putSource},
		{Method: del, Path: "/sources/:source", Right: rights.Build, Handle: a.removeSource},
		{Method: put, Path: "/sources/:source/authors", Right: rights.Build, Handle: a.putAuthors},
		{Method: get, Path: "/sources/:source/tables", Right: rights.Build, Handle: a.tables},
		{Method: post, Path: "/sources/:source/tables/read", Right: rights.Build, Handle: a.readTables},
		{Method: get, Path: "/sources/:source/rules", Right: rights.Build, Handle: a.rules},
		{Method: put, Path: "/sources/:source/rules", Right: rights.Build, Handle: a.putRules},
		{Method: get, Path: "/workspace", Right: rights.Make, Handle: a.settings},
		{Method: put, Path: "/workspace", Right: rights.Build, Handle: a.putSettings},
		{Method: get, Path: "/files", Right: rights.Use, Handle: a.files},
		{Method: put, Path: "/files/:file", Right: rights.Build, Handle: a.putFile, Streamed: true},
		{Method: post, Path: "/files/:file/rows", Right: rights.Build, Handle: a.appendFile, Streamed: true},
		{Method: del, Path: "/files/:file", Right: rights.Build, Handle: a.removeFile},
		{Method: get, Path: "/people", Right: rights.Administer, Handle: a.people},
		{Method: put, Path: "/people/:email", Right: rights.Administer, Handle: a.putPerson},
		{Method: get, Path: "/keys", Right: rights.Make, Handle: a.keys},
		{Method: post, Path: "/keys", Right: rights.Self, Handle: a.makeKey},
		{Method: del, Path: "/keys/:key", Right: rights.Self, Handle: a.endKey},
		{Method: get, Path: "/hosts", Right: rights.Administer, Handle: a.hosts},
		{Method: put, Path: "/hosts/:host", Right: rights.Administer, Handle: a.putHost},
		{Method: del, Path: "/hosts/:host", Right: rights.Administer, Handle: a.removeHost},
		{Method: put, Path: "/hosts/:host/keys/:key", Right: rights.Administer, Handle: a.makeHostKey},
		{Method: del, Path: "/hosts/:host/keys/:key", Right: rights.Administer, Handle: a.endHostKey},
		{Method: put, Path: "/hosts/:host/ended/:viewer", Right: rights.Administer, Handle: a.endViewer},
		{Method: del, Path: "/hosts/:host/ended/:viewer", Right: rights.Administer, Handle: a.admitViewer},
		{Method: get, Path: "/audit", Right: rights.Administer, Handle: a.audit},
		{Method: get, Path: "/openapi.yaml", Right: rights.Open, Handle: a.file("openapi.yaml", "application/yaml")},
	}
	for kind, path := range kinds {
		right := rights.Edit
		if kind == workspace.Dataset {
			right = rights.Build
		}
		out = append(out,
			gate.Route{Method: get, Path: path + "/uses", Right: rights.Make, Handle: a.uses(kind)},
			gate.Route{Method: get, Path: path + "/versions", Right: right, Handle: a.versions(kind)},
			gate.Route{Method: get, Path: path + "/changes", Right: right, Handle: a.changes(kind)},
			gate.Route{Method: post, Path: path + "/changes", Right: right, Handle: a.changed(kind)},
			gate.Route{Method: post, Path: path + "/back", Right: right, Handle: a.back(kind)},
			gate.Route{Method: post, Path: path + "/name", Right: right, Handle: a.rename(kind)},
		)
	}
	for _, name := range []string{"dataset", "chart", "dashboard", "rules", "common", "types"} {
		out = append(out, gate.Route{Method: get, Path: "/schemas/" + name + ".json", Right: rights.Open, Handle: a.file("schemas/"+name+".json", "application/schema+json")})
	}
	for i := range out {
		out[i].Path = base + out[i].Path
	}
	return out
}

// kinds are the documents that have a history, by where they are.
var kinds = map[string]string{workspace.Dashboard: "/dashboards/:dashboard", workspace.Chart: "/charts/:chart", workspace.Dataset: "/datasets/:dataset"}

func (a *API) file(name, kind string) gin.HandlerFunc {
	return func(c *gin.Context) {
		b, err := shipped.ReadFile(name)
		if err != nil {
			a.gate.Fail(c, err)
			return
		}
		c.Data(http.StatusOK, kind, b)
	}
}

func who(c *gin.Context) *identity.Caller { return gate.Caller(c) }

// respond answers with v, or the problem.
func (a *API) respond(c *gin.Context, v any, err error) {
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	c.JSON(http.StatusOK, v)
}

// none answers that something is done, of which there is nothing to tell.
func (a *API) none(c *gin.Context, err error) {
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// tagged says in the answer's head which state of a document it is.
func tagged(c *gin.Context, revision int) {
	if revision > 0 {
		c.Header("ETag", fmt.Sprintf(`"%d"`, revision))
	}
}

// on reads from which state of a document a change was made: If-Match (RFC 9110, 13.1.1), "*"
// for whichever there is. resolve says what is done where others changed it since.
func on(c *gin.Context, newest func() int) (workspace.On, error) {
	out := workspace.On{Resolve: c.Query("resolve")}
	if out.Resolve != "" && out.Resolve != workspace.Mine && out.Resolve != workspace.Both {
		return out, problem.New(problem.Invalid, "resolve", "Where others changed it meanwhile, “mine” replaces theirs, and “both” puts both changes together.")
	}
	tag := strings.TrimSpace(c.GetHeader("If-Match"))
	switch {
	case tag == "":
		return out, nil
	case tag == "*":
		out.Revision = newest()
		return out, nil
	}
	n, err := strconv.Atoi(strings.Trim(strings.TrimPrefix(tag, "W/"), `"`))
	if err != nil || n < 1 {
		return out, problem.New(problem.Invalid, "If-Match", "If-Match takes the ETag that came with the document, or *.")
	}
	out.Revision = n
	return out, nil
}

// kept answers for a document that was kept: 201 where it is new.
func (a *API) kept(c *gin.Context, st workspace.Standing, err error) {
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	tagged(c, st.Revision)
	status := http.StatusOK
	if st.Revision == 1 {
		status = http.StatusCreated
		c.Header("Location", c.Request.URL.Path)
	}
	c.JSON(status, Kept{st.Name, st.Revision, st.Published})
}

// csv answers with a table as a file.
func (a *API) csv(c *gin.Context, name string, g *chart.Grid) {
	kind, err := sheet.KindOf("csv")
	var b bytes.Buffer
	if err == nil {
		err = sheet.Leaving([]*view.Leaving{{Answer: &view.Answer{Title: name, Grid: g}}}, kind, &b)
	}
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="`+name+`.csv"`)
	c.Data(http.StatusOK, kind.Type, b.Bytes())
}
