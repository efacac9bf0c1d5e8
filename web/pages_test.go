package web_test

import (
	"context"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/planner"
	"eskadel/demo"
)

// The records behind every mark are as many, and give the same value, as the mark: for
// sums, counts, averages and medians, for Others, for steps, and for the totals.
func TestRecordsBehindEveryMarkGiveTheMark(t *testing.T) {
	v := director(t)
	for _, w := range []string{"cost", "parts", "starts", "money", "crews"} {
		a := v.run(w, map[string]any{})
		seen := 0
		for _, row := range a.Grid.Rows {
			for i, cell := range row.Cells {
				if !cell.Number || cell.Plain || cell.Exact == "" {
					continue
				}
				seen++
				if seen%7 > 1 && !strings.Contains(row.Cells[0].Text, "Others") {
					continue // every mark would take long; these reach each kind
				}
				mark := a.Whole
				mark.Measure, mark.Keys = a.Grid.Head[i].Measure, slices.Clone(row.Keys)
				mark.Keys = append(mark.Keys, a.Grid.Head[i].Keys...)
				p := v.records(w, map[string]any{}, mark, 0)
				if p.Exact == "" {
					p.Exact = "0" // a sum over no records, which a step shows as 0
				}
				require.Equal(t, tidy(cell.Exact), tidy(p.Exact), "%s, %s", w, row.Cells[0].Text)
				require.Len(t, p.Rows, int(min(p.Count, planner.PageSize)))
			}
		}
		require.Positive(t, seen, w)
	}
}

var zeros = regexp.MustCompile(`\.?0+$`)

func tidy(number string) string {
	if strings.Contains(number, ".") {
		return zeros.ReplaceAllString(number, "")
	}
	return number
}

// What the API says equals what the tables say, asked by hand.
func TestWidgetsAgreeWithTheTables(t *testing.T) {
	conn := records(t)
	v := director(t)
	since := "(date_trunc('month', timestamptz '" + moment + "' at time zone 'Europe/London') - interval '11 months') at time zone 'Europe/London'"
	total := func(w string) string {
		a := v.run(w, map[string]any{})
		p := v.records(w, map[string]any{}, a.Whole, 0)
		return p.Exact
	}
	assert.Equal(t, scalar(t, conn, "select sum(yard_cost) from yard_job where status <> 'withdrawn' and opened_at >= "+since), total("cost"))
	assert.Equal(t, scalar(t, conn, "select count(*) from yard_job where status <> 'withdrawn' and opened_at >= "+since), total("parts"))
	assert.Equal(t, scalar(t, conn, "select count(*) from yard_job where days_late > 0 and status <> 'withdrawn' and started_on >= ("+since+")::date"), total("starts"))
}

func TestRequestsThatChangeNeedThePagesToken(t *testing.T) {
	c := author(t, demo.AuthorEmail)
	stolen := &demo.Client{Address: c.Address, Cookie: c.Cookie}
	status, _ := send(t, stolen, http.MethodPost, "/api/v1/dashboards/yard-today/publish", nil)
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = form(t, stolen, "/dashboards", map[string]string{"title": "Stolen"})
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = form(t, &demo.Client{Address: c.Address, Cookie: &http.Cookie{Name: c.Cookie.Name, Value: "nobody"}}, "/dashboards", map[string]string{"title": "x"})
	assert.Equal(t, http.StatusUnauthorized, status)
	status, _ = form(t, c, "/sign-in", map[string]string{"email": demo.AuthorEmail, "password": demo.Password}, "Sec-Fetch-Site", "cross-site")
	assert.Equal(t, http.StatusForbidden, status, "another site cannot sign somebody in")
}

func TestAuthorsAreNotBuilders(t *testing.T) {
	c := author(t, demo.AuthorEmail)
	for _, path := range []string{"/data/sources/yard-desk", "/data/sources/yard-desk/tables/staff"} {
		status, _ := send(t, c, http.MethodGet, path, nil)
		assert.Equal(t, http.StatusForbidden, status, path)
	}
	status, _ := send(t, c, http.MethodPut, "/api/v1/datasets/yard-jobs", map[string]any{})
	assert.Equal(t, http.StatusForbidden, status)
}

