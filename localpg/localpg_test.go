package localpg_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
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
	require.NoError(t, localpg.Forget(dir))
	c, err := localpg.Start(ctx, dir, 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = localpg.Forget(dir) })
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
	mine := t.TempDir()
	if os.Geteuid() != 0 {
		assert.Equal(t, filepath.Join(mine, ".eskadel", "demo"), localpg.Folder(mine, "demo"))
		assert.Contains(t, localpg.Folder("/usr/share", "demo"), "/var/tmp/eskadel-", "in somebody else's folder nothing is written")
		return
	}
	assert.Equal(t, "/usr/share/.eskadel/demo", localpg.Folder("/usr/share", "demo"))
	for name, prepare := range map[string]func(dir string) error{
		"closed to others":  func(dir string) error { return os.Chmod(dir, 0o700) },
		"somebody else's":   func(dir string) error { return os.Chown(dir, 12345, 12345) },
		"closed underneath": func(dir string) error { return os.MkdirAll(filepath.Join(dir, ".eskadel"), 0o700) },
	} {
		dir := filepath.Join(mine, name)
		require.NoError(t, os.Mkdir(dir, 0o755))
		require.NoError(t, prepare(dir))
		assert.Contains(t, localpg.Folder(dir, "demo"), "/var/tmp/eskadel-0/", name)
	}
}

// Only what was made here is removed, and never while somebody works on it.
func TestForgetting(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "a folder, with words")
	require.NoError(t, os.MkdirAll(dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "letters.txt"), []byte("dear"), 0o600))
	assert.ErrorContains(t, localpg.Forget(dir), "was not made by Eskadel")
	assert.FileExists(t, filepath.Join(dir, "letters.txt"))
	_, err := localpg.Start(context.Background(), dir, 0)
	assert.ErrorContains(t, err, "holds something else (letters.txt)")
	assert.NoError(t, localpg.Forget(filepath.Join(dir, "nothing here")))
	release, err := localpg.Take(dir)
	require.NoError(t, err)
	_, err = localpg.Take(dir)
	assert.ErrorContains(t, err, "another demonstration runs on")
	release()
	release, err = localpg.Take(dir)
	require.NoError(t, err)
	release()
}

// A cluster lies in any folder: with spaces in its name, or deeper than a socket's name may
// be long; what went wrong is told by the last lines of its log.
func TestClustersLieAnywhere(t *testing.T) {
	dir := filepath.Join(localpg.Folder(pgtest.Root(t), "with spaces"), strings.Repeat("deep-", 25), "cluster")
	require.NoError(t, localpg.Forget(dir))
	c, err := localpg.Start(context.Background(), dir, 0)
	require.NoError(t, err)
	t.Cleanup(func() {
		assert.NoError(t, localpg.Forget(dir))
		assert.NoError(t, os.RemoveAll(localpg.Folder(pgtest.Root(t), "with spaces")))
	})
	require.NoError(t, c.Stop())
	opts := filepath.Join(dir, "data", "postgresql.auto.conf")
	require.NoError(t, os.WriteFile(opts, []byte("no_such_setting = 'x'\n"), 0o644))
	err = c.Restart(context.Background())
	require.ErrorContains(t, err, "no_such_setting")
	assert.LessOrEqual(t, strings.Count(err.Error(), "\n"), 20)
}
