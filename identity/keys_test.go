package identity_test

import (
	"crypto"
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"encoding/json"
	"encoding/pem"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/golang-jwt/jwt/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/store"
)

// A pair of keys, as a host app has it.
type pair struct {
	method  jwt.SigningMethod
	private any
	public  string
}

func pemOf(t *testing.T, key any) string {
	b, err := x509.MarshalPKIXPublicKey(key)
	require.NoError(t, err)
	return string(pem.EncodeToMemory(&pem.Block{Type: "PUBLIC KEY", Bytes: b}))
}

func pairs(t *testing.T) map[string]pair {
	r, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	e, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	public, private, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	return map[string]pair{identity.RS256: {jwt.SigningMethodRS256, r, pemOf(t, &r.PublicKey)}, identity.ES256: {jwt.SigningMethodES256, e, pemOf(t, &e.PublicKey)}, identity.EdDSA: {jwt.SigningMethodEdDSA, private, pemOf(t, public)}}
}

// app registers a host app without a key.
func app(t *testing.T, s *store.Store, once bool) {
	require.NoError(t, change(s, func(tx *store.Tx) error {
		return tx.SaveHostApp(ctx, &store.HostApp{Name: "desk", Title: "Desk", PassMinutes: 5, Once: once}, []string{"https://desk.example"})
	}))
}

func claimsOf(more jwt.MapClaims) jwt.MapClaims {
	all := jwt.MapClaims{"iss": "desk", "aud": identity.Audience, "sub": "7", "name": "Orla", "iat": time.Now().Unix(), "exp": time.Now().Add(4 * time.Minute).Unix(), "scope": map[string]any{"dashboards": []string{"one"}}}
	for k, v := range more {
		if all[k] = v; v == nil {
			delete(all, k)
		}
	}
	return all
}

func sign(t require.TestingT, method jwt.SigningMethod, key any, kid string, claims jwt.MapClaims) string {
	token := jwt.NewWithClaims(method, claims)
	if token.Header["kid"] = kid; kid == "" {
		delete(token.Header, "kid")
	}
	out, err := token.SignedString(key)
	require.NoError(t, err)
	return out
}

