package store_test

import (
	"context"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
	"eskadel/localpg/pgtest"
	"eskadel/store"
)

var ctx = context.Background()

// open makes an empty store; the second address is for looking past it.
func open(t *testing.T, name string, key byte) (*store.Store, string) {
	owner, _ := pgtest.Database(t, name)
	s, err := store.Open(ctx, owner, bytes32(key))
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s, owner
}

func bytes32(b byte) []byte {
	key := make([]byte, 32)
	key[0] = b
	return key
}

func code(err error) string {
	if p := problem.Of(err); p != nil {
		return p.Code
	}
	return ""
}

func TestSecretsAreSealed(t *testing.T) {
	s, address := open(t, "store_secrets", 1)
	require.NoError(t, s.SaveSource(ctx, "desk", "Desk", "postgres://reader:swordfish@db/app", "postgresql"))
	require.NoError(t, s.SaveHostApp(ctx, "desk", "Desk", "", []string{"https://desk.example"}, 5))
	require.NoError(t, s.SaveHostKey(ctx, "k1", "desk", "HS256", "marlin"))
	conn, err := pgx.Connect(ctx, address)
	require.NoError(t, err)
	defer conn.Close(ctx)
	var all string
	require.NoError(t, conn.QueryRow(ctx, "select (select string_agg(encode(sealed_url, 'escape') || s::text, '') from sources s) || (select string_agg(encode(sealed_secret, 'escape'), '') from host_keys)").Scan(&all))
	assert.NotContains(t, all, "swordfish")
	assert.NotContains(t, all, "marlin")
	_, secret, err := s.HostKey(ctx, "k1")
	require.NoError(t, err)
	assert.Equal(t, "marlin", secret)

	other, err := store.Open(ctx, address, bytes32(2))
	require.NoError(t, err)
	defer other.Close()
	_, _, err = other.HostKey(ctx, "k1")
	assert.ErrorContains(t, err, "another key than ESKADEL_KEY")
	sources, err := other.Sources(ctx)
	require.NoError(t, err)
	_, err = other.SourceURL(&sources[0])
	assert.Error(t, err)
	_, err = store.Open(ctx, address, []byte("short"))
	assert.ErrorContains(t, err, "32 bytes")

	_, err = conn.Exec(ctx, "update host_keys set revoked_at = now()")
	require.NoError(t, err)
	_, _, err = s.HostKey(ctx, "k1")
	assert.Equal(t, problem.NotFound, code(err), "a revoked key is no key")
}

func TestDraftsAreNotOverwritten(t *testing.T) {
	s, _ := open(t, "store_drafts", 1)
	d := &store.Dashboard{Name: "one", Draft: store.JSON(`{"n":1}`), Keeper: "Mara"}
	require.NoError(t, s.AddDashboard(ctx, d))
	assert.Equal(t, problem.Conflict, code(s.AddDashboard(ctx, d)), "the name is taken")
	revision, err := s.SaveDraft(ctx, "one", 1, []byte(`{"n":2}`))
	require.NoError(t, err)
	assert.Equal(t, 2, revision)
	_, err = s.SaveDraft(ctx, "one", 1, []byte(`{"n":3}`))
	assert.Equal(t, problem.Conflict, code(err))
	kept, err := s.Dashboard(ctx, "one")
	require.NoError(t, err)
	assert.JSONEq(t, `{"n":2}`, string(kept.Draft))
}

func TestVersionsAndTheAuditLogStayAsTheyAre(t *testing.T) {
	s, address := open(t, "store_versions", 1)
	require.NoError(t, s.AddDashboard(ctx, &store.Dashboard{Name: "one", Draft: store.JSON(`{}`), Keeper: "Mara"}))
	for want := 1; want <= 3; want++ {
		number, err := s.Publish(ctx, "one", []byte(`{"v":`+string(rune('0'+want))+`}`), "Mara")
		require.NoError(t, err)
		assert.Equal(t, want, number)
	}
	v, err := s.Version(ctx, "one", 2)
	require.NoError(t, err)
	assert.JSONEq(t, `{"v":2}`, string(v.Document))
	kept, _ := s.Dashboard(ctx, "one")
	assert.Equal(t, 3, kept.Published)
	_, err = s.Publish(ctx, "nowhere", []byte(`{}`), "Mara")
	assert.Equal(t, problem.NotFound, code(err))

	require.NoError(t, s.Audit(ctx, "Mara", "published", "one"))
	conn, err := pgx.Connect(ctx, address)
	require.NoError(t, err)
	defer conn.Close(ctx)
	for _, sql := range []string{"update dashboard_versions set document = '{}'", "update audit_entries set who = 'nobody'", "delete from audit_entries"} {
		_, err := conn.Exec(ctx, sql)
		assert.ErrorContains(t, err, "is never changed", sql)
	}
	log, err := s.AuditLog(ctx, 10)
	require.NoError(t, err)
	assert.Equal(t, "published", log[0].What)
}
