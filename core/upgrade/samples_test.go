package upgrade_test

import (
	"fmt"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/query"
)

// A sample of every version that was ever written is read, as the newest reads.
func TestASampleOfEachVersionIsRead(t *testing.T) {
	written := func(v interface{ JSON() []byte }, err error) (string, error) {
		if err != nil {
			return "", err
		}
		return string(v.JSON()), nil
	}
	for kind, of := range map[string]struct {
		versions int
		read     func([]byte) (string, error)
	}{
		"chart":     {query.Version, func(b []byte) (string, error) { d, err := chart.Read(b); return written(d, err) }},
		"dashboard": {dashboard.Version, func(b []byte) (string, error) { d, err := dashboard.Read(b); return written(d, err) }},
		"dataset":   {dataset.Version, func(b []byte) (string, error) { d, err := dataset.Read(b); return written(d, err) }},
		"rules":     {dataset.RulesVersion, func(b []byte) (string, error) { d, err := dataset.ReadTableRules(b); return written(d, err) }},
		"settings":  {period.WorkspaceVersion, func(b []byte) (string, error) { d, err := period.ReadWorkspace(b); return written(d, err) }},
	} {
		newest := ""
		for n := of.versions; n >= 1; n-- {
			b, err := os.ReadFile(fmt.Sprintf("testdata/%s-%d.json", kind, n))
			require.NoError(t, err, "keep a sample of each version")
			got, err := of.read(b)
			require.NoError(t, err, "%s %d", kind, n)
			if newest == "" {
				newest = got
			}
			assert.Equal(t, newest, got, "%s %d", kind, n)
			again, err := of.read([]byte(got))
			require.NoError(t, err)
			assert.Equal(t, got, again)
		}
	}
	d, err := os.ReadFile("testdata/dashboard-1.json")
	require.NoError(t, err)
	old, err := dashboard.Read(d)
	require.NoError(t, err)
	assert.Equal(t, "label", old.Widgets()[0].Chart.Own.By[0].Sort.By, "charts on a dashboard have versions of their own")
}