// Every way in which a pass can be wrong is refused, whatever kind of key the host app has; and whoever tests
// one is told at which part.
func TestEveryFaultOfAPass(t *testing.T) {
	s, _ := open(t, "identity_keys")
	app(t, s, false)
	require.NoError(t, change(s, func(tx *store.Tx) error {
		return tx.SaveHostApp(ctx, &store.HostApp{Name: "ferry", Title: "Ferry", PassMinutes: 5}, []string{"https://desk.example"})
	}))
	all := pairs(t)
	secret := identity.NewSecret()
	all[identity.HS256] = pair{jwt.SigningMethodHS256, []byte(secret), ""}
	other := pairs(t)
	other[identity.HS256] = pair{jwt.SigningMethodHS256, []byte(identity.NewSecret()), ""}
	for alg, k := range all {
		kid, ended, ferrys := strings.ToLower(alg), "ended-"+strings.ToLower(alg), "ferry-"+strings.ToLower(alg)
		require.NoError(t, change(s, func(tx *store.Tx) error {
			for id, of := range map[string]string{kid: "desk", ended: "desk", ferrys: "ferry"} {
				of := store.HostKey{ID: id, HostApp: of, Algorithm: alg, PublicKey: k.public}
				if alg == identity.HS256 {
					if err := tx.AddHostKey(ctx, &of, secret); err != nil {
						return err
					}
				} else if err := tx.AddHostKey(ctx, &of, ""); err != nil {
					return err
				}
			}
			return tx.EndHostKey(ctx, ended)
		}))
		passes := identity.NewPasses(nil)
		good := func(more jwt.MapClaims) string { return sign(t, k.method, k.private, kid, claimsOf(more)) }
		in := func(d time.Duration) int64 { return time.Now().Add(d).Unix() }
		enter := func(pass, origin, dashboard string) error {
			_, _, err := passes.Exchange(ctx, s, pass, identity.Presented{App: "desk", Dashboard: dashboard, Origin: origin}, "")
			return err
		}
		const here = "https://desk.example"
		require.NoError(t, enter(good(nil), here, "one"), alg)
		unsigned := sign(t, jwt.SigningMethodNone, jwt.UnsafeAllowNoneSignatureType, kid, claimsOf(nil))
		parts := strings.Split(good(nil), ".")
		roles := make([]string, 201)
		for name, of := range map[string]struct{ pass, part string }{
			"another's key":            {sign(t, k.method, other[alg].private, kid, claimsOf(nil)), "signature"},
			"no signature":             {unsigned, "alg"},
			"a signature taken off":    {parts[0] + "." + parts[1] + ".", "signature"},
			"claims of another":        {parts[0] + "." + strings.Split(good(jwt.MapClaims{"sub": "8"}), ".")[1] + "." + parts[2], "signature"},
			"no key named":             {sign(t, k.method, k.private, "", claimsOf(nil)), "kid"},
			"a key nobody knows":       {sign(t, k.method, k.private, "nobodys", claimsOf(nil)), "kid"},
			"an ended key":             {sign(t, k.method, k.private, ended, claimsOf(nil)), "kid"},
			"another app's key":        {sign(t, k.method, k.private, ferrys, claimsOf(nil)), "iss"},
			"another issuer":           {good(jwt.MapClaims{"iss": "ferry"}), "iss"},
			"another audience":         {good(jwt.MapClaims{"aud": "elsewhere"}), "aud"},
			"no audience":              {good(jwt.MapClaims{"aud": nil}), "aud"},
			"no end":                   {good(jwt.MapClaims{"exp": nil}), "exp"},
			"over":                     {good(jwt.MapClaims{"exp": in(-time.Second)}), "exp"},
			"too long":                 {good(jwt.MapClaims{"exp": in(6 * time.Minute)}), "exp"},
			"not yet":                  {good(jwt.MapClaims{"nbf": in(time.Minute)}), "nbf"},
			"made later":               {good(jwt.MapClaims{"iat": in(time.Minute)}), "iat"},
			"nobody":                   {good(jwt.MapClaims{"sub": ""}), "sub"},
			"without a name":           {good(jwt.MapClaims{"name": nil}), "name"},
			"for another dashboard":    {good(jwt.MapClaims{"scope": map[string]any{"dashboards": []string{"two"}}}), "scope"},
			"no address for letters":   {good(jwt.MapClaims{"email": "Orla <orla@desk.example>"}), "email"},
			"for none":                 {good(jwt.MapClaims{"scope": nil}), "scope"},
			"of the wrong shape":       {good(jwt.MapClaims{"scope": "one"}), "signature"},
			"more roles than it holds": {good(jwt.MapClaims{"roles": roles}), "size"},
			"longer than it may be":    {good(jwt.MapClaims{"note": strings.Repeat("x", identity.MostPass)}), "size"},
			"no pass at all":           {"no pass", "signature"},
		} {
			is(t, problem.Forbidden, enter(of.pass, here, "one"), alg+", "+name)
			c, err := passes.Check(ctx, s, of.pass, identity.Presented{App: "desk", Dashboard: "one"})
			require.NoError(t, err)
			require.NotEmpty(t, c.Faults, name)
			assert.Equal(t, of.part, c.Faults[0].Part, "%s, %s: %v", alg, name, c.Faults)
		}
		is(t, problem.Forbidden, enter(good(nil), "https://elsewhere.example", "one"), "another page")
		is(t, problem.Forbidden, enter(good(nil), "", "one"), "no page")
		// The one that has the public key cannot sign with it as if it were a secret.
		if k.public != "" {
			for _, as := range []any{[]byte(k.public), []byte(strings.TrimSpace(k.public))} {
				is(t, problem.Forbidden, enter(sign(t, jwt.SigningMethodHS256, as, kid, claimsOf(nil)), here, "one"), alg+" as a secret")
			}
		}
		// Several faults are said at once.
		c, err := passes.Check(ctx, s, sign(t, k.method, k.private, kid, jwt.MapClaims{"iss": "ferry"}), identity.Presented{})
		require.NoError(t, err)
		var named []string
		for _, f := range c.Faults {
			named = append(named, f.Part)
		}
		assert.Equal(t, []string{"iss", "aud", "exp", "sub", "name", "scope"}, named)
	}
}

