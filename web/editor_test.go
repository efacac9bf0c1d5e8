package web_test

import (
	"encoding/json"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
)

const simple = `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"}],"by":[{"field":"kind"}],"form":"bars"}`

func TestTheChartEditorsParts(t *testing.T) {
	c := author(t, demo.AuthorEmail)
	status, html := form(t, c, "/charts/menu", map[string]string{"document": `{"version":2,"dataset":"","measures":null,"form":"columns"}`, "part": "dataset"})
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, html, "Yard jobs")
	assert.Contains(t, html, "Which records?")
	_, html = form(t, c, "/charts/menu", map[string]string{"document": simple, "part": "form"})
	assert.Contains(t, html, "Splits by", "a form that does not fit says which step makes it fit")
	_, html = form(t, c, "/charts/change", map[string]string{"document": simple})
	assert.Contains(t, html, "Yard cost, by kind")
	assert.Contains(t, html, `data-part="measure.0"`)
	_, html = form(t, c, "/charts/change", map[string]string{"document": simple, "title": "  Costs  "})
	assert.Contains(t, html, `value="Costs"`)
	_, html = form(t, c, "/charts/change", map[string]string{"document": simple, "title": "Yard cost, by kind"})
	assert.NotContains(t, html, `&#34;title&#34;`, "the title that follows the sentence is not kept as one of its own")

	_, body := form(t, c, "/charts/answer", map[string]string{"document": simple}, "Accept", "application/json")
	var a answer
	require.NoError(t, json.Unmarshal([]byte(body), &a))
	assert.NotNil(t, a.Drawing)
	_, body = form(t, c, "/charts/answer", map[string]string{"document": strings.Replace(simple, "yard_cost", "", 1)}, "Accept", "application/json")
	assert.Contains(t, body, "Sum of which field?", "what is missing is said, not failed")
	along := strings.Replace(simple, `{"field":"kind"}`, `{"field":"opened","grain":"month"}`, 1)
	_, body = form(t, c, "/charts/answer", map[string]string{"document": along}, "Accept", "application/json")
	assert.Contains(t, body, `"grains":["`)
	_, body = form(t, c, "/charts/answer", map[string]string{"document": strings.Replace(along, `"form":"bars"`, `"form":"bars","finish":{"grain_kept":true}`, 1)}, "Accept", "application/json")
	assert.NotContains(t, body, `"grains":["`, "whoever makes it may keep the steps from being changed")
	status, body = form(t, c, "/charts/answer", map[string]string{"document": `{"version":1,"datasett":""}`}, "Accept", "application/json")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, `no key \"datasett\"`)
	status, body = form(t, c, "/charts/records", map[string]string{"document": simple, "mark": `{"now":"2099-01-01T00:00:00Z","measure":0,"keys":[{"is":"rework"}]}`})
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "sum of Yard cost")
}

// Typed words become a chart of the dataset that they speak of, with the values that whoever
// types them may see.
func TestTypedWordsBecomeACharts(t *testing.T) {
	type read struct {
		Sentence, Document, Missing string
		Nothing                     bool
		Unknown                     []struct {
			Text     string
			From, To int
			Offers   []string
		}
		Corrected []struct{ Typed, Read string }
		Offers    []struct{ Text, Kind string }
		Others    []struct{ Sentence string }
	}
	c := author(t, demo.AuthorEmail)
	words := func(line, document string) (r read) {
		status, body := form(t, c, "/charts/words", map[string]string{"document": document, "line": line}, "Accept", "application/json")
		require.Equal(t, http.StatusOK, status, body)
		require.NoError(t, json.Unmarshal([]byte(body), &r))
		return r
	}
	const none = `{"version":2,"dataset":"","measures":null,"form":"columns"}`
	for line, want := range map[string]string{
		"yard cost by month for Tarn Quay": "Sum of Yard cost of Yard jobs, per month of Opened, only where Yard is “Tarn Quay”, as columns",
		"how many hazards by severity":     "Number of hazards of Hazards, by Severity, as bars",
		"jobs at Tarn Quay last 45 days":   "Number of jobs of Yard jobs, only where Yard is “Tarn Quay” and Opened in the last 45 days, as key figures",
		"yrad cost per week split by kind": "Sum of Yard cost of Yard jobs, per week of Opened, split by Kind, as stacked columns",
	} {
		r := words(line, none)
		assert.Equal(t, want, r.Sentence, line)
		assert.Empty(t, r.Unknown, line)
		_, html := form(t, c, "/charts/change", map[string]string{"document": r.Document})
		assert.Contains(t, html, `data-part="form"`, line)
	}
	r := words("“é” jobs by zebra for tarn", simple)
	require.Len(t, r.Unknown, 2)
	assert.Equal(t, []int{9, 26}, []int{r.Unknown[1].From, r.Unknown[1].To}, "counted as the page counts")
	assert.Contains(t, r.Unknown[1].Offers, "Tarn Quay")
	assert.Contains(t, r.Offers, struct{ Text, Kind string }{"Tarn Quay", "Yard"})
	r = words("top 5 boats by yard cost", none) // of which two datasets can tell
	said := []string{r.Sentence}
	for _, other := range r.Others {
		said = append(said, other.Sentence)
	}
	assert.Contains(t, said, "Sum of Yard cost of Yard jobs, by Boat, the largest 5, as bars")
	finished := strings.Replace(simple, `"form":"bars"`, `"form":"bars","title":"Mine","finish":{"legend":"right"}`, 1)
	r = words("sum of yard cost by yard", finished)
	assert.Contains(t, r.Document, `"legend": "right"`, "what is not spoken of stays")
	assert.Contains(t, r.Document, `"title": "Mine"`)
	r = words("sum of yard cost by yard; finished: no legend", finished)
	assert.Contains(t, r.Document, `"legend": "none"`)
	_, html := form(t, c, "/charts/finish", map[string]string{"document": r.Document, "section": "Words"})
	assert.Contains(t, html, "Titled “Mine”")
	assert.Contains(t, html, "no legend")
	assert.Contains(t, html, `data-path="finish.subtitle"`, "the section that is asked for is unfolded")
	assert.True(t, words("what is the", simple).Nothing)
	status, body := form(t, c, "/charts/words", map[string]string{"document": simple, "line": strings.Repeat("jobs ", 500)}, "Accept", "application/json")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "at most 2000 letters")
}

