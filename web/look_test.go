package web_test

import (
	"encoding/json"
	"fmt"
	"github.com/xuri/excelize/v2"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/demo"
)

// A viewer looks at a widget by another grain and closer; the standard view stays as it is.
func TestAViewerLooksByAnotherGrain(t *testing.T) {
	c := author(t, demo.AuthorEmail)
	ask := func(state string) (status int, a struct {
		Drawing *chart.Drawing
		Grain   string
		Grains  []string
		Closer  bool
		Detail  string
	}) {
		status, body := form(t, c, "/view/yard-today/widgets/cost", map[string]string{"state": state}, "Accept", "application/json")
		require.NoError(t, json.Unmarshal([]byte(body), &a), body)
		return status, a
	}
	_, weeks := ask(`{}`)
	require.NotNil(t, weeks.Drawing)
	assert.Equal(t, "week", weeks.Grain)
	assert.Contains(t, weeks.Grains, "month")
	_, months := ask(`{"looks":{"cost":{"grain":"month"}}}`)
	assert.Equal(t, "month", months.Grain)
	assert.Less(t, len(months.Drawing.Groups), len(weeks.Drawing.Groups))
	first := weeks.Drawing.Groups[3].Key
	part, _ := json.Marshal(map[string]any{"from": first.From, "to": weeks.Drawing.Groups[5].Key.To})
	_, closer := ask(`{"looks":{"cost":{"part":` + string(part) + `}}}`)
	assert.True(t, closer.Closer)
	assert.Len(t, closer.Drawing.Groups, 3)
	status, wrong := ask(`{"looks":{"nothing":{"grain":"day"}}}`)
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, wrong.Detail, "no widget")
	_, words := form(t, c, "/view/yard-today/widgets/crews/words", map[string]string{"state": "{}"})
	assert.Contains(t, words, "How it is asked")
}

// Figures go out as a file only where the author lets viewers take them.
func TestViewersTakeFiguresOnlyWhereTheyMay(t *testing.T) {
	v := foreman(t)
	status, refused := v.do(http.MethodPost, "/view/yard-today/widgets/crews/figures.file", nil)
	assert.Equal(t, http.StatusForbidden, status)
	assert.Contains(t, string(refused), "does not let its figures be taken away")
	c := author(t, demo.AuthorEmail)
	status, body := form(t, c, "/view/yard-today/widgets/crews/figures.file", map[string]string{"state": "{}", "kind": "csv"})
	require.Equal(t, http.StatusOK, status, body)
	assert.True(t, strings.HasPrefix(body, "Crew,Jobs,"), body)
	assert.Contains(t, body, "\nOthers,")
	for _, kind := range []string{"png", "svg", "pdf"} {
		status, body = form(t, c, "/view/yard-today/widgets/cost/picture", map[string]string{"state": "{}", "kind": kind})
		require.Equal(t, http.StatusOK, status, body)
		assert.Contains(t, body[:40], map[string]string{"png": "PNG", "svg": "<svg ", "pdf": "%PDF-"}[kind])
	}
	_, words := form(t, c, "/view/yard-today/widgets/cost/take", map[string]string{"state": "{}"})
	assert.Contains(t, words, "save the picture")
	assert.Contains(t, words, "save the figures")
	status, refused = v.do(http.MethodPost, "/view/yard-today/widgets/cost/picture", nil)
	assert.Equal(t, http.StatusForbidden, status, string(refused))
	status, body = form(t, c, "/view/yard-today/widgets/crews/picture", map[string]string{"state": "{}"}, "Accept", "application/json")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "is not drawn: its figures can be taken away as a file")
	status, body = form(t, c, "/view/yard-today/widgets/cost/picture", map[string]string{"state": "{}", "kind": "gif"}, "Accept", "application/json")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "png, svg, pdf is")
	_, said := send(t, author(t, demo.BuilderEmail), http.MethodGet, "/people/log", nil)
	for _, what := range []string{"took away figures (csv)", "took away a picture (png)", "took away a picture (svg)", "took away a picture (pdf)"} {
		assert.Contains(t, said, what)
	}
	status, body = form(t, c, "/view/yard-today/widgets/jobs/figures.file", map[string]string{"state": "{}", "kind": "csv"}, "Accept", "application/json")
	assert.Equal(t, http.StatusNotFound, status, body)
	assert.Contains(t, body, "no table of figures")
	status, body = form(t, c, "/view/yard-today/widgets/crews/figures.file", map[string]string{"state": "{}", "kind": "ods"}, "Accept", "application/json")
	assert.Equal(t, http.StatusUnprocessableEntity, status, body)
	// The page as a workbook: a sheet for each chart that has figures, and one of what they are.
	status, body = form(t, c, "/view/yard-today/figures.file", map[string]string{"state": "{}", "kind": "xlsx"})
	require.Equal(t, http.StatusOK, status, body)
	book, err := excelize.OpenReader(strings.NewReader(body))
	require.NoError(t, err)
	assert.Equal(t, []string{"Jobs under way", "Late starts", "Revenue", "Yard cost per week, by kind", "Jobs by part group", "Late starts per month, by yard", "Revenue per month", "Hours and cost by crew", "About"}, book.GetSheetList())
	about, _ := book.GetRows("About")
	assert.Contains(t, fmt.Sprint(about), "Made from")
	late, _ := book.GetCellValue("Late starts", "A1")
	assert.NotEmpty(t, late)
	status, body = form(t, c, "/view/yard-today/figures.file", map[string]string{"state": "{}", "kind": "xlsx", "widget": "crews"})
	require.Equal(t, http.StatusOK, status, body)
	book, err = excelize.OpenReader(strings.NewReader(body))
	require.NoError(t, err)
	assert.Equal(t, []string{"Hours and cost by crew", "About"}, book.GetSheetList())
	status, refused = v.do(http.MethodPost, "/view/yard-today/figures.file", nil)
	assert.Equal(t, http.StatusForbidden, status, string(refused))
	// Records, with how many there are while they come.
	mark := `{"version":0,"now":"2026-11-18T14:23:11Z","measure":0,"keys":[]}`
	status, body = form(t, c, "/view/yard-today/widgets/cost/records.file", map[string]string{"state": "{}", "mark": mark, "kind": "csv"}, "X-Progress", "yes")
	require.Equal(t, http.StatusOK, status, body)
	lines := strings.SplitN(body, "\n", 20)
	assert.JSONEq(t, `{"done":0,"of":1125}`, lines[0])
	at := slices.IndexFunc(lines, func(l string) bool { return strings.Contains(l, `"name"`) })
	assert.JSONEq(t, `{"name":"yard-cost-per-week-by-kind-records.csv","type":"text/csv; charset=utf-8"}`, lines[at])
	assert.Equal(t, 1125+1, strings.Count(body, "\r\n"), "a line for each record, and one of headings")
	status, plain := form(t, c, "/view/yard-today/widgets/cost/records.file", map[string]string{"state": "{}", "mark": mark, "kind": "csv"})
	require.Equal(t, http.StatusOK, status)
	assert.True(t, strings.HasSuffix(body, plain), "the same without")
}

