package web_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
	"eskadel/folder"
)

// What a workspace holds is pulled, and pushed again without a change.
func TestAWorkspaceAsFiles(t *testing.T) {
	ctx := t.Context()
	mara, err := demo.SignIn(ctx, running.Eskadel, demo.BuilderEmail, demo.Password)
	require.NoError(t, err)
	body, status, err := mara.Do(ctx, http.MethodPost, "/api/v1/keys", []byte(`{"title":"files"}`))
	require.NoError(t, err)
	require.Equal(t, http.StatusCreated, status)
	var made struct{ Key string }
	require.NoError(t, json.Unmarshal(body, &made))
	var said []string
	c := &folder.Carrier{Dir: t.TempDir(), Workspace: &folder.Workspace{Address: running.Eskadel, Key: made.Key},
		Say: func(format string, args ...any) { said = append(said, fmt.Sprintf(format, args...)) }}
	require.NoError(t, c.Pull(ctx))
	assert.Contains(t, said, "dashboards/money is new")
	said = nil
	n, err := c.Diff(ctx)
	require.NoError(t, err)
	assert.Zero(t, n)
	require.NoError(t, c.Push(ctx))
	assert.Equal(t, []string{"nothing to be pushed"}, said)

	// Against its source everything is in order.
	checked, faults, err := folder.Check(ctx, c.Dir, map[string]string{"yard-desk": running.Cluster.URL(demo.Reader, "yarddesk"), "files": running.Cluster.URL(demo.FilesReader, "eskadel_files")})
	require.NoError(t, err)
	for _, f := range faults { // other tests leave dashboards that fit no more
		assert.NoFileExists(t, filepath.Join("../demo/documents", f.File), f.String())
	}
	assert.Greater(t, checked, 40)
}