func TestALibraryChartIsPlacedAndPublished(t *testing.T) {
	conn := records(t)
	c := author(t, demo.AuthorEmail)
	status, _ := form(t, c, "/dashboards", map[string]string{"title": "From the library"})
	require.Equal(t, http.StatusSeeOther, status)
	_, page := send(t, c, http.MethodGet, "/dashboards/from-the-library/edit", nil)
	assert.Contains(t, page, `&#34;widgets&#34;: []`, "a page without widgets has an empty list of them")
	status, body := form(t, c, "/dashboards", map[string]string{"title": "From the library"}, "Accept", "application/json")
	assert.Equal(t, http.StatusConflict, status, body)
	status, _ = form(t, c, "/charts/place", map[string]string{"document": strings.Replace(simple, `"bars"`, `"bars","title":"Kept"`, 1), "to": "library"})
	require.Equal(t, http.StatusSeeOther, status)
	_, body = send(t, c, http.MethodGet, "/charts", nil)
	assert.Contains(t, body, "/charts/edit?at=library/kept")
	status, _ = form(t, c, "/dashboards/from-the-library/add", map[string]string{"what": "library/kept", "page": "Overview"})
	require.Equal(t, http.StatusSeeOther, status)
	form(t, c, "/dashboards/from-the-library/add", map[string]string{"what": "text", "page": "Overview"})
	form(t, c, "/charts/place", map[string]string{"document": simple, "to": "from-the-library"})
	status, body = send(t, c, http.MethodPost, "/api/v1/dashboards/from-the-library/publish", nil)
	require.Equal(t, http.StatusOK, status, body)
	_, body = send(t, c, http.MethodGet, "/api/v1/dashboards/from-the-library", nil)
	assert.Len(t, regexp.MustCompile(`"id":`).FindAllString(body, -1), 3)
	assert.Contains(t, body, `"library":"kept"`)
	_, body = send(t, c, http.MethodPost, "/api/v1/dashboards/from-the-library/widgets/widget-1/run", map[string]any{})
	assert.Contains(t, body, scalar(t, conn, "select sum(yard_cost) from yard_job where kind = 'rework' and status <> 'withdrawn'"))
	// Changed in the library, what is published stays byte for byte, until it changes everywhere.
	run := func() string {
		_, b := send(t, c, http.MethodPost, "/api/v1/dashboards/from-the-library/widgets/widget-1/run", map[string]any{})
		return b
	}
	before := run()
	status, body = form(t, c, "/charts/change", map[string]string{"document": strings.Replace(simple, "sum", "count", 1), "at": "library/kept"})
	require.Equal(t, http.StatusOK, status, body)
	assert.Equal(t, before, run())
	status, body = send(t, c, http.MethodPost, "/api/v1/charts/kept/publish", `{"where":"from now on"}`)
	require.Equal(t, http.StatusOK, status, body)
	assert.Equal(t, before, run())
	_, draft := send(t, c, http.MethodPost, "/api/v1/dashboards/from-the-library/widgets/widget-1/run?draft=1", map[string]any{})
	assert.NotEqual(t, before, draft, "a draft shows the newest")
	status, body = send(t, c, http.MethodPost, "/api/v1/charts/kept/publish", `{"where":"everywhere"}`)
	require.Equal(t, http.StatusOK, status, body)
	assert.Contains(t, body, `"dashboards":["From the library"]`)
	body = run()
	assert.Contains(t, body, `"exact":"`+scalar(t, conn, "select count(yard_cost) from yard_job where kind = 'rework' and status <> 'withdrawn'")+`"`)
	_, body = send(t, c, http.MethodGet, "/home/list?find=LIBRARY", nil)
	assert.Contains(t, body, "From the library")
	assert.NotContains(t, body, "Yard today")
	_, body = send(t, c, http.MethodGet, "/home/list?find=<b>", nil)
	assert.Contains(t, body, "No dashboard has “&lt;b&gt;”")
}