// The page that says what each form is for has an example of each, and one starts like it.
func TestWhatEachFormIsFor(t *testing.T) {
	c := author(t, demo.AuthorEmail)
	_, page := send(t, c, http.MethodGet, "/charts/forms", nil)
	for _, f := range chart.Forms() {
		assert.Contains(t, page, f.Purpose()+".", f.Words())
	}
	assert.Equal(t, len(chart.Forms()), strings.Count(page, "Make one like it"), "an example of every form")
	status, page := send(t, c, http.MethodGet, "/charts/edit?like=gallery/g30", nil)
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, page, "beside")
	status, _ = send(t, c, http.MethodGet, "/charts/edit?like=gallery/none", nil)
	assert.Equal(t, http.StatusNotFound, status)
}

// Charts of one scale can be compared by eye: the same axis, and the order of the first.
func TestSiblingsShareScaleAndOrder(t *testing.T) {
	c := author(t, demo.BuilderEmail)
	chartOf := func(kind string) string {
		return `{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"by":[{"field":"part_group"}],"where":{"field":"kind","is":"` + kind + `"},"form":"bars"}`
	}
	put := func(scale string) {
		status, body := send(t, c, http.MethodPut, "/api/v1/dashboards/siblings", `{"version":1,"name":"siblings","title":"Siblings","pages":[{"title":"One","widgets":[
			{"id":"k","at":[0,8,6,4],`+scale+`"chart":{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"form":"key figures"}},
			{"id":"a","at":[0,0,6,4],`+scale+`"chart":`+chartOf("fit-out")+`},{"id":"b","at":[6,0,6,4],`+scale+`"chart":`+chartOf("seasonal care")+`}]}]}`)
		require.Less(t, status, 300, body)
	}
	t.Cleanup(func() { send(t, c, http.MethodDelete, "/api/v1/dashboards/siblings", nil) })
	ask := func(id string) *chart.Drawing {
		_, body := form(t, c, "/view/siblings/widgets/"+id, map[string]string{"state": "{}", "draft": "yes"}, "Accept", "application/json")
		var a struct{ Drawing *chart.Drawing }
		require.NoError(t, json.Unmarshal([]byte(body), &a), body)
		require.NotNil(t, a.Drawing, body)
		return a.Drawing
	}
	names := func(d *chart.Drawing) (out []string) {
		for _, g := range d.Groups {
			out = append(out, g.Label)
		}
		return out
	}
	put("")
	a, b := ask("a"), ask("b")
	require.NotEqual(t, a.Axis.High, b.Axis.High, "each by itself has its own scale")
	put(`"scale":"jobs",`)
	alone := names(a)
	a, b = ask("a"), ask("b")
	assert.Equal(t, a.Axis.High, b.Axis.High)
	assert.Equal(t, alone, names(a), "the first keeps its order")
	assert.Equal(t, alone, names(b), "and the other follows")
}

