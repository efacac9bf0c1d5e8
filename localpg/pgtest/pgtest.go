// Package pgtest gives tests a database of their own on the local test cluster, which
// it starts if it does not run yet. scripts/test stops the cluster at the end.
package pgtest

import (
	"context"
	"os"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"eskadel/localpg"
)

// Root is the folder of the project.
func Root(t testing.TB) string {
	dir, err := os.Getwd()
	require.NoError(t, err)
	for {
		if _, err := os.Stat(filepath.Join(dir, "go.mod")); err == nil {
			return dir
		}
		require.NotEqual(t, "/", dir, "the project's folder")
		dir = filepath.Dir(dir)
	}
}

// Cluster starts or finds the test cluster. Packages are tested at the same time, so
// a lock keeps two of them from making it at once.
func Cluster(t testing.TB) *localpg.Cluster {
	dir := localpg.Folder(Root(t), "test")
	require.NoError(t, localpg.Reach(filepath.Dir(dir)))
	lock, err := os.OpenFile(dir+".lock", os.O_CREATE|os.O_RDWR, 0o644)
	require.NoError(t, err)
	defer lock.Close()
	require.NoError(t, syscall.Flock(int(lock.Fd()), syscall.LOCK_EX))
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	c, err := localpg.Start(ctx, dir, 0)
	require.NoError(t, err)
	return c
}

// Database makes an empty database owned by a role of the same name, and returns the
// addresses for its owner and for a role that may only read what the owner grants.
func Database(t testing.TB, name string) (owner, reader string) {
	c := Cluster(t)
	ctx := context.Background()
	admin, err := pgx.Connect(ctx, c.URL("postgres", "postgres"))
	require.NoError(t, err)
	defer admin.Close(ctx)
	_, err = admin.Exec(ctx, "drop database if exists "+pgx.Identifier{name}.Sanitize()+" with (force)")
	require.NoError(t, err)
	_, err = c.Database(ctx, name, name)
	require.NoError(t, err)
	_, err = c.Database(ctx, name+"_reader", "postgres")
	require.NoError(t, err)
	conn, err := pgx.Connect(ctx, c.URL(name, name))
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, "alter default privileges grant select on tables to "+pgx.Identifier{name + "_reader"}.Sanitize())
	require.NoError(t, err)
	return c.URL(name, name), c.URL(name+"_reader", name)
}
