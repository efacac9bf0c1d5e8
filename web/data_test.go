package web_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
	"eskadel/identity"
	"eskadel/workspace"
)

// withKey sends a request with an API key, and with nothing of a session.
func withKey(t *testing.T, key, method, path, body, kind string) (int, string) {
	r, err := http.NewRequest(method, running.Eskadel+path, strings.NewReader(body))
	require.NoError(t, err)
	r.Header.Set("Authorization", "Bearer "+key)
	r.Header.Set("Content-Type", kind)
	if method == http.MethodPut {
		r.Header.Set("If-Match", "*")
	}
	response, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer response.Body.Close()
	b, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return done(response.StatusCode), string(b)
}

// newKey makes an API key as a person does, and returns it with its id.
func newKey(t *testing.T, email, title string) (key, id string) {
	status, page := form(t, author(t, email), "/you/keys", map[string]string{"title": title})
	require.Equal(t, http.StatusOK, status)
	m := regexp.MustCompile(`esk_[A-Za-z0-9_-]{20,}`).FindString(page)
	require.NotEmpty(t, m)
	keys, err := running.Store.APIKeys(context.Background())
	require.NoError(t, err)
	for _, k := range keys {
		if k.Title == title {
			id = k.ID
		}
		assert.NotContains(t, k.Hash, m, "only a hash is kept")
	}
	return m, id
}