// A board's headings count every record, and a calendar has all of its month, however many
// cards are shown.
func TestBoardsAndCalendarsAreOfAllRecords(t *testing.T) {
	c, conn := author(t, demo.BuilderEmail), records(t)
	chartOf := `{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"form":"%s","finish":{%s}}`
	status, body := send(t, c, http.MethodPut, "/api/v1/dashboards/lists", `{"version":1,"name":"lists","title":"Lists","pages":[{"title":"One","widgets":[
		{"id":"board","at":[0,0,6,4],"chart":`+fmt.Sprintf(chartOf, "board", `"stage":"kind"`)+`},{"id":"calendar","at":[6,0,6,4],"chart":`+fmt.Sprintf(chartOf, "calendar", `"from":"opened"`)+`}]}]}`)
	require.Less(t, status, 300, body)
	ask := func(id string) *chart.Listing {
		_, body := send(t, c, http.MethodPost, "/api/v1/dashboards/lists/widgets/"+id+"/run?draft=1", map[string]any{})
		var a struct{ Listed *chart.Listing }
		require.NoError(t, json.Unmarshal([]byte(body), &a), body)
		require.NotNil(t, a.Listed, "%.300s", body)
		return a.Listed
	}
	board := ask("board")
	require.Positive(t, board.More, "not every card is shown")
	for _, column := range board.Columns {
		assert.Equal(t, scalar(t, conn, "select count(*) from yard_job where kind = $1 and status <> 'withdrawn'", column.Name), fmt.Sprint(column.Count), column.Name)
	}
	shown := 0
	for _, week := range ask("calendar").Weeks {
		for _, day := range week {
			shown += len(day.Cards)
		}
	}
	assert.Equal(t, scalar(t, conn, "select count(*) from yard_job where status <> 'withdrawn' and date_trunc('month', opened_at at time zone 'Europe/London') = date_trunc('month', timestamptz '"+moment+"' at time zone 'Europe/London')"), fmt.Sprint(shown))
}

// Numbers and yes or no are phrases of the reading line like any filter.
func TestFiltersOfNumbersAndOfYesOrNo(t *testing.T) {
	c, conn := author(t, demo.BuilderEmail), records(t)
	status, body := send(t, c, http.MethodPut, "/api/v1/dashboards/narrowed", `{"version":1,"name":"narrowed","title":"Narrowed","filters":[{"name":"dear","kind":"number","field":"yard_cost","label":"with a cost","default":{"at_least":100}},{"name":"late","kind":"yes or no","field":"late","label":"late:"}],
		"pages":[{"title":"One","widgets":[{"id":"n","at":[0,0,6,4],"chart":{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"form":"key figures"}}]}]}`)
	require.Less(t, status, 300, body)
	const base = "select count(*) from yard_job where status <> 'withdrawn' and yard_cost >= "
	for state, want := range map[string][2]string{
		`{}`: {"with a cost at least £100.00", base + "100"}, `{"filters":{"dear":{"at_least":"50.5","at_most":"200"}}}`: {"with a cost from £50.50 to £200.00", base + "50.5 and yard_cost <= 200"},
		`{"filters":{"dear":{"at_most":"200"},"late":["true"]}}`: {"late: yes", "select count(*) from yard_job where status <> 'withdrawn' and yard_cost <= 200 and days_late > 0"},
	} {
		_, line := form(t, c, "/view/narrowed/line", map[string]string{"state": state, "draft": "yes"})
		assert.Contains(t, plain([]byte(line)), want[0], state)
		assert.Contains(t, plain([]byte(line)), thousands(scalar(t, conn, want[1]))+" of the", state)
	}
	_, menu := form(t, c, "/view/narrowed/filters/dear", map[string]string{"state": "{}", "draft": "yes"})
	assert.Contains(t, menu, `value="100"`)
	_, menu = form(t, c, "/view/narrowed/filters/late", map[string]string{"state": "{}", "draft": "yes"})
	assert.Contains(t, menu, ">yes</button>")
	status, body = form(t, c, "/view/narrowed/line", map[string]string{"state": `{"filters":{"dear":["100"]}}`, "draft": "yes"})
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "numbers from and to")
}

