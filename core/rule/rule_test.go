package rule

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	_ "eskadel/testseed"
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
	p, err := planner.Build(query.Definition{Version: query.Version, Dataset: "jobs", Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}}, ds, query.Setting{Now: time.Now(), Calendar: period.ISO(time.UTC)}, nil)
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

// Whoever shares a scope shares every question: where two viewers are asked under different
// rules, or speak of other attributes, their scopes differ.
func TestAScopeIsSharedOnlyByThoseWhoSeeTheSame(t *testing.T) {
	ds := sample.Jobs()
	roles := []string{"foreman", "keeper", "director", "guest"}
	rapid.Check(t, func(t *rapid.T) {
		one := func(name string) Viewer {
			v := Viewer{ID: name, Builder: rapid.IntRange(0, 9).Draw(t, "builder") == 0, Attributes: filter.Attributes{}}
			for _, r := range roles {
				if rapid.Bool().Draw(t, r) {
					v.Roles = append(v.Roles, r)
				}
			}
			for _, a := range []string{"yard", "staff"} {
				switch rapid.IntRange(0, 4).Draw(t, a) {
				case 0:
					v.Attributes[a] = rapid.SampledFrom([]any{"1", "2", 1.0, "", nil}).Draw(t, "value")
				case 1:
					v.Attributes[a] = []any{"1", rapid.SampledFrom([]string{"2", "3"}).Draw(t, "second")}
				}
			}
			return v
		}
		v, w := one("v"), one("w")
		key := func(v Viewer, where string, attributes ...string) (scope, sealed string) {
			d, err := query.ReadDefinition([]byte(`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"yard"}],"where":` + where + `}`))
			require.NoError(t, err)
			seen := See(ds, v)
			p, err := planner.Build(d, seen, query.Setting{Now: time.Unix(0, 0), Calendar: period.ISO(time.UTC), Viewer: v.Attributes}, nil)
			require.NoError(t, err)
			s, err := Seal(p, v)
			require.NoError(t, err)
			of := ScopeOf(v, attributes, seen)
			require.NoError(t, CheckScope(of))
			return of.Key(), s.Key()
		}
		for where, attributes := range map[string][]string{`"every row"`: nil, `{"field":"boat","is":{"viewer":"staff"}}`: {"staff"}} {
			vs, vk := key(v, where, attributes...)
			ws, wk := key(w, where, attributes...)
			if vs == ws {
				require.Equal(t, vk, wk, "%v and %v", v, w)
			}
			again, _ := key(v, where, attributes...)
			require.Equal(t, vs, again)
		}
	})
	foreman := func(staff string) Viewer {
		return Viewer{ID: staff, Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": "1", "staff": staff}}
	}
	assert.Equal(t, ScopeOf(foreman("7"), nil, ds).Key(), ScopeOf(foreman("8"), nil, ds).Key(), "two foremen of a yard cost as much as one")
	assert.NotEqual(t, ScopeOf(foreman("7"), []string{"staff"}, ds).Key(), ScopeOf(foreman("8"), []string{"staff"}, ds).Key())
	assert.Error(t, CheckScope(Scope{}), "none is made elsewhere")
}