func TestSignInIsLimited(t *testing.T) {
	try := func(email, password string) int {
		status, _ := form(t, &demo.Client{Cookie: &http.Cookie{Name: "none", Value: "x"}}, "/sign-in", map[string]string{"email": email, "password": password})
		return status
	}
	for range 8 {
		assert.Equal(t, http.StatusForbidden, try("nobody@skerrin.example", "wrong"))
	}
	assert.Equal(t, http.StatusTooManyRequests, try("nobody@skerrin.example", "wrong"))
	assert.Equal(t, http.StatusSeeOther, try(demo.AuthorEmail, demo.Password), "others may still sign in")
}

func TestSignInLeadsOnlyWithinEskadel(t *testing.T) {
	for then, want := range map[string]string{"/data": "/data", "//evil.example": "/", "https://evil.example": "/", `/\evil.example`: "/", "": "/"} {
		r, err := http.NewRequest(http.MethodPost, running.Eskadel+"/sign-in", strings.NewReader("email="+demo.AuthorEmail+"&password=sail+away&then="+then))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		response, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}).Do(r)
		require.NoError(t, err)
		_ = response.Body.Close()
		assert.Equal(t, want, response.Header.Get("Location"), then)
		cookie := response.Cookies()[0]
		assert.True(t, cookie.HttpOnly && cookie.Secure && cookie.SameSite == http.SameSiteLaxMode)
	}
}

// Text of a record is text everywhere.
func TestHostileRecords(t *testing.T) {
	conn := records(t)
	_, err := conn.Exec(context.Background(), `update yard_job set title = '<img src=x onerror=alert(1)>', part = '<script>alert(2)</script>', status = 'open' where id = (select max(id) from yard_job where status <> 'withdrawn')`)
	require.NoError(t, err)
	c := author(t, demo.BuilderEmail)
	_, html := form(t, c, "/view/yard-today/widgets/parts/records", map[string]string{"sort": "part", "mark": `{"now":"2099-01-01T00:00:00Z","measure":0,"keys":[]}`, "state": `{"filters":{"when":null}}`, "words": "<b>bold</b>"})
	assert.Contains(t, html, "&lt;script&gt;alert(2)")
	assert.NotContains(t, html, "<script>")
	assert.NotContains(t, html, "<img")
	assert.NotContains(t, html, "<b>bold")
	_, html = form(t, c, "/view/yard-today/line", map[string]string{"state": `{"narrow":[{"widget":"parts","words":"<i>x</i>","marks":[{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[{"is":"hull"}]}]}]}`})
	assert.Contains(t, html, "&lt;i&gt;x")
}

func TestPagesAllowNothingInline(t *testing.T) {
	c := author(t, demo.BuilderEmail)
	inline := regexp.MustCompile(`(?i)<script>|<style|\sstyle="|\son[a-z]+="`)
	for _, path := range []string{"/", "/data", "/data/datasets/yard-jobs", "/data/sources/yard-desk", "/data/sources/yard-desk/tables/yard_job", "/charts", "/charts/edit", "/dashboards/yard-today", "/dashboards/yard-today/edit", "/people", "/nothing-here"} {
		r, err := http.NewRequest(http.MethodGet, running.Eskadel+path, nil)
		require.NoError(t, err)
		r.AddCookie(c.Cookie)
		response, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		_ = response.Body.Close()
		policy := response.Header.Get("Content-Security-Policy")
		assert.Contains(t, policy, "script-src 'self';", path)
		assert.NotContains(t, policy, "unsafe", path)
		_, body := send(t, c, http.MethodGet, path, nil)
		assert.Empty(t, inline.FindString(body), path)
	}
}

func TestDraftsAndVersions(t *testing.T) {
	c := author(t, demo.BuilderEmail)
	_, was := send(t, c, http.MethodGet, "/api/v1/dashboards/yard-today", nil)
	draft := strings.Replace(was, `"Yard today"`, `"Yard tomorrow"`, 1)
	status, b := send(t, c, http.MethodPut, "/api/v1/dashboards/yard-today", draft)
	require.Equal(t, http.StatusOK, status, b)
	_, now := send(t, c, http.MethodGet, "/api/v1/dashboards/yard-today", nil)
	assert.Equal(t, was, now, "readers keep the published version")
	_, now = send(t, c, http.MethodGet, "/api/v1/dashboards/yard-today?draft=1", nil)
	assert.Contains(t, now, "Yard tomorrow")
	status, b = form(t, c, "/dashboards/yard-today/draft", map[string]string{"document": was, "revision": "1"}, "Accept", "application/json")
	assert.Equal(t, http.StatusPreconditionFailed, status)
	assert.Contains(t, b, "changed this dashboard meanwhile")
	status, _ = send(t, c, http.MethodPut, "/api/v1/dashboards/yard-today", was)
	assert.Equal(t, http.StatusOK, status)
}