// A program pushes a file and rows with a key; the key has its person's rights, and ends.
func TestFilesThroughTheAPI(t *testing.T) {
	key, id := newKey(t, demo.BuilderEmail, "nightly push")
	status, b := withKey(t, key, http.MethodPut, "/api/v1/files/tides?original=tides.csv", "day,high\n2026-01-01,4.2\n2026-01-02,4.4\n", "text/csv")
	require.Equal(t, http.StatusOK, status, b)
	assert.Contains(t, b, `"rows":2`)
	status, b = withKey(t, key, http.MethodPost, "/api/v1/files/tides/rows", `[{"day":"2026-01-03","high":5}]`, "application/json")
	require.Equal(t, http.StatusOK, status, b)
	assert.JSONEq(t, `{"rows":1}`, b)
	for body, words := range map[string]string{`[{"day":"soon"}]`: "“soon” is not a date", `[{"low":1}]`: "no column “low”", `{`: "not a JSON object", ``: "", `[]`: "The list is empty"} {
		status, b = withKey(t, key, http.MethodPost, "/api/v1/files/tides/rows", body, "application/json")
		assert.Equal(t, http.StatusUnprocessableEntity, status, body)
		assert.Contains(t, b, words)
	}
	status, b = withKey(t, key, http.MethodPut, "/api/v1/files/tides?original=tides.csv", "day,high\n2026-01-01\n", "text/csv")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, b, "Row 2: It has 1 fields where the titles are 2.")
	// How its rows are read is said with it, kept, and looked at first.
	for query, words := range map[string]string{"&heading=first": "“first” is not the number of a row", "&uneven=guess": "not “guess”"} {
		status, b = withKey(t, key, http.MethodPut, "/api/v1/files/uneven?original=uneven.csv"+query, "day,high\n2026-01-01\n", "text/csv")
		assert.Equal(t, http.StatusUnprocessableEntity, status)
		assert.Contains(t, b, words)
	}
	for _, more := range []string{"&uneven=fill&skip=3&skip=4", ""} {
		status, b = withKey(t, key, http.MethodPut, "/api/v1/files/uneven?original=uneven.csv"+more, "day,high\n2026-01-01\nx,y,z\n\n2026-01-02,4.4\n", "text/csv")
		require.Equal(t, http.StatusOK, status, b)
		assert.Contains(t, b, `"rows":2`)
	}
	status, b = withKey(t, key, http.MethodPost, "/api/v1/files/uneven/rows", "high,day\n5,2026-01-03\n", "text/csv")
	require.Equal(t, http.StatusOK, status, b)
	status, b = withKey(t, key, http.MethodPost, "/data/files/look?original=a.csv", "Tides of 2026\n\nday,high\n<b>,1\n", "text/csv")
	require.Equal(t, http.StatusOK, status, b)
	assert.Contains(t, b, `value="3" checked aria-label="The titles are in row 3"`)
	assert.Contains(t, b, "&lt;b&gt;")
	status, b = withKey(t, key, http.MethodDelete, "/api/v1/files/uneven", "", "application/json")
	require.Equal(t, http.StatusOK, status, b)
	doc := `{"version":1,"name":"tides","title":"Tides","record":["tide","tides"],"source":"files","from":{"table":"tides"},"key":["row_number"],"fields":[{"name":"day","column":"day","time":"happened"},{"name":"high","column":"high"}]}`
	status, b = withKey(t, key, http.MethodPut, "/api/v1/datasets/tides", doc, "application/json")
	require.Equal(t, http.StatusOK, status, b)
	status, b = withKey(t, key, http.MethodPost, "/api/v1/run", `{"definition":{"version":2,"dataset":"tides","measures":[{"sum":"high"},{"formula":"max(high) - min(high)"}]}}`, "application/json")
	require.Equal(t, http.StatusOK, status, b)
	assert.Contains(t, b, `"13.6"`)
	assert.Contains(t, b, `"0.8"`)
	// Nobody has said who may see it: an author sees no row, and it goes only when nothing stands on it.
	status, b = send(t, author(t, demo.AuthorEmail), http.MethodPost, "/api/v1/datasets/tides/records", "{}")
	require.Equal(t, http.StatusOK, status, b)
	assert.Contains(t, b, `"count":0`)
	status, b = withKey(t, key, http.MethodDelete, "/api/v1/files/tides", "", "application/json")
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, b, "“Tides” stands on this file")
	status, _ = withKey(t, key, http.MethodDelete, "/api/v1/datasets/tides", "", "application/json")
	assert.Equal(t, http.StatusOK, status)
	status, _ = withKey(t, key, http.MethodDelete, "/api/v1/files/tides", "", "application/json")
	assert.Equal(t, http.StatusOK, status)
	// An author's key is an author's; an ended one is nobody's.
	theirs, _ := newKey(t, demo.AuthorEmail, "reports")
	status, _ = withKey(t, theirs, http.MethodPut, "/api/v1/files/tides", "a\n1\n", "text/csv")
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = withKey(t, theirs, http.MethodGet, "/api/v1/sources", "", "application/json")
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = form(t, author(t, demo.AuthorEmail), "/you/keys/end", map[string]string{"id": id})
	assert.Equal(t, http.StatusUnprocessableEntity, status, "nobody ends another's key")
	status, _ = form(t, author(t, demo.BuilderEmail), fmt.Sprintf("/people/person/%d/keys/end", personOf(t, demo.BuilderEmail).ID), map[string]string{"id": id})
	require.Equal(t, http.StatusSeeOther, status)
	status, _ = withKey(t, key, http.MethodGet, "/api/v1/files", "", "application/json")
	assert.Equal(t, http.StatusUnauthorized, status)
}

