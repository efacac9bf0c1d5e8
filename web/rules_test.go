package web_test

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/marks"
)

// What a foreman gets from any path is of their own yard, however the request is bent.
func TestNoRequestReturnsARecordOfAnotherYard(t *testing.T) {
	conn := records(t)
	v := foreman(t)
	mine := scalar(t, conn, "select count(*) from yard_job where yard_id = 3 and status <> 'withdrawn'")
	everything := map[string]any{"filters": map[string]any{"when": nil, "where": nil, "what": nil}}
	other := "1"
	states := map[string]any{
		"as published":                                       map[string]any{},
		"every filter lifted":                                everything,
		"the yard filter on another":                         map[string]any{"filters": map[string]any{"when": nil, "where": []string{"1"}}},
		"the yard filter on all":                             map[string]any{"filters": map[string]any{"when": nil, "where": []string{"1", "2", "3", "4", "5"}}},
		"the yard filter on an attribute that is not theirs": map[string]any{"filters": map[string]any{"when": nil, "where": map[string]string{"viewer": "staff"}}},
		"narrowed by a forged mark of another yard": map[string]any{"filters": map[string]any{"when": nil}, "narrow": []any{
			map[string]any{"widget": "starts", "words": "x", "marks": []marks.Reference{{Keys: []marks.Key{{}, {Is: &other}}}}}}},
	}
	for name, state := range states {
		for _, w := range widgets {
			a := v.run(w, state)
			if w == "open" || w == "late" || w == "revenue" {
				continue // figures are compared with the tables below
			}
			text := describe(a)
			for _, yard := range []string{"Ravel Point", "Ostrey", "Hollin Creek", "Marrow Bay"} {
				assert.NotContains(t, text, yard, "%s, %s", w, name)
			}
		}
		for _, mark := range []marks.Reference{{}, {Keys: []marks.Key{{}, {Is: &other}}}, {Keys: []marks.Key{{}, {Others: true}}, Kept: [][]string{nil, {"3"}}}} {
			for number := 0; ; number++ {
				p := v.records("starts", state, mark, number)
				at := -1
				for i, n := range p.Names {
					if n == "yard" {
						at = i
					}
				}
				for _, r := range p.Rows {
					require.Equal(t, "Tarn Quay", r.Cells[at].Text, "%s: the drawer", name)
				}
				if number+1 >= min(p.Pages, 3) {
					break
				}
			}
		}
	}
	// The reading line, the counts and the value lists tell of no other record either.
	_, line := v.do(http.MethodPost, "/view/yard-today/line", url.Values{"state": {`{"filters":{"when":null,"where":null}}`}})
	assert.Contains(t, plain(line), "of the "+thousands(mine)+" you may see")
	assert.Contains(t, plain(line), "at your yard")
	_, list := v.do(http.MethodPost, "/view/yard-today/filters/where", url.Values{"state": {`{"filters":{"when":null,"where":["1"]}}`}})
	assert.Contains(t, string(list), "Tarn Quay")
	assert.NotContains(t, string(list), "Ravel Point")
	// Sums agree with the foreman's own rows, to the cent.
	a := v.run("revenue", everything)
	assert.Equal(t, scalar(t, conn, "select sum(net) from invoice_line l join invoice i on i.id = l.invoice_id where i.yard_id = 3"), a.Figures[0].Exact)
	assert.Equal(t, scalar(t, conn, "select sum(net) from invoice_line"), director(t).run("revenue", everything).Figures[0].Exact, "a director sees all five")
}

func plain(html []byte) string {
	text := strings.NewReplacer("<b>", "", "</b>", "", `<span class="rule-phrase">`, "", "</span>", "").Replace(string(html))
	return strings.Join(strings.Fields(text), " ") // as it is shown
}

func thousands(digits string) string {
	if len(digits) > 3 {
		return digits[:len(digits)-3] + "," + digits[len(digits)-3:]
	}
	return digits
}