// A dashboard and a chart are changed by whoever keeps them, and by builders.
func TestWhoMayChangeWhat(t *testing.T) {
	mara, edda := author(t, demo.BuilderEmail), author(t, demo.AuthorEmail)
	_, was := send(t, edda, http.MethodGet, "/api/v1/dashboards/yard-today", nil)
	was = strings.Replace(was, `"yard-today"`, `"maras"`, 1)
	status, b := send(t, mara, http.MethodPut, "/api/v1/dashboards/maras", was)
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, mara, http.MethodPost, "/api/v1/dashboards/maras/publish", nil)
	require.Equal(t, http.StatusOK, status, b)
	chart := `{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"form":"key figures"}`
	status, _ = form(t, mara, "/charts/place", map[string]string{"document": strings.Replace(chart, "records\"}", "records\",\"label\":\"Kept jobs\"}", 1), "to": "library"})
	require.Equal(t, http.StatusSeeOther, status)
	for path, fields := range map[string]map[string]string{
		"/dashboards/maras/draft":   {"document": was, "revision": "1"},
		"/dashboards/maras/add":     {"what": "chart", "page": "Today"},
		"/dashboards/maras/publish": {},
		"/charts/place":             {"document": chart, "to": "maras"},
		"/charts/change":            {"document": chart, "at": "maras/parts"},
		"/charts/change?library":    {"document": chart, "at": "library/kept-jobs"},
	} {
		status, b := form(t, edda, path, fields)
		assert.Equal(t, http.StatusForbidden, status, "%s: %s", path, b)
		assert.Contains(t, plain([]byte(b)), "kept by", path)
	}
	status, _ = send(t, edda, http.MethodPut, "/api/v1/dashboards/maras", was)
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = send(t, edda, http.MethodPost, "/api/v1/dashboards/maras/publish", nil)
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = send(t, edda, http.MethodGet, "/dashboards/maras/edit", nil)
	assert.Equal(t, http.StatusForbidden, status)
	_, b = send(t, edda, http.MethodGet, "/dashboards/maras", nil)
	assert.NotContains(t, b, "change it")

	own := `{"version":1,"name":"eddas","title":"Edda's","pages":[{"title":"One","widgets":[{"id":"a","at":[0,0,4,4],"chart":` + chart + `}]}]}`
	for _, who := range []*demo.Client{edda, mara, edda} { // she keeps it still after a builder has changed it
		status, b = send(t, who, http.MethodPut, "/api/v1/dashboards/eddas", own)
		require.Equal(t, http.StatusOK, status, b)
	}
	_, b = send(t, edda, http.MethodGet, "/", nil)
	assert.Contains(t, b, "/dashboards/eddas/edit")
	_, b = send(t, edda, http.MethodGet, "/charts/edit", nil)
	assert.NotContains(t, b, `value="maras"`, "only what is hers is offered to place it on")
}