// Who may use a source, and a dataset, is said by the builder and holds for authors.
func TestWhoMayBuildOnWhat(t *testing.T) {
	builder, edda := author(t, demo.BuilderEmail), author(t, demo.AuthorEmail)
	ctx := context.Background()
	seen := func() int {
		status, _ := send(t, edda, http.MethodGet, "/data/datasets/hazards", nil)
		return status
	}
	assert.Equal(t, http.StatusOK, seen())
	status, _ := form(t, builder, "/data/sources/yard-desk/authors", map[string]string{"authors": "somebody@skerrin.example"})
	require.Equal(t, http.StatusSeeOther, status)
	t.Cleanup(func() { require.NoError(t, running.Workspace.ShareSource(ctx, workspace.Operator(), "yard-desk", nil)) })
	assert.Equal(t, http.StatusNotFound, seen())
	for method, path := range map[string]string{"GET": "/api/v1/datasets/hazards/profile", "POST": "/api/v1/datasets/hazards/records"} {
		status, _ := send(t, edda, method, path, "{}")
		assert.Equal(t, http.StatusNotFound, status, path)
	}
	status, b := send(t, edda, http.MethodPost, "/api/v1/run", `{"definition":{"version":2,"dataset":"hazards","measures":[{"count":"records"}]}}`)
	assert.Equal(t, http.StatusNotFound, status, b)
	mine := `{"version":1,"name":"mine","title":"Mine","filters":[],"pages":[{"title":"One","widgets":[{"id":"a","at":[0,0,4,4],"chart":{"version":2,"dataset":"hazards","measures":[{"count":"records"}],"form":"key figures"}}]}]}`
	status, b = send(t, edda, http.MethodPut, "/api/v1/dashboards/mine", mine)
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, edda, http.MethodPost, "/api/v1/dashboards/mine/publish", nil)
	assert.Equal(t, http.StatusNotFound, status, "nor is it published: %s", b)
	for _, path := range []string{"/api/v1/dashboards/mine/widgets/a/run?draft=1", "/api/v1/dashboards/mine/widgets/a/records?draft=1"} {
		status, b = send(t, edda, http.MethodPost, path, "{}")
		assert.Equal(t, http.StatusNotFound, status, "%s: %s", path, b)
	}
	form(t, builder, "/data/sources/yard-desk/authors", map[string]string{"authors": demo.AuthorEmail})
	assert.Equal(t, http.StatusOK, seen())
	status, b = send(t, edda, http.MethodPost, "/api/v1/dashboards/mine/publish", nil)
	assert.Equal(t, http.StatusOK, status, b)

	// One dataset alone, by whatever way a chart comes to it.
	_, kept := send(t, builder, http.MethodGet, "/api/v1/datasets/hazards", nil)
	t.Cleanup(func() { send(t, builder, http.MethodPut, "/api/v1/datasets/hazards", kept) })
	status, b = send(t, builder, http.MethodPut, "/api/v1/datasets/hazards", strings.Replace(kept, `"key":`, `"seen_by":["somebody@skerrin.example"],"key":`, 1))
	require.Equal(t, http.StatusOK, status, b)
	for name, more := range map[string]string{
		"beside":        `"by":[{"field":"opened"}],"also":[{"dataset":"hazards","measures":[{"count":"records"}]}]`,
		"as its target": `"target":{"plan":"hazards","measure":{"count":"records"}}`,
	} {
		status, b = send(t, edda, http.MethodPost, "/api/v1/run", `{"definition":{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],`+more+`}}`)
		assert.Equal(t, http.StatusNotFound, status, "%s: %s", name, b)
	}
}