// The reading line counts each dataset on the page that is narrowed, and each widget says
// whether its own changes are heard.
func TestTheReadingLineCountsWhatItNarrows(t *testing.T) {
	c := author(t, demo.AuthorEmail)
	status, b := send(t, c, http.MethodPut, "/api/v1/dashboards/both", `{"version":1,"name":"both","title":"Both","filters":[{"name":"yard","field":"yard","kind":"values"}],"pages":[
		{"title":"One","widgets":[{"id":"a","at":[0,0,4,4],"chart":{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"form":"key figures"}},
			{"id":"b","at":[4,0,4,4],"chart":{"version":2,"dataset":"hazards","measures":[{"count":"records"}],"form":"key figures"}},
			{"id":"c","at":[8,0,4,4],"answers_to":{"yard":""},"chart":{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"}],"form":"key figures"}}]},
		{"title":"Two","widgets":[{"id":"d","at":[0,0,4,4],"chart":{"version":2,"dataset":"hazards","measures":[{"count":"records"}],"form":"key figures"}}]}]}`)
	require.Equal(t, http.StatusOK, status, b)
	line := func(page, state string) string {
		status, b := form(t, c, "/view/both/line", map[string]string{"page": page, "state": state, "draft": "1"})
		require.Equal(t, http.StatusOK, status, b)
		return plain([]byte(b))
	}
	conn := records(t)
	count := func(sql string) string { return thousands(scalar(t, conn, sql)) }
	jobs, hazards := count("select count(*) from yard_job where status <> 'withdrawn'"), count("select count(*) from hazard")
	assert.Contains(t, line("One", `{}`), ": "+jobs+" of the "+jobs+" you may see.", "of what nothing narrows only the first is counted")
	assert.Contains(t, line("Two", `{}`), ": "+hazards+" of the "+hazards+" you may see.")
	narrowed := `{"filters":{"yard":[{"is":"3"}]}}`
	assert.Contains(t, line("One", narrowed), ": "+count("select count(*) from yard_job where status <> 'withdrawn' and yard_id = 3")+" of the "+jobs+" you may see, "+
		count("select count(*) from hazard where yard_id = 3")+" of the "+hazards+" hazards.")
}

// A value has one colour, in the draft and once it is published.
func TestADraftHasTheColoursThatPublishingGives(t *testing.T) {
	c := author(t, demo.AuthorEmail)
	status, b := send(t, c, http.MethodPut, "/api/v1/dashboards/tones", `{"version":1,"name":"tones","title":"Tones","pages":[{"title":"One","widgets":[
		{"id":"a","at":[0,0,6,4],"chart":{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"by":[{"field":"part_group"}],"split":{"field":"home_port","largest":4,"others":true},"form":{"bars":"stacked"}}},
		{"id":"b","at":[6,0,6,4],"chart":{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"}],"by":[{"field":"home_port"}],"form":"pie"}}]}]}`)
	require.Equal(t, http.StatusOK, status, b)
	colours := func(draft string) map[string]string {
		out := map[string]string{}
		for _, w := range []string{"a", "b"} {
			status, b := form(t, c, "/view/tones/widgets/"+w, map[string]string{"draft": draft})
			require.Equal(t, http.StatusOK, status, b)
			var a struct{ Drawing chart.Drawing }
			require.NoError(t, json.Unmarshal([]byte(b), &a))
			for _, s := range a.Drawing.Series {
				out[w+" "+s.Name] = s.Colour
			}
			for _, g := range a.Drawing.Groups {
				if w == "b" {
					out["b "+g.Label] = g.Colour
				}
			}
		}
		return out
	}
	draft := colours("1")
	status, b = send(t, c, http.MethodPost, "/api/v1/dashboards/tones/publish", nil)
	require.Equal(t, http.StatusOK, status, b)
	published := colours("")
	assert.Equal(t, published, draft)
	assert.Greater(t, len(published), 6)
}