func TestPublishingNeedsARuleAndACompleteChart(t *testing.T) {
	builder := author(t, demo.BuilderEmail)
	open := `{"version":1,"name":"berths","title":"Berths","record":["berth","berths"],"source":"yard-desk","from":{"table":"berth"},"key":["id"],"fields":[{"name":"code","column":"code"},{"name":"length","column":"length_m"}]%s}`
	put := func(rules string) {
		status, b := send(t, builder, http.MethodPut, "/api/v1/datasets/berths", strings.Replace(open, "%s", rules, 1))
		require.Equal(t, http.StatusOK, status, b)
	}
	put("")
	status, kept := send(t, builder, http.MethodGet, "/api/v1/sources/yard-desk/rules", nil)
	require.Equal(t, http.StatusOK, status)
	t.Cleanup(func() { send(t, builder, http.MethodPut, "/api/v1/sources/yard-desk/rules", kept) })
	var rules dataset.SourceRules
	require.NoError(t, json.Unmarshal([]byte(kept), &rules))
	without := rules
	without.Tables = slices.DeleteFunc(slices.Clone(rules.Tables), func(r dataset.TableRules) bool { return r.Table == "public.berth" })
	status, b := send(t, builder, http.MethodPut, "/api/v1/sources/yard-desk/rules", string(without.JSON()))
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, builder, http.MethodPut, "/api/v1/dashboards/berths", `{"version":1,"name":"berths","title":"Berths","pages":[{"title":"One","widgets":[{"id":"a","at":[0,0,6,4],"chart":{"version":2,"dataset":"berths","measures":[{"average":"length"}],"form":"key figures"}}]}]}`)
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, builder, http.MethodPost, "/api/v1/dashboards/berths/publish", nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, b, "Nobody has said yet who may see which records of the table berth")
	status, b = send(t, builder, http.MethodPut, "/api/v1/sources/yard-desk/rules", kept)
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, builder, http.MethodPost, "/api/v1/dashboards/berths/publish", nil)
	assert.Equal(t, http.StatusOK, status, b)
	form(t, builder, "/dashboards/berths/add", map[string]string{"what": "chart", "page": "One"})
	status, b = send(t, builder, http.MethodPost, "/api/v1/dashboards/berths/publish", nil)
	assert.Equal(t, http.StatusOK, status, "what is added begins with the dataset before it: %s", b)
	_, b = send(t, builder, http.MethodGet, "/api/v1/dashboards/berths", nil)
	empty := regexp.MustCompile(`"dataset":\s*"berths"`).ReplaceAllString(b, `"dataset":""`)
	status, b = send(t, builder, http.MethodPut, "/api/v1/dashboards/berths", empty)
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, builder, http.MethodPost, "/api/v1/dashboards/berths/publish", nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, b, "has no records yet")
}

// Every route of the API is described, and every description has a route.
func TestOpenAPIDescribesTheRoutes(t *testing.T) {
	b, err := os.ReadFile("api/openapi.yaml")
	require.NoError(t, err)
	var doc struct {
		Paths map[string]map[string]any
	}
	require.NoError(t, yaml.Unmarshal(b, &doc))
	described := map[string]bool{}
	parameter := regexp.MustCompile(`\{(\w+)\}`)
	for path, methods := range doc.Paths {
		for method := range methods {
			if method == "parameters" {
				continue
			}
			described[strings.ToUpper(method)+" /api/v1"+parameter.ReplaceAllString(path, ":$1")] = true
		}
	}
	served := map[string]bool{}
	for _, r := range running.Routes {
		if strings.HasPrefix(r.Path, "/api/v1/") {
			served[r.Method+" "+r.Path] = true
		}
	}
	assert.Equal(t, served, described)
}

// schemas compiles the schemas that the API serves.
func schemas(t *testing.T) *jsonschema.Compiler {
	compiler := jsonschema.NewCompiler()
	files, err := filepath.Glob("api/schemas/*.json")
	require.NoError(t, err)
	for _, name := range files {
		f, err := os.Open(name)
		require.NoError(t, err)
		v, err := jsonschema.UnmarshalJSON(f)
		_ = f.Close()
		require.NoError(t, err)
		require.NoError(t, compiler.AddResource("http://eskadel/api/v1/schemas/"+filepath.Base(name), v))
	}
	return compiler
}

func TestDocumentsMeetTheirSchemas(t *testing.T) {
	compiler := schemas(t)
	check := func(schema, file string) error {
		s, err := compiler.Compile("http://eskadel/api/v1/schemas/" + schema + ".json")
		require.NoError(t, err)
		b, err := os.ReadFile(file)
		require.NoError(t, err)
		var v any
		require.NoError(t, json.Unmarshal(b, &v))
		return s.Validate(v)
	}
	files, err := filepath.Glob("../demo/documents/datasets/*.json")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, name := range files {
		assert.NoError(t, check("dataset", name))
	}
	for _, name := range []string{"yard-desk", "files"} {
		assert.NoError(t, check("rules", "../demo/documents/rules/"+name+".json"))
	}
	for _, name := range []string{"yard-today", "gallery"} {
		assert.NoError(t, check("dashboard", "../demo/documents/dashboards/"+name+".json"))
	}
	assert.Error(t, check("chart", "../demo/documents/datasets/hazards.json"), "a dataset is no chart")
}
