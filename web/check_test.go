package web_test

import (
	"bytes"
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/check"
	"eskadel/core/filter"
	"eskadel/core/query"
	"eskadel/core/rule"
)

// The matrix of viewers and paths over the demonstration's own dashboard and datasets.
func TestTheCheckProvesRulesAndFindsALeak(t *testing.T) {
	ctx := context.Background()
	_, err := running.Cluster.Database(ctx, "scratch", "scratch")
	require.NoError(t, err)
	config, err := check.ReadConfig([]byte(`{"dashboards":["yard-today"],"datasets":["hazards"],"viewers":[
		{"name":"Tarn Quay's foreman","roles":["foreman"],"attributes":{"yard":3,"staff":7}},{"name":"a director","roles":["director"]},{"name":"nobody's","roles":["visitor"]}]}`))
	require.NoError(t, err)
	checker := &check.Checker{Store: running.Store, Engine: running.Engine, Scratch: running.Cluster.URL("scratch", "scratch")}
	lines, err := checker.Rules(ctx, config)
	require.NoError(t, err)
	viewers := map[string]int{}
	for _, l := range lines {
		viewers[l.Viewer]++
		assert.True(t, l.Same, "%s, %s, %s:\n%s\n%s", l.Viewer, l.Dataset, l.Path, l.Got, l.Want)
	}
	assert.Len(t, viewers, 3)
	for name, paths := range viewers {
		assert.Greater(t, paths, 20, name)
	}
	var out bytes.Buffer
	assert.Zero(t, check.Print(&out, lines))
	assert.Contains(t, out.String(), "Tarn Quay's foreman")

	// Somebody who gets more than the tables of the allowed hold is found out.
	full, err := running.Engine.Dataset(ctx, "yard-jobs", rule.Viewer{Builder: true})
	require.NoError(t, err)
	foreman := rule.Viewer{Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": 3.0}}
	src, err := running.Engine.Source(full.Source)
	require.NoError(t, err)
	part, over, err := check.Reduce(ctx, src, full, foreman, checker.Scratch)
	require.NoError(t, err)
	defer over.Close()
	asked := []check.Question{{Name: "jobs", Setting: query.Setting{Now: time.Now(), Calendar: running.Engine.Calendar()}}}
	leak := check.Ask(ctx, src, full, rule.Viewer{Builder: true}, asked)
	held := check.Ask(ctx, over, part, rule.Viewer{Builder: true}, asked)
	differ := 0
	for i := range min(len(leak), len(held)) {
		if leak[i] != held[i] {
			differ++
		}
	}
	assert.Greater(t, differ, 3, "records of five yards instead of one")
}

func TestChecksAreReadStrictly(t *testing.T) {
	for text, words := range map[string]string{
		`{"dashboards":["yard-today"],"viewers":[]}`: "one viewer",
		`{"viewers":[{"name":"a"}]}`:                 "one dashboard or dataset",
		`{"dashboard":["yard-today"]}`:               `no key "dashboard"`,
	} {
		_, err := check.ReadConfig([]byte(text))
		assert.ErrorContains(t, err, words)
	}
	lost := &check.Checker{Store: running.Store, Engine: running.Engine, Scratch: running.Cluster.URL("scratch", "no-such")}
	_, err := lost.Rules(context.Background(), &check.Config{Datasets: []string{"yard-jobs"}, Viewers: []check.Viewer{{Name: "a", Roles: []string{"director"}}}})
	assert.ErrorContains(t, err, "connect to the scratch database")
	_, err = lost.Rules(context.Background(), &check.Config{Datasets: []string{"no-such"}, Viewers: []check.Viewer{{Name: "a"}}})
	assert.Error(t, err)
}