// A column hidden from some roles does not exist for them, on any path.
func TestHiddenColumnsTaint(t *testing.T) {
	builder := author(t, demo.BuilderEmail)
	name := "Olla Frame"
	_, err := running.Workspace.ChangePerson(context.Background(), workspace.Operator(), identity.Change{Name: &name, Email: "olla@skerrin.example", Password: demo.Password, Roles: []string{"office"}})
	require.NoError(t, err)
	office := author(t, "olla@skerrin.example")
	for name, c := range map[string]struct{ method, path, body string }{
		"in a group":         {"POST", "/api/v1/run", `{"definition":{"version":2,"dataset":"hazards","measures":[{"count":"records"}],"by":[{"field":"owner"}]}}`},
		"in a condition":     {"POST", "/api/v1/run", `{"definition":{"version":2,"dataset":"hazards","measures":[{"count":"records"}],"where":{"field":"owner","contains":"a"}}}`},
		"in a measure":       {"POST", "/api/v1/run", `{"definition":{"version":2,"dataset":"hazards","measures":[{"distinct":"owner"}]}}`},
		"in a formula":       {"POST", "/api/v1/run", `{"definition":{"version":2,"dataset":"hazards","measures":[{"formula":"count(distinct owner)"}]}}`},
		"in filters":         {"POST", "/api/v1/run", `{"definition":{"version":2,"dataset":"hazards","measures":[{"count":"records"}]},"filters":{"field":"owner","filled":true}}`},
		"in a sort":          {"POST", "/api/v1/datasets/hazards/records", `{"sort":"owner"}`},
		"in a list":          {"POST", "/api/v1/datasets/hazards/records", `{"fields":["owner"]}`},
		"in a list's filter": {"POST", "/api/v1/datasets/hazards/records", `{"filters":{"field":"owner","empty":true}}`},
		"among values":       {"GET", "/api/v1/datasets/hazards/values/owner", ""},
		"in a tried formula": {"POST", "/api/v1/datasets/hazards/formula", `{"formula":"upper(owner)"}`},
		"on its own page":    {"GET", "/data/datasets/hazards/fields/owner", ""},
	} {
		status, b := send(t, office, c.method, c.path, c.body)
		assert.Contains(t, []int{http.StatusNotFound, http.StatusUnprocessableEntity}, status, name)
		assert.Regexp(t, "has no field|There is no field", b, name)
		status, b = send(t, builder, c.method, c.path, c.body)
		assert.Equal(t, http.StatusOK, status, "%s: %s", name, b)
	}
	_, b := send(t, office, http.MethodGet, "/api/v1/datasets/hazards/profile", nil)
	assert.NotContains(t, b, `"owner"`)
	_, b = send(t, office, http.MethodPost, "/api/v1/datasets/hazards/records", "{}")
	assert.NotContains(t, b, "Owner")
}