func TestPublicKeysAsTheyAreWritten(t *testing.T) {
	for alg, k := range pairs(t) {
		_, got, err := identity.ReadPublicKey("\n " + k.public)
		require.NoError(t, err)
		assert.Equal(t, alg, got)
	}
	weak, err := rsa.GenerateKey(rand.Reader, 1024)
	require.NoError(t, err)
	curve, err := ecdsa.GenerateKey(elliptic.P384(), rand.Reader)
	require.NoError(t, err)
	strong := pairs(t)[identity.ES256]
	private, err := x509.MarshalPKCS8PrivateKey(strong.private)
	require.NoError(t, err)
	for words, text := range map[string]string{
		"BEGIN PUBLIC KEY": "abc", "1024 bits": pemOf(t, &weak.PublicKey), "P-384": pemOf(t, &curve.PublicKey), "cannot be read": "-----BEGIN PUBLIC KEY-----\nQUFB\n-----END PUBLIC KEY-----",
		"private key": string(pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: private})), "more than one": strong.public + strong.public,
	} {
		_, _, err := identity.ReadPublicKey(text)
		is(t, problem.Invalid, err, words)
		assert.ErrorContains(t, err, words)
	}
	for address, good := range map[string]bool{"https://desk.example/keys": true, "http://127.0.0.1:1/keys": true, "http://desk.example/keys": false, "https://a:b@desk.example": false, "keys": false, "": false} {
		assert.Equal(t, good, identity.CheckKeySet(address) == nil, address)
	}
}

// Keys that are fetched are those of the host app that the pass is from; they change there without a word here,
// are asked for seldom, and outlast an address that does not answer for a while.
func TestKeysThatAreFetched(t *testing.T) {
	s, _ := open(t, "identity_sets")
	app(t, s, false)
	all := pairs(t)
	var mu sync.Mutex
	set, asked, down := jose.JSONWebKeySet{}, 0, false
	publish := func(keys ...jose.JSONWebKey) { mu.Lock(); set.Keys = keys; mu.Unlock() }
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		asked++
		if down {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		_ = json.NewEncoder(w).Encode(set)
	}))
	t.Cleanup(server.Close)
	public := func(alg string) any { return all[alg].private.(crypto.Signer).Public() }
	key := func(alg, id string) jose.JSONWebKey {
		return jose.JSONWebKey{Key: public(alg), KeyID: id, Algorithm: alg, Use: "sig"}
	}
	passes := identity.NewPasses(loopback)
	enter := func(alg, id string) error {
		_, _, err := passes.Exchange(ctx, s, sign(t, all[alg].method, all[alg].private, id, claimsOf(nil)), identity.Presented{App: "desk", Dashboard: "one", Origin: "https://desk.example"}, "")
		return err
	}
	is(t, problem.Down, func() error { _, err := passes.TryKeySet(ctx, server.URL); return err }(), "none yet")
	publish(key(identity.ES256, "a"), key(identity.EdDSA, "b"))
	ids, err := passes.TryKeySet(ctx, server.URL)
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "b"}, ids)
	is(t, problem.Forbidden, enter(identity.ES256, "a"), "the address is not registered")
	require.NoError(t, change(s, func(tx *store.Tx) error {
		return tx.AddHostKey(ctx, &store.HostKey{ID: "rotating", HostApp: "desk", Algorithm: identity.KeySet, Address: server.URL}, "")
	}))
	require.NoError(t, enter(identity.ES256, "a"))
	require.NoError(t, enter(identity.EdDSA, "b"))
	is(t, problem.Forbidden, enter(identity.EdDSA, "a"), "signed with another key of the set")
	is(t, problem.Forbidden, enter(identity.EdDSA, "rotating"), "the set is no key")
	before := asked
	for range 20 {
		is(t, problem.Forbidden, enter(identity.RS256, "c"), "made up")
	}
	assert.Equal(t, before, asked, "whoever makes keys up does not have the address asked again and again")
	mu.Lock()
	down = true
	mu.Unlock()
	require.NoError(t, enter(identity.ES256, "a"), "what was fetched lately is good while the address is down")

	// A set with its private halves, or with keys that are none, lets nobody in by them.
	down = false
	publish(jose.JSONWebKey{Key: all[identity.ES256].private, KeyID: "p", Algorithm: "ES256"}, jose.JSONWebKey{Key: []byte("a secret of a set"), KeyID: "s", Algorithm: "HS256"}, jose.JSONWebKey{Key: public(identity.RS256), KeyID: "e", Use: "enc"})
	fresh := identity.NewPasses(loopback)
	for id, alg := range map[string]string{"p": identity.ES256, "e": identity.RS256} {
		_, _, err := fresh.Exchange(ctx, s, sign(t, all[alg].method, all[alg].private, id, claimsOf(nil)), identity.Presented{App: "desk", Dashboard: "one", Origin: "https://desk.example"}, "")
		is(t, problem.Forbidden, err, id)
	}
	_, _, err = fresh.Exchange(ctx, s, sign(t, jwt.SigningMethodHS256, []byte("a secret of a set"), "s", claimsOf(nil)), identity.Presented{App: "desk", Dashboard: "one", Origin: "https://desk.example"}, "")
	is(t, problem.Forbidden, err, "a secret that anybody can fetch")
	_, err = identity.NewPasses(nil).TryKeySet(ctx, server.URL)
	is(t, problem.Forbidden, err, "inside is asked only where that is allowed")
	require.NoError(t, change(s, func(tx *store.Tx) error { return tx.EndHostKey(ctx, "rotating") }))
	is(t, problem.Forbidden, enter(identity.ES256, "a"), "ended")
}

