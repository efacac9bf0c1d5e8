package localpg_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/localpg"
	"eskadel/localpg/pgtest"
)

func TestACluster(t *testing.T) {
	ctx := context.Background()
	dir := localpg.Folder(pgtest.Root(t), "cluster-test")
	require.NoError(t, localpg.StopIn(dir))
	require.NoError(t, os.RemoveAll(dir))
	c, err := localpg.Start(ctx, dir, 0)
	require.NoError(t, err)
	t.Cleanup(func() {
		_ = localpg.StopIn(dir)
		_ = os.RemoveAll(dir)
	})
	made, err := c.Database(ctx, "somebody", "something")
	require.NoError(t, err)
	assert.True(t, made)
	made, err = c.Database(ctx, "somebody", "something")
	require.NoError(t, err)
	assert.False(t, made, "it is there already")
	again, err := localpg.Start(ctx, dir, 0)
	require.NoError(t, err)
	assert.Equal(t, c.Port, again.Port, "a cluster that runs is used as it is")
	conn, err := pgx.Connect(ctx, c.URL("somebody", "something"))
	require.NoError(t, err)
	var listens, lower string
	require.NoError(t, conn.QueryRow(ctx, `select current_setting('listen_addresses'), lower('ÉÖ' collate "C.utf8")`).Scan(&listens, &lower))
	_ = conn.Close(ctx)
	assert.Equal(t, "127.0.0.1", listens, "on loopback only")
	assert.Equal(t, "éö", lower, "the collation that text conditions use")
	require.NoError(t, c.Stop())
	assert.Error(t, c.Stop(), "it does not run any more")
	assert.NoError(t, localpg.StopIn(dir), "which is fine for those who only want it stopped")
	require.NoError(t, c.Restart(ctx))
	assert.NoError(t, localpg.StopIn(dir))
	assert.NoError(t, localpg.StopIn(filepath.Join(dir, "nowhere")))
}

func TestFolder(t *testing.T) {
	if os.Geteuid() != 0 {
		assert.Equal(t, "/home/a/.eskadel/demo", localpg.Folder("/home/a", "demo"))
		return
	}
	closed := filepath.Join(t.TempDir(), "closed", "project")
	require.NoError(t, os.MkdirAll(closed, 0o700))
	assert.Contains(t, localpg.Folder(closed, "demo"), "/var/tmp/eskadel/", "the postgres user cannot reach a closed folder")
	assert.Equal(t, "/usr/share/.eskadel/demo", localpg.Folder("/usr/share", "demo"))
}
