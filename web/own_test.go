package web_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/rule"
	"eskadel/core/sentence/sentencetest"
	"eskadel/demo"
	"eskadel/identity"
	_ "eskadel/testseed"
)

// What a chart adds to its dataset is computed as a query by hand gives it, for a viewer from
// their own records only, and leads to its records.
func TestFieldsOfAChartsOwnAreComputed(t *testing.T) {
	conn, c := records(t), author(t, demo.AuthorEmail)
	labour, kind := dataset.OwnField{Label: "Twice", Formula: "yard_cost * 2"}, dataset.OwnField{Label: "Kind of boat", Of: "boat", Column: "kind"}
	own, err := json.Marshal([]dataset.OwnField{labour, kind})
	require.NoError(t, err)
	at, err := time.Parse(time.RFC3339, moment)
	require.NoError(t, err)
	document := fmt.Sprintf(`{"version":2,"dataset":"yard-jobs","own":%s,"measures":[{"sum":%q}],"by":[{"field":%q,"sort":{"by":"label"}}],"form":"table"}`, own, labour.Name(), kind.Name())
	var d chart.Document
	require.NoError(t, json.Unmarshal([]byte(document), &d))
	mara := &identity.Caller{Author: true, Viewer: rule.Viewer{Builder: true}}
	got, err := running.Workspace.Run(t.Context(), mara, d.Definition, filter.Condition{})
	require.NoError(t, err)
	ketch := slices.IndexFunc(got.Grid.Rows, func(r chart.Row) bool { return r.Cells[0].Text == "ketch" })
	require.GreaterOrEqual(t, ketch, 0)
	const jobs = " from yard_job j join vessel v on v.id = j.vessel_id where j.status <> 'withdrawn'"
	assert.Equal(t, scalar(t, conn, "select sum(j.yard_cost * 2)"+jobs+" and v.kind = 'ketch'"), got.Grid.Rows[ketch].Cells[1].Exact)

	mark, _ := json.Marshal(map[string]any{"now": at, "measure": 0, "keys": []any{map[string]any{"is": "ketch"}}})
	status, body := form(t, c, "/charts/records", map[string]string{"document": document, "mark": string(mark)})
	require.Equal(t, http.StatusOK, status, body)
	assert.Contains(t, plain([]byte(body)), scalar(t, conn, "select count(*)"+jobs+" and v.kind = 'ketch'")+" jobs")

	for words, own := range map[string]string{
		"There is no field": `[{"label":"X","formula":"nothing * 2"}]`, "offers no": `[{"label":"X","of":"yard","column":"name"}]`, "There is a field called": `[{"label":"Kind","formula":"yard_cost * 2"}]`,
	} {
		status, body = form(t, c, "/charts/change", map[string]string{"document": `{"version":2,"dataset":"yard-jobs","own":` + own + `,"measures":[{"count":"records"}],"form":"key figures"}`})
		assert.Equal(t, http.StatusOK, status)
		assert.Contains(t, plain([]byte(body)), words)
	}
	status, body = form(t, c, "/charts/change", map[string]string{"document": document, "part": "own.0", "label": "Thrice", "formula": "yard_cost * 3"})
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, plain([]byte(body)), "Sum of Thrice")
	status, body = form(t, c, "/charts/change", map[string]string{"document": document, "part": "own.0", "label": "Thrice", "formula": "yard_cost *"})
	assert.Equal(t, http.StatusUnprocessableEntity, status, body)
}

// The words of any chart of any of the demo's datasets are read as the same chart.
func TestWordsOfEveryDatasetAreReadAsWhatTheySay(t *testing.T) {
	builder := rule.Viewer{Builder: true}
	sets, err := running.Workspace.Datasets(t.Context(), &identity.Caller{Author: true, Viewer: builder})
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(sets), 14)
	for _, ds := range sets {
		t.Run(ds.Name, func(t *testing.T) {
			seen, err := running.Engine.Dataset(t.Context(), ds.Name, builder)
			require.NoError(t, err)
			rapid.Check(t, func(t *rapid.T) {
				other := rapid.SampledFrom(sets).Draw(t, "beside")
				sentencetest.ReadAsSaid(t, sentencetest.All{seen, other})
			})
		})
	}
}