func TestViewersMayNotAskWhatIsNotTheirs(t *testing.T) {
	v := foreman(t)
	definition := map[string]any{"definition": map[string]any{"version": 2, "dataset": "yard-jobs", "measures": []any{map[string]string{"count": "records"}}}}
	for name, ask := range map[string]func() (int, []byte){
		"a definition of their own": func() (int, []byte) { return v.do(http.MethodPost, "/api/v1/run", definition) },
		"a chart in the editor":     func() (int, []byte) { return v.do(http.MethodPost, "/charts/answer", url.Values{"document": {"{}"}}) },
		"a dataset's document":      func() (int, []byte) { return v.do(http.MethodGet, "/api/v1/datasets/yard-jobs", nil) },
		"another dataset's rules":   func() (int, []byte) { return v.do(http.MethodPut, "/api/v1/datasets/yard-jobs", map[string]any{}) },
		"the draft": func() (int, []byte) {
			return v.do(http.MethodPost, "/view/yard-today/widgets/cost?draft=1", url.Values{})
		},
		"another dashboard": func() (int, []byte) { return v.do(http.MethodGet, "/api/v1/dashboards/money", nil) },
		"a source's tables": func() (int, []byte) { return v.do(http.MethodGet, "/data/sources/yard-desk", nil) },
		"publishing":        func() (int, []byte) { return v.do(http.MethodPost, "/api/v1/dashboards/yard-today/publish", nil) },
		"the audit log":     func() (int, []byte) { return v.do(http.MethodGet, "/people/log", nil) },
	} {
		status, b := ask()
		assert.Equal(t, http.StatusForbidden, status, "%s: %s", name, b)
	}
}

func TestBentRequestsAreRefusedInWords(t *testing.T) {
	v := foreman(t)
	for name, c := range map[string]struct {
		state string
		words string
	}{
		"an unknown filter":          {`{"filters":{"secret":["1"]}}`, "no filter"},
		"a range for a list":         {`{"filters":{"where":"this month"}}`, "set to a range of dates"},
		"a text for a key":           {`{"filters":{"where":["1); drop table yard_job; --"]}}`, "is not a number"},
		"an unknown key":             {`{"rules":"none"}`, "no key"},
		"a mark of no widget":        {`{"narrow":[{"widget":"nowhere","words":"x","marks":[{"measure":0,"keys":[],"now":"2026-01-01T00:00:00Z"}]}]}`, "no widget"},
		"a mark with too many keys":  {`{"narrow":[{"widget":"parts","words":"x","marks":[{"measure":0,"keys":[{},{},{},{}],"now":"2026-01-01T00:00:00Z"}]}]}`, "has changed"},
		"something that is not JSON": {`{`, "not valid JSON"},
	} {
		status, b := v.do(http.MethodPost, "/view/yard-today/widgets/cost", url.Values{"state": {c.state}})
		assert.Contains(t, []int{404, 409, 422}, status, "%s: %s", name, b)
		assert.Contains(t, string(b), c.words, name)
	}
}

// A viewer without the attribute, with a blank one, or without a role sees nothing.
func TestMissingAttributesGiveNoRecords(t *testing.T) {
	for name, v := range map[string]viewer{
		"no attribute":    as(t, []string{"foreman"}, nil),
		"a null":          as(t, []string{"foreman"}, map[string]any{"yard": nil}),
		"a blank":         as(t, []string{"foreman"}, map[string]any{"yard": " "}),
		"an empty list":   as(t, []string{"foreman"}, map[string]any{"yard": []any{}}),
		"no role":         as(t, nil, map[string]any{"yard": 3}),
		"an unknown role": as(t, []string{"admiral"}, map[string]any{"yard": 3}),
	} {
		assert.Zero(t, v.records("jobs", map[string]any{"filters": map[string]any{"when": nil}}, marks.Reference{}, 0).Count, name)
		assert.Equal(t, "0", v.run("open", map[string]any{}).Figures[0].Exact, name)
	}
	// Two yards in a list are both theirs; a text that is a number is taken as one.
	both := as(t, []string{"foreman"}, map[string]any{"yard": []any{"3", 4}})
	conn := records(t)
	_, line := both.do(http.MethodPost, "/view/yard-today/line", url.Values{})
	assert.Contains(t, plain(line), thousands(scalar(t, conn, "select count(*) from yard_job where yard_id in (3, 4) and status <> 'withdrawn'"))+" you may see")
}
