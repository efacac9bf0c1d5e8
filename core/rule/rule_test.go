package rule

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
)

// condition is what the dataset's own rules leave a viewer.
func condition(ds *dataset.Dataset, v Viewer) filter.Condition {
	if g := Guard(ds, v); g != nil {
		return g.Own
	}
	return filter.Condition{}
}

func TestConditionOfAViewer(t *testing.T) {
	ds := sample.Jobs()
	for _, c := range []struct {
		name  string
		v     Viewer
		want  string
		words string
	}{
		{"their own yard", Viewer{Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": 3.0}}, `{"field":"yard","is":"3"}`, "at your yard"},
		{"no attribute", Viewer{Roles: []string{"foreman"}}, `{"any":[]}`, "at your yard"},
		{"no attribute under a negation", Viewer{Roles: []string{"keeper"}}, `{"any":[]}`, "whose not (Yard is your yard)"},
		{"no role", Viewer{Attributes: filter.Attributes{"yard": 3.0}}, `{"any":[]}`, "none, for want of a rule for you"},
		{"any of two roles", Viewer{Roles: []string{"foreman", "keeper"}, Attributes: filter.Attributes{"yard": 3.0}}, `{"any":[{"field":"yard","is":"3"},{"not":{"field":"yard","is":"3"}}]}`, "at your yard or whose not (Yard is your yard)"},
		{"every row", Viewer{Roles: []string{"foreman", "director"}}, `"every row"`, ""},
		{"a builder", Viewer{Builder: true}, `"every row"`, ""},
	} {
		got, err := json.Marshal(condition(ds, c.v))
		require.NoError(t, err)
		assert.JSONEq(t, c.want, string(got), c.name)
		assert.Equal(t, c.words, Words(ds, c.v), c.name)
	}
}

func TestOnlySealedPlansPass(t *testing.T) {
	assert.Error(t, Check(nil))
	assert.Error(t, Check(&seal{}), "an empty seal was not made by Seal")
	ds := sample.Jobs()
	p, err := query.Build(query.Definition{Version: query.Version, Dataset: "jobs", Measures: []query.Measure{{Aggregate: query.Count, Field: query.Records}}}, ds, query.Setting{Now: time.Now(), Calendar: period.ISO(time.UTC)}, nil)
	require.NoError(t, err)
	ours, err := Seal(p, Viewer{Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": 3.0}})
	require.NoError(t, err)
	assert.NoError(t, Check(ours))
	theirs, err := Seal(p, Viewer{Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": 4.0}})
	require.NoError(t, err)
	same, err := Seal(p, Viewer{ID: "somebody else", Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": "3"}})
	require.NoError(t, err)
	assert.NotEqual(t, ours.Key(), theirs.Key(), "other rules, other results")
	assert.Equal(t, ours.Key(), same.Key(), "the same rules share a result")
	assert.Contains(t, ours.Statements()[0].SQL, `r."yard_id" = $`)
	assert.ElementsMatch(t, []string{"public.job", "public.yard"}, ours.Tables())
	assert.Error(t, Publishable(func() *dataset.Dataset {
		tables := sample.Tables()
		tables[1].Rules = nil
		d, err := dataset.Resolve(sample.Document(), tables, nil)
		require.NoError(t, err)
		return d
	}()))
	assert.NoError(t, Publishable(ds))
}
