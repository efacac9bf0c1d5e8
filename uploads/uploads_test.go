package uploads_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/period"
	"eskadel/files"
	"eskadel/live"
	"eskadel/localpg/pgtest"
	"eskadel/store"
	"eskadel/uploads"
)

// A file is followed to its address: fetched at once and again when its time has come, by
// one instance only; what goes wrong is kept with it, and the rows stay.
func TestFollowingAnAddress(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	own, _ := pgtest.Database(t, "uploads_own")
	owner, reader := pgtest.Database(t, "uploads_files")
	s, err := store.Open(ctx, own, make([]byte, 32))
	require.NoError(t, err)
	defer s.Close()
	engine, err := live.NewEngine(ctx, s, period.ISO(time.UTC))
	require.NoError(t, err)
	u, err := uploads.Open(ctx, uploads.Config{Database: owner, Reader: reader, Role: "uploads_files_reader", Allowed: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}, s, engine)
	require.NoError(t, err)
	defer u.Close()
	content := "day,high\n2026-01-01,4.2\n"
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, content) }))
	defer server.Close()
	loaded, err := u.Take(ctx, strings.NewReader(content), "tides.csv", "", "Mara", files.How{}, func(string, int64) {})
	require.NoError(t, err)
	assert.Equal(t, "tides", loaded[0].Name)
	assert.Error(t, u.Fetch(ctx, "tides", "Mara"), "it has no address yet")
	assert.ErrorContains(t, u.Follow(ctx, "tides", "file:///etc/passwd", 10, "Mara"), "not an address")
	assert.ErrorContains(t, u.Follow(ctx, "tides", server.URL, 1, "Mara"), "every 5 minutes at most")
	require.NoError(t, u.Follow(ctx, "tides", server.URL, 10, "Mara"))
	due, err := s.DueFile(ctx)
	require.NoError(t, err)
	assert.Nil(t, due, "its time has not come")
	content = "day,high\n2026-01-01,4.2\n2026-01-02,4.4\n"
	require.NoError(t, u.Fetch(ctx, "tides", "schedule"))
	f, err := s.File(ctx, "tides")
	require.NoError(t, err)
	assert.EqualValues(t, 2, f.Rows)
	assert.Equal(t, server.URL, f.Address, "what is followed stays")
	content = "day,high\n2026-01-01\n"
	assert.Error(t, u.Fetch(ctx, "tides", "schedule"))
	f, err = s.File(ctx, "tides")
	require.NoError(t, err)
	assert.Contains(t, f.Trouble, "Row 2")
	assert.EqualValues(t, 2, f.Rows)
	past := time.Now().Add(-time.Minute)
	f.NextAt = &past
	require.NoError(t, s.Change(ctx, "", func(tx *store.Tx) error { return errors.Join(tx.SaveFile(ctx, f), tx.Audit(ctx, "test", f.Name)) }))
	due, err = s.DueFile(ctx)
	require.NoError(t, err)
	require.NotNil(t, due)
	again, err := s.DueFile(ctx)
	require.NoError(t, err)
	assert.Nil(t, again, "one instance takes it, and puts its next time off")
	tables, err := engine.Catalogue(ctx, uploads.Source)
	require.NoError(t, err)
	assert.True(t, tables.Table("tides").Watched, "its changes are announced")
}
