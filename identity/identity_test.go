package identity_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/localpg/pgtest"
	"eskadel/rights"
	"eskadel/store"
)

var ctx = context.Background()

// open makes an empty store; the connection looks past it.
func open(t *testing.T, name string) (*store.Store, *pgx.Conn) {
	owner, _ := pgtest.Database(t, name)
	s, err := store.Open(ctx, owner, make([]byte, 32))
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	conn, err := pgx.Connect(ctx, owner)
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(ctx) })
	return s, conn
}

// apply makes a change of a person, as the workspace does.
func apply(s *store.Store, c identity.Change) (done string, err error) {
	return done, change(s, func(tx *store.Tx) error {
		done, err = identity.Apply(ctx, tx, c)
		return err
	})
}

// change makes a change that the audit log tells of.
func change(s *store.Store, do func(*store.Tx) error) error {
	return s.Change(ctx, "test", func(tx *store.Tx) error { return errors.Join(do(tx), tx.Audit(ctx, "tested", "")) })
}

func mara(t *testing.T, s *store.Store) {
	name := "Mara"
	_, err := apply(s, identity.Change{Email: "mara@example.org", Name: &name, Password: "long enough", Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": 3}})
	require.NoError(t, err)
}

func signIn(s *store.Store, password, address string) error {
	_, err := identity.SignIn(ctx, s, "mara@example.org", password, identity.From{Address: address})
	return err
}

func is(t *testing.T, code string, err error, why string) {
	t.Helper()
	assert.True(t, problem.Is(err, code), "%s: %v", why, err)
}

func TestSignInAndSessions(t *testing.T) {
	s, conn := open(t, "identity_people")
	_, err := identity.HashPassword("short")
	is(t, problem.Invalid, err, "a password has eight characters")
	mara(t, s)
	in, err := identity.SignIn(ctx, s, " Mara@Example.org ", "long enough", identity.From{Address: "10.0.0.1"})
	require.NoError(t, err, "the address is taken without regard to case and blanks")
	c, err := identity.BySession(ctx, s, in.Token)
	require.NoError(t, err)
	assert.Equal(t, []string{"foreman"}, c.Roles)
	assert.Equal(t, []string{"3"}, c.Attributes.Values("yard"))
	assert.True(t, c.Author && !c.Builder && rights.May(c, rights.See, rights.Thing{Dashboard: "anything"}) == nil)
	assert.NotEmpty(t, c.CSRF)

	var kept int
	require.NoError(t, conn.QueryRow(ctx, "select count(*) from sessions where token_hash = $1", in.Token).Scan(&kept))
	assert.Zero(t, kept, "the token itself is not kept")
	_, err = conn.Exec(ctx, "update sessions set expires_at = now() - interval '1 second'")
	require.NoError(t, err)
	require.NoError(t, identity.SignOut(ctx, s, "nobody's"), "what is kept is read anew")
	_, err = identity.BySession(ctx, s, in.Token)
	is(t, problem.NotFound, err, "it is over")
	again, err := identity.SignIn(ctx, s, "mara@example.org", "long enough", identity.From{Address: "10.0.0.1"})
	require.NoError(t, err)
	require.NoError(t, identity.SignOut(ctx, s, again.Token))
	_, err = identity.BySession(ctx, s, again.Token)
	is(t, problem.NotFound, err, "signed out")
	is(t, problem.Forbidden, signIn(s, "\x00", "10.0.0.1"), "a zero byte is a wrong password")
	_, err = identity.SignIn(ctx, s, "a\x00b@example.org", "long enough", identity.From{Address: "10.0.0.1"})
	is(t, problem.Forbidden, err, "and of no account")
}

// Tries at the same time cannot pass the limit together.
func TestTriesAreCountedBeforeTheyAreMade(t *testing.T) {
	s, conn := open(t, "identity_guesses")
	mara(t, s)
	var tried, refused atomic.Int32
	var all sync.WaitGroup
	for i := range 60 {
		all.Add(1)
		go func() {
			defer all.Done()
			err := signIn(s, fmt.Sprintf("wrong guess %d", i), "10.0.0.1")
			if problem.Is(err, problem.TooMany) {
				refused.Add(1)
			} else if problem.Is(err, problem.Forbidden) {
				tried.Add(1)
			}
		}()
	}
	all.Wait()
	assert.Equal(t, int32(8), tried.Load())
	assert.Equal(t, int32(52), refused.Load())
	is(t, problem.TooMany, signIn(s, "long enough", "10.0.0.1"), "even with the right password, from there")
	_, err := conn.Exec(ctx, "update sign_in_attempts set at = at - interval '16 minutes'")
	require.NoError(t, err)
	require.NoError(t, signIn(s, "long enough", "10.0.0.1"), "after a quarter of an hour")
	var left int
	require.NoError(t, conn.QueryRow(ctx, "select count(*) from sign_in_attempts").Scan(&left))
	assert.Zero(t, left, "what no longer counts is not kept")
}

// Whoever tries does not keep out others, nor from elsewhere the person they try.
func TestNobodyIsLockedOutByOthers(t *testing.T) {
	s, conn := open(t, "identity_lockout")
	mara(t, s)
	require.NoError(t, signIn(s, "long enough", "10.0.0.9"), "from her own desk")
	for i := range 60 { // many accounts from the same address, as from a shared one
		_, _ = identity.SignIn(ctx, s, fmt.Sprintf("nobody%d@example.org", i), "a wrong guess", identity.From{Address: "10.0.0.9"})
	}
	_, err := identity.SignIn(ctx, s, "nobody99@example.org", "a wrong guess", identity.From{Address: "10.0.0.9"})
	is(t, problem.TooMany, err, "the address may try no more")
	require.NoError(t, signIn(s, "long enough", "10.0.0.9"), "but for those who have signed in from there")
	for i := range 120 { // one account from many addresses
		_ = signIn(s, "a wrong guess", fmt.Sprintf("10.1.0.%d", i))
	}
	is(t, problem.TooMany, signIn(s, "long enough", "10.2.0.1"), "from an address nobody knows")
	require.NoError(t, signIn(s, "long enough", "10.0.0.9"), "from her own desk still")
	var kept int
	require.NoError(t, conn.QueryRow(ctx, "select count(*) from sign_in_attempts").Scan(&kept))
	assert.LessOrEqual(t, kept, 40+100, "what was refused is not kept")
}

func TestChangesOfAPerson(t *testing.T) {
	s, _ := open(t, "identity_changes")
	mara(t, s)
	in, err := identity.SignIn(ctx, s, "mara@example.org", "long enough", identity.From{Address: "10.0.0.1"})
	require.NoError(t, err)
	p, err := s.PersonByEmail(ctx, "mara@example.org")
	require.NoError(t, err)
	key := ""
	err = change(s, func(tx *store.Tx) error { key, err = identity.NewAPIKey(ctx, tx, p.ID, "a program"); return err })
	require.NoError(t, err)
	program, err := identity.ByBearer(ctx, s, key)
	require.NoError(t, err)

	done, err := apply(s, identity.Change{Email: "Mara@example.org", Password: "another one"})
	require.NoError(t, err)
	assert.Equal(t, "changed the person's password", done)
	_, err = identity.BySession(ctx, s, in.Token)
	is(t, problem.NotFound, err, "sessions end")
	_, err = identity.ByBearer(ctx, s, key)
	is(t, problem.NotFound, err, "and keys")
	alive, err := program.Alive(ctx, s)
	require.NoError(t, err)
	assert.False(t, alive, "what runs is told")
	is(t, problem.Forbidden, signIn(s, "long enough", "10.0.0.1"), "the old password")
	require.NoError(t, signIn(s, "another one", "10.0.0.1"))
	p, err = s.PersonByEmail(ctx, "mara@example.org")
	require.NoError(t, err)
	assert.Equal(t, []string{"foreman"}, p.RoleList(), "roles stay")
	assert.Equal(t, map[string]any{"yard": 3.0}, p.AttributeMap(), "and attributes")

	yes := true
	_, err = apply(s, identity.Change{Email: "mara@example.org", Builder: &yes, Roles: []string{}})
	require.NoError(t, err)
	p, err = s.PersonByEmail(ctx, "mara@example.org")
	require.NoError(t, err)
	assert.True(t, p.Builder && p.Name == "Mara")
	assert.Empty(t, p.RoleList())
	blank, name := " ", "Somebody"
	for name, c := range map[string]identity.Change{
		"nothing":              {Email: "mara@example.org"},
		"no address":           {Email: "mara", Password: "long enough"},
		"nobody's":             {Email: "new@example.org", Password: "long enough"},
		"a name of blanks":     {Email: "mara@example.org", Name: &blank},
		"no address, yet an @": {Email: "@example.org", Name: &name},
		"a password too short": {Email: "mara@example.org", Password: "short"},
	} {
		_, err := apply(s, c)
		assert.NotNil(t, problem.Of(err), name)
	}
}

func TestAttributesAsTyped(t *testing.T) {
	got, err := identity.Attributes([]string{"yard=3", "crew = a", "crew=b", "crew=c", "note=a=b"})
	require.NoError(t, err)
	assert.Equal(t, filter.Attributes{"yard": "3", "crew": []any{"a", "b", "c"}, "note": "a=b"}, got)
	none, err := identity.Attributes(nil)
	require.NoError(t, err)
	assert.Nil(t, none)
	_, err = identity.Attributes([]string{"yard"})
	is(t, problem.Invalid, err, "without a value")
}

// desk registers a host app and returns what signs its passes.
func desk(t *testing.T, s *store.Store) func(claims jwt.MapClaims, header map[string]any) string {
	secret := identity.NewSecret()
	require.NoError(t, change(s, func(tx *store.Tx) error {
		return tx.SaveHostApp(ctx, &store.HostApp{Name: "desk", Title: "Desk", Address: "", PassMinutes: identity.PassMinutes}, []string{"https://desk.example"})
	}))
	require.NoError(t, change(s, func(tx *store.Tx) error {
		return tx.AddHostKey(ctx, &store.HostKey{ID: "k1", HostApp: "desk", Algorithm: identity.HS256}, secret)
	}))
	return func(claims jwt.MapClaims, header map[string]any) string {
		all := jwt.MapClaims{"iss": "desk", "aud": identity.Audience, "sub": "7", "name": "Orla", "iat": time.Now().Unix(), "exp": time.Now().Add(4 * time.Minute).Unix(), "scope": map[string]any{"dashboards": []string{"one"}}}
		for k, v := range claims {
			if all[k] = v; v == nil {
				delete(all, k)
			}
		}
		token := jwt.NewWithClaims(jwt.SigningMethodHS256, all)
		token.Header["kid"] = "k1"
		for k, v := range header {
			token.Header[k] = v
		}
		out, err := token.SignedString([]byte(secret))
		require.NoError(t, err)
		return out
	}
}

func exchange(s *store.Store, pass string) (string, time.Time, error) {
	return identity.NewPasses(nil).Exchange(ctx, s, pass, identity.Presented{App: "desk", Dashboard: "one", Origin: "https://desk.example"}, "")
}

func TestPassesAreGoodForTheirTime(t *testing.T) {
	s, _ := open(t, "identity_passes")
	pass := desk(t, s)
	in := func(d time.Duration) int64 { return time.Now().Add(d).Unix() }
	for name, c := range map[string]struct {
		claims jwt.MapClaims
		header map[string]any
		words  string
	}{
		"longer than the host app's limit": {jwt.MapClaims{"exp": in(6 * time.Minute)}, nil, "5 minutes"},
		"longer, without its beginning":    {jwt.MapClaims{"exp": in(6 * time.Minute), "iat": nil}, nil, "5 minutes"},
		"longer, begun long ago":           {jwt.MapClaims{"exp": in(time.Minute), "iat": in(-time.Hour)}, nil, "5 minutes"},
		"over, within the leeway":          {jwt.MapClaims{"exp": in(-2 * time.Second)}, nil, "expired"},
		"asking for what is not known":     {nil, map[string]any{"crit": []string{"exp"}}, "crit"},
	} {
		_, _, err := exchange(s, pass(c.claims, c.header))
		assert.ErrorContains(t, err, c.words, name)
	}
	bearer, until, err := exchange(s, pass(nil, nil))
	require.NoError(t, err)
	assert.NotEmpty(t, bearer)
	assert.WithinDuration(t, time.Now().Add(4*time.Minute), until, 5*time.Second)
	require.NoError(t, change(s, func(tx *store.Tx) error {
		return tx.SaveHostApp(ctx, &store.HostApp{Name: "desk", Title: "Desk", Address: "", PassMinutes: 30}, []string{"https://desk.example"})
	}))
	_, _, err = exchange(s, pass(jwt.MapClaims{"exp": in(20 * time.Minute)}, nil))
	require.NoError(t, err, "the limit is the host app's own")
}

func TestEndedKeysAndViewers(t *testing.T) {
	s, _ := open(t, "identity_ends")
	pass := desk(t, s)
	bearer, _, err := exchange(s, pass(nil, nil))
	require.NoError(t, err)
	other, _, err := exchange(s, pass(jwt.MapClaims{"sub": "8", "name": "Finn"}, nil))
	require.NoError(t, err)
	looking, err := s.Viewers(ctx, 10)
	require.NoError(t, err)
	require.Len(t, looking, 2)
	assert.Equal(t, "Finn", looking[0].Name)
	c, err := identity.ByBearer(ctx, s, bearer)
	require.NoError(t, err)
	assert.False(t, c.Builder)

	require.NoError(t, change(s, func(tx *store.Tx) error {
		return tx.EndViewer(ctx, &store.EndedViewer{HostApp: "desk", Subject: "7", Name: "Orla", EndedBy: "Mara"})
	}))
	alive, err := c.Alive(ctx, s)
	require.NoError(t, err)
	assert.False(t, alive)
	_, err = identity.ByBearer(ctx, s, bearer)
	is(t, problem.NotFound, err, "the bearer is over")
	_, _, err = exchange(s, pass(nil, nil))
	assert.ErrorContains(t, err, "let in no more")
	_, err = identity.ByBearer(ctx, s, other)
	require.NoError(t, err, "others go on")
	require.NoError(t, change(s, func(tx *store.Tx) error { return tx.AdmitViewer(ctx, "desk", "7") }))
	_, _, err = exchange(s, pass(nil, nil))
	require.NoError(t, err)

	require.NoError(t, change(s, func(tx *store.Tx) error { return tx.EndHostKey(ctx, "k1") }))
	_, err = identity.ByBearer(ctx, s, other)
	is(t, problem.NotFound, err, "an ended key takes with it whom it vouched for")
	_, _, err = exchange(s, pass(nil, nil))
	assert.ErrorContains(t, err, "not signed with a key")
	is(t, problem.NotFound, s.Change(ctx, "", func(tx *store.Tx) error { return tx.EndHostKey(ctx, "k2") }), "a key nobody knows")
}

// A bearer is kept as a hash, and a viewer is never a builder, whatever is kept of them.
func TestViewersInFrames(t *testing.T) {
	s, _ := open(t, "identity_frames")
	desk(t, s)
	viewer, _ := json.Marshal(map[string]any{"ID": "desk/7", "Roles": []string{"foreman"}, "Builder": true})
	for hash, expires := range map[string]time.Duration{"f1": time.Minute, "f2": -time.Minute} {
		require.NoError(t, s.AddFrameSession(ctx, &store.FrameSession{TokenHash: hash, HostApp: "desk", HostKey: "k1", Subject: "7", Viewer: viewer, Dashboards: store.JSON(`["one"]`), ExpiresAt: time.Now().Add(expires)}))
	}
	_, err := s.FrameSession(ctx, "f1")
	assert.NoError(t, err)
	_, err = s.FrameSession(ctx, "f2")
	is(t, problem.NotFound, err, "over")
	_, err = identity.ByBearer(ctx, s, "f1")
	is(t, problem.NotFound, err, "the hash is no token")
}