// Values that a viewer sets feed the calculation, and nothing else.
func TestSettings(t *testing.T) {
	builder := author(t, demo.BuilderEmail)
	dashboard := `{"version":1,"name":"labour","title":"Labour","pages":[{"title":"One","widgets":[{"id":"a","at":[0,0,6,4],"chart":{"version":2,"dataset":"yard-jobs","measures":[{"sum":"labour"},{"sum":"crew_hours"}],"form":"key figures"}}]}]}`
	status, b := send(t, builder, http.MethodPut, "/api/v1/dashboards/labour", dashboard)
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, builder, http.MethodPost, "/api/v1/dashboards/labour/publish", nil)
	require.Equal(t, http.StatusOK, status, b)
	figures := func(state string) []string {
		status, b := send(t, builder, http.MethodPost, "/api/v1/dashboards/labour/widgets/a/run", `{"state":`+state+`}`)
		require.Equal(t, http.StatusOK, status, b)
		var a struct{ Figures []struct{ Exact string } }
		require.NoError(t, json.Unmarshal([]byte(b), &a))
		return []string{a.Figures[0].Exact, a.Figures[1].Exact}
	}
	conn := records(t)
	hours := "select sum(crew_hours) from yard_job where status <> 'withdrawn'"
	assert.Equal(t, tidy(scalar(t, conn, "("+hours+") * 48")), tidy(figures(`{}`)[0]))
	assert.Equal(t, tidy(scalar(t, conn, "("+hours+") * 60.5")), tidy(figures(`{"settings":{"hour_rate":"60.5"}}`)[0]))
	assert.Equal(t, figures(`{}`)[1], figures(`{"settings":{"hour_rate":"60.5","unknown":"x"}}`)[1])
	status, b = send(t, builder, http.MethodPost, "/api/v1/dashboards/labour/widgets/a/run", `{"state":{"settings":{"hour_rate":"1; drop table"}}}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, b, "“1; drop table” is not a number, which “Hourly rate” takes.")
	status, b = form(t, builder, "/view/labour/line", map[string]string{"state": "{}"})
	require.Equal(t, http.StatusOK, status, b)
	assert.Contains(t, b, "Hourly rate 48")
}

// The forms of the Data part change one thing each, and say what is wrong beside it.
func TestFormsOfADataset(t *testing.T) {
	builder := author(t, demo.BuilderEmail)
	_, kept := send(t, builder, http.MethodGet, "/api/v1/datasets/berth-stays", nil)
	t.Cleanup(func() { send(t, builder, http.MethodPut, "/api/v1/datasets/berth-stays", kept) })
	post := func(fields map[string]string) (int, string) {
		return form(t, builder, "/data/datasets/berth-stays?part=calculations", fields)
	}
	for name, c := range map[string]struct {
		fields map[string]string
		words  string // "" when it is taken
		has    string // in the document then
	}{
		"a linked field":        {map[string]string{"do": "link", "path": "vessel_id.customer_id.home_port"}, "", `"home_port"`},
		"a linked field wrong":  {map[string]string{"do": "link", "path": "vessel_id"}, "Choose which field", ""},
		"what points, computed": {map[string]string{"do": "linked", "table": "public.yard_job", "by": "vessel_id", "of": "vessel_id", "take": "sum", "formula": "yard_cost * 2", "where": `{"field":"kind","is":"rework"}`, "when": "yard_cost > 5", "label": "Twice the rework"}, "", `"yard_cost * 2"`},
		"a column that is none": {map[string]string{"do": "linked", "table": "public.yard_job", "by": "vessel_id", "of": "vessel_id", "take": "sum", "formula": "cost * 2", "label": "X"}, "There is no field “cost”", ""},
		"what points":           {map[string]string{"do": "linked", "table": "public.yard_job", "by": "vessel_id", "of": "vessel_id", "take": "count", "label": "Jobs of the boat"}, "", `"jobs_of_the_boat"`},
		"groups":                {map[string]string{"do": "groups", "of": "yard", "groups": "North = Ravel Point, Ostrey\nSouth=Tarn Quay", "label": "Shore"}, "", `"Ravel Point"`},
		"groups wrong":          {map[string]string{"do": "groups", "of": "yard", "groups": "North", "label": "Shore"}, "“North” is not a group", ""},
		"bins":                  {map[string]string{"do": "bins", "of": "nights", "width": "7", "label": "Weeks"}, "", `"weeks"`},
		"a setting":             {map[string]string{"do": "setting", "label": "Fee", "type": "number", "default": "12.50"}, "", `"fee"`},
		"a setting wrong":       {map[string]string{"do": "setting", "label": "Fee", "type": "number", "default": "much"}, "needs a default", ""},
		"a condition":           {map[string]string{"do": "condition", "title": "Long stays", "where": `{"field":"nights","above":"14"}`}, "", `"long_stays"`},
		"a condition wrong":     {map[string]string{"do": "condition", "title": "Long", "where": `{"field":"nights","contains":"14"}`}, "is for text", ""},
		"a base filter":         {map[string]string{"do": "base", "where": `{"field":"nights","at_least":"0"}`}, "", `"base_filter"`},
		"a formula":             {map[string]string{"do": "formula", "label": "Twice", "formula": "nights * 2"}, "", `"twice"`},
		"a measure":             {map[string]string{"do": "formula", "over": "groups", "label": "Nights per stay", "formula": "avg(nights)"}, "", `"nights_per_stay"`},
		"a rule":                {map[string]string{"do": "rule", "roles": "foreman", "where": `{"field":"yard","is":{"viewer":"yard"}}`}, "", `"foreman"`},
		"a rule for nobody":     {map[string]string{"do": "rule", "roles": ""}, "which roles", ""},
		"nothing":               {map[string]string{"do": "nothing"}, "Nothing was chosen", ""},
		"what is gone":          {map[string]string{"do": "remove", "what": "measure", "at": "99"}, "gone already", ""},
	} {
		status, b := post(c.fields)
		_, now := send(t, builder, http.MethodGet, "/api/v1/datasets/berth-stays", nil)
		if c.words != "" {
			assert.Equal(t, http.StatusUnprocessableEntity, status, name)
			assert.Contains(t, plain([]byte(b)), c.words, name)
			continue
		}
		assert.Equal(t, http.StatusSeeOther, status, "%s: %s", name, b)
		assert.Contains(t, now, c.has, name)
	}
	status, b := form(t, builder, "/data/datasets/berth-stays/fields/arrived", map[string]string{"label": "Came in", "time": "planned", "synonyms": "arrival, in", "seen_by": "director"})
	require.Equal(t, http.StatusSeeOther, status, b)
	_, now := send(t, builder, http.MethodGet, "/api/v1/datasets/berth-stays", nil)
	assert.Contains(t, now, `"synonyms":["arrival","in"]`)
	_, page := send(t, builder, http.MethodGet, "/data/datasets/yard-jobs/fields/yard_cost", nil)
	assert.Contains(t, page, `<option value="sum" selected>Sum</option>`)
	assert.Contains(t, page, `<option value="distinct">Different values</option>`)
	// A dataset taken from elsewhere says what does not fit.
	elsewhere := url.Values{"how": {"document"}, "document": {strings.Replace(kept, `"public.berth_stay"`, `"mooring"`, 1)}}
	status, b = form(t, builder, "/data/sources/yard-desk/new", map[string]string{"how": elsewhere.Get("how"), "document": elsewhere.Get("document")})
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, plain([]byte(b)), "The source has no table “mooring” that may be read.")
	status, _ = form(t, builder, "/data/datasets/yard-jobs/remove", map[string]string{})
	assert.Equal(t, http.StatusConflict, status, "a dashboard stands on it")
	// The calendar is changed, and refused, in words.
	status, b = form(t, builder, "/data/workspace", map[string]string{"zone": "Skerrin/Bay"})
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, plain([]byte(b)), "“Skerrin/Bay” is not an IANA time zone")
	status, _ = form(t, builder, "/data/workspace", map[string]string{"zone": "Europe/London", "first_day": "Monday", "min_days": "4", "fiscal_start": "January"})
	assert.Equal(t, http.StatusSeeOther, status)
}

// The host app's own accounting periods, read from a dataset, serve as a grain.
func TestAccountingPeriodsFromADataset(t *testing.T) {
	builder := author(t, demo.BuilderEmail)
	_, was := send(t, builder, http.MethodGet, "/api/v1/workspace", nil)
	t.Cleanup(func() { send(t, builder, http.MethodPut, "/api/v1/workspace", was) })
	chart := `{"definition":{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"by":[{"field":"opened","grain":"accounting period"}],"where":{"field":"opened","within":{"from":"2026-01-01","to":"2026-06-30"}}}}`
	status, b := send(t, builder, http.MethodPost, "/api/v1/run", chart)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, b, "no accounting periods of its own")
	status, b = send(t, builder, http.MethodPut, "/api/v1/files/periods?original=periods.csv", "first_day,name\n2026-01-25,P1\n2026-02-22,P2\n2026-03-22,P3\n2026-04-26,end\n")
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, builder, http.MethodPut, "/api/v1/datasets/periods", `{"version":1,"name":"periods","title":"Periods","record":["period","periods"],"source":"files","from":{"table":"periods"},"key":["row_number"],"fields":[{"name":"first_day","column":"first_day","time":"planned"},{"name":"name","column":"name"}]}`)
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, builder, http.MethodPut, "/api/v1/workspace", `{"version":1,"zone":"Europe/London","periods":{"dataset":"periods","start":"first_day","name":"name"}}`)
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, builder, http.MethodPost, "/api/v1/run", chart)
	require.Equal(t, http.StatusOK, status, b)
	conn := records(t)
	for name, span := range map[string][2]string{"P1": {"2026-01-25", "2026-02-22"}, "P3": {"2026-03-22", "2026-04-26"}} {
		n := scalar(t, conn, "select count(*) from yard_job where status <> 'withdrawn' and opened_at >= $1::timestamp at time zone 'Europe/London' and opened_at < $2::timestamp at time zone 'Europe/London'", span[0], span[1])
		assert.Contains(t, b, `{"text":"`+name+`","exact":"`+span[0]+`T00:00:00Z"},{"text":"`+thousands(n)+`","exact":"`+n+`"`, name)
	}
	assert.Contains(t, b, `"notes":[{"words":"`, "what lies outside the periods is said")
	assert.Contains(t, b, `"total":[`)
	_, b = send(t, builder, http.MethodPost, "/api/v1/run", strings.TrimSuffix(chart, "}")+`,"totals":false}`)
	assert.NotContains(t, b, `"total":`)
}

// A source is connected and forgotten by a program, and what is wrong with it is said.
func TestSourcesThroughTheAPI(t *testing.T) {
	builder := author(t, demo.BuilderEmail)
	status, b := send(t, builder, http.MethodPut, "/api/v1/sources/second", `{"title":"Second","url":"postgres://nobody@127.0.0.1:1/x"}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, b, "Nothing listens")
	status, b = send(t, builder, http.MethodPut, "/api/v1/sources/second", `{"title":"Second","url":"`+running.Cluster.URL("eskadel", "eskadel")+`"}`)
	assert.Equal(t, http.StatusForbidden, status, b)
	assert.Contains(t, b, "Eskadel's own database")
	address := running.Cluster.URL(demo.Reader, "yarddesk")
	status, b = send(t, builder, http.MethodPut, "/api/v1/sources/second", `{"title":"Second","url":"`+address+`"}`)
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, builder, http.MethodGet, "/api/v1/sources/second/tables", nil)
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, b, `"berth_stay"`)
	_, b = send(t, builder, http.MethodGet, "/api/v1/sources", nil)
	assert.NotContains(t, b, "postgres://", "an address is never shown again")
	status, b = send(t, builder, http.MethodDelete, "/api/v1/sources/yard-desk", nil)
	assert.Equal(t, http.StatusConflict, status, b)
	status, b = send(t, builder, http.MethodDelete, "/api/v1/sources/second", nil)
	assert.Equal(t, http.StatusOK, status, b)
	status, _ = send(t, builder, http.MethodGet, "/api/v1/sources/second/tables", nil)
	assert.Equal(t, http.StatusNotFound, status)
}

// The page of a source shows its address without the password, and a change without one
// keeps it.
func TestASourcesAddressIsShownWithoutItsPassword(t *testing.T) {
	builder := author(t, demo.BuilderEmail)
	address := strings.Replace(running.Cluster.URL("eskadel_reader", "yarddesk"), "eskadel_reader@", "eskadel_reader:not-asked-here@", 1)
	require.Contains(t, address, "not-asked-here")
	status, b := form(t, builder, "/data/sources", map[string]string{"title": "Third", "url": address})
	require.Equal(t, http.StatusSeeOther, status, b)
	t.Cleanup(func() { form(t, builder, "/data/sources/third/remove", nil) })
	_, b = send(t, builder, http.MethodGet, "/data/sources/third", nil)
	assert.Contains(t, b, "eskadel_reader@")
	assert.NotContains(t, b, "not-asked-here")
	status, b = form(t, builder, "/data/sources", map[string]string{"change": "yes", "name": "third", "title": "Third desk", "url": strings.Replace(address, ":not-asked-here", "", 1)})
	require.Equal(t, http.StatusSeeOther, status, b)
	kept, err := running.Store.Source(context.Background(), "third")
	require.NoError(t, err)
	now, err := running.Store.SourceURL(kept)
	require.NoError(t, err)
	assert.Equal(t, address, now)
}
