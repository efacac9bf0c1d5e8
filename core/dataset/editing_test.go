package dataset_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/problem"
)

func editing(t *testing.T, text string) (*dataset.Dataset, error) {
	d := sample.Document()
	d.Fields = append(d.Fields, dataset.FieldDocument{Name: "no", Column: "id"}, dataset.FieldDocument{Name: "spot", Column: "rough"})
	require.NoError(t, json.Unmarshal([]byte(text), &d.Editing), text)
	return dataset.Resolve(d, sample.Tables(), nil)
}

func TestWhatMayBeChanged(t *testing.T) {
	ds, err := editing(t, `{"fields":["kind","yard"],"host_app":"desk","address":"/eskadel/jobs/{id}"}`)
	require.NoError(t, err)
	var could, may []string
	for _, f := range ds.Changeable() {
		could = append(could, f.Name)
	}
	for _, f := range ds.Visible() {
		if ds.Edits(f) {
			may = append(may, f.Name)
		}
	}
	assert.Equal(t, []string{"opened", "promised", "kind", "boat", "yard", "cost", "rough", "state", "late", "spot"}, could, "no formula, nothing of a linked record, no key")
	assert.Equal(t, []string{"kind", "yard"}, may)
	assert.Equal(t, "/eskadel/jobs/a%2F1", ds.ChangeAddress([]string{"a/1"}))
	kind, err := ds.Field("kind")
	require.NoError(t, err)
	assert.Equal(t, `update "public"."job" t set "kind" = $1 where t.xmin::text operator(pg_catalog.=) $2 and (t."kind" operator(pg_catalog.=) $3 or t."kind" is null and $3 is null) and t."id" operator(pg_catalog.=) $4`, ds.Set(kind))

	for text, want := range map[string]string{
		`{}`: "editing.fields: Say which fields may be changed, or leave editing out.", `{"fields":["nothing"]}`: "editing.fields[0]: Jobs has no further field “nothing”.", `{"fields":["kind","kind"]}`: "editing.fields[1]: Jobs has no further field “kind”.",
		`{"fields":["region"]}`: "editing.fields[0]: “Region” cannot be changed: it is no column of job, or a part of its key.", `{"fields":["no"]}`: "editing.fields[0]: “No” cannot be changed: it is no column of job, or a part of its key.",
		`{"fields":["kind"],"host_app":"desk"}`: "editing.address: A host app that makes the changes has an address for them, such as /eskadel/jobs/{id}.", `{"fields":["kind"],"address":"/x"}`: "editing.address: A host app that makes the changes has an address for them, such as /eskadel/jobs/{id}.",
		`{"fields":["kind"],"host_app":"desk","address":"https://elsewhere"}`: "editing.address: The address for changes is a path of the host app such as /eskadel/jobs/{id}.", `{"fields":["kind"],"host_app":"desk","address":"/x/{cost}"}`: "editing.address: “cost” is no column of the key of Jobs.",
	} {
		_, err := editing(t, text)
		if p := problem.Of(err); assert.NotNil(t, p, text) {
			assert.Equal(t, want, p.Place+": "+p.Words, text)
		}
	}
	d := sample.Document()
	d.From, d.Key, d.OpenRecord, d.Date = dataset.From{Table: "note"}, nil, "", ""
	d.Fields, d.Editing, d.RowRules, d.Conditions, d.Measures = []dataset.FieldDocument{{Name: "words", Column: "words"}}, &dataset.Editing{Fields: []string{"words"}}, nil, nil, nil
	_, err = dataset.Resolve(d, sample.Tables(), nil)
	assert.Equal(t, "editing", problem.Of(err).Place, "a view has no rows of its own")
}