func TestDefinitionsRunThroughTheAPI(t *testing.T) {
	conn := records(t)
	c := author(t, demo.AuthorEmail)
	run := func(definition, filters string) (int, string) {
		return send(t, c, http.MethodPost, "/api/v1/run", `{"definition":`+definition+`,"filters":`+filters+`}`)
	}
	status, body := run(`{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"}]}`, `{"field":"kind","is":"rework"}`)
	require.Equal(t, http.StatusOK, status, body)
	assert.Contains(t, body, `"exact":"`+scalar(t, conn, "select sum(yard_cost) from yard_job where kind = 'rework' and status <> 'withdrawn'")+`"`)
	status, body = run(`{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}]}`, `{"field":"title","is":"a\u0000b"}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status, "a sign that no text may hold: %s", body)
	assert.Contains(t, body, "no text")
	for definition, words := range map[string]string{
		`{"version":2,"dataset":"yard-jobs","measures":[{"sum":"colour"}]}`: "no field “colour”",
		`{"version":2,"dataset":"barges","measures":[]}`:                    "no dataset “barges”",
		`{"version":9,"dataset":"yard-jobs","measures":[]}`:                 "newer Eskadel",
	} {
		status, body := run(definition, `"every row"`)
		assert.GreaterOrEqual(t, status, 400)
		assert.Contains(t, body, words)
	}
	status, body = run(`{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}]}`, `{"field":"kind","resembles":"x"}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, `no comparison \"resembles\"`)
}

// What is gone under a dashboard says so at its place, with what mends it; publishing leads there.
func TestWhatIsGoneUnderADashboardIsSaid(t *testing.T) {
	records(t)
	c := author(t, demo.AuthorEmail)
	lost := strings.Replace(simple, `"kind"`, `"lost"`, 1)
	require.NotEqual(t, simple, lost)
	status, body := send(t, c, http.MethodPut, "/api/v1/dashboards/gone", json.RawMessage(`{"version":1,"name":"gone","title":"Gone","filters":[{"name":"of","field":"kind","default":["vanished"]},{"name":"no","field":"no_such"}],
		"pages":[{"title":"P","widgets":[{"id":"lost","at":[0,0,6,4],"chart":`+lost+`},{"id":"renamed","at":[6,0,6,4],"chart":`+strings.Replace(simple, "yard-jobs", "renamed", 1)+`},{"id":"sound","at":[0,4,6,4],"chart":`+simple+`}]}]}`), "If-Match", "*")
	require.Equal(t, http.StatusOK, status, body)
	_, line := form(t, c, "/dashboards/gone/line", map[string]string{})
	assert.Contains(t, line, "which no job has as its kind any more")
	assert.Contains(t, line, "Nothing on its pages answers to it")
	_, panel := form(t, c, "/charts/panel", map[string]string{"at": "gone/renamed"})
	assert.Contains(t, panel, "There is no dataset “renamed”. Choose another.")
	_, panel = form(t, c, "/charts/panel", map[string]string{"at": "gone/lost"})
	assert.Contains(t, panel, "by which field?")
	_, reach := form(t, c, "/dashboards/gone/reach", map[string]string{})
	assert.Contains(t, reach, `data-column="sound"`)
	assert.NotContains(t, reach, `data-column="renamed"`, "what cannot be read is left out")
	_, words := form(t, c, "/dashboards/gone/publishing", map[string]string{})
	for _, lead := range []string{`data-lead="lost"`, `data-lead="renamed"`, `data-filter="of"`, `data-filter="no"`} {
		assert.Contains(t, words, lead)
	}
	assert.NotContains(t, words, `data-lead="sound"`)
	status, body = form(t, c, "/dashboards/gone/publish", map[string]string{}, "Accept", "application/json")
	assert.Equal(t, http.StatusNotFound, status, body)
	assert.Contains(t, body, "has no field “lost”")
	status, body = form(t, c, "/charts/panel", map[string]string{"at": "gone/nothing"})
	assert.Equal(t, http.StatusNotFound, status, body)
}