// Where a pass counts once, it does, whoever comes with it at the same time.
func TestAPassThatCountsOnce(t *testing.T) {
	s, _ := open(t, "identity_once")
	app(t, s, true)
	require.NoError(t, change(s, func(tx *store.Tx) error {
		return tx.AddHostKey(ctx, &store.HostKey{ID: "k", HostApp: "desk", Algorithm: identity.HS256}, "a secret of some length")
	}))
	passes := identity.NewPasses(nil)
	enter := func(more jwt.MapClaims) error {
		_, _, err := passes.Exchange(ctx, s, sign(t, jwt.SigningMethodHS256, []byte("a secret of some length"), "k", claimsOf(more)), identity.Presented{App: "desk", Dashboard: "one", Origin: "https://desk.example"}, "")
		return err
	}
	assert.ErrorContains(t, enter(nil), "no id")
	var in atomic.Int32
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			if enter(jwt.MapClaims{"jti": "one"}) == nil {
				in.Add(1)
			}
		})
	}
	all.Wait()
	assert.Equal(t, int32(1), in.Load())
	assert.ErrorContains(t, enter(jwt.MapClaims{"jti": "one"}), "used already")
	require.NoError(t, enter(jwt.MapClaims{"jti": "two"}))
}

// A key is changed for another while viewers come all the time: none of them is refused.
func TestKeysAreChangedWithoutAGap(t *testing.T) {
	s, _ := open(t, "identity_rotation")
	app(t, s, false)
	secrets := []string{identity.NewSecret(), identity.NewSecret()}
	add := func(n int) {
		require.NoError(t, change(s, func(tx *store.Tx) error {
			return tx.AddHostKey(ctx, &store.HostKey{ID: fmt.Sprint("k", n), HostApp: "desk", Algorithm: identity.HS256}, secrets[n])
		}))
	}
	add(0)
	passes := identity.NewPasses(nil)
	var now, refused, came atomic.Int32
	stop := make(chan struct{})
	var all sync.WaitGroup
	for viewer := range 4 {
		all.Go(func() {
			for {
				select {
				case <-stop:
					return
				default:
				}
				n := now.Load()
				pass := sign(t, jwt.SigningMethodHS256, []byte(secrets[n]), fmt.Sprint("k", n), claimsOf(jwt.MapClaims{"sub": fmt.Sprint(viewer)}))
				bearer, _, err := passes.Exchange(ctx, s, pass, identity.Presented{App: "desk", Dashboard: "one", Origin: "https://desk.example"}, "")
				if err == nil {
					_, err = identity.ByBearer(ctx, s, bearer)
				}
				// A pass that was signed just before the change and handed over just after the old key ended is the
				// application's to have waited for: it ends the old key when that is no longer used.
				if err != nil && now.Load() == n {
					refused.Add(1)
				}
				came.Add(1)
			}
		})
	}
	until := func(n int32) {
		for came.Load() < n {
			require.NoError(t, s.SignedIn(ctx, "waiting", "here")) // something that takes its time
		}
	}
	until(40)
	add(1) // both are good
	until(80)
	now.Store(1) // the application signs with the new one
	until(140)
	require.NoError(t, change(s, func(tx *store.Tx) error { return tx.EndHostKey(ctx, "k0") }))
	until(200)
	close(stop)
	all.Wait()
	assert.Zero(t, refused.Load())
	keys, err := s.HostKeys(ctx)
	require.NoError(t, err)
	for _, k := range keys {
		assert.NotNil(t, k.UsedAt, "when each was last used")
	}
}
