package identity_test

import (
	"fmt"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"
	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
	"eskadel/demo/organisation"
	"eskadel/identity"
	"eskadel/store"
)

var desk1 = identity.From{Address: "10.0.0.1", Agent: "a browser"}

func TestPasswordsThatAreGuessedFirst(t *testing.T) {
	about := []string{"Mara Quill", "mara.quill@skerrin.example"}
	for password, good := range map[string]bool{
		"sail away": true, "wet rope and brass": true, "kT9#vv2Lq": true, strings.Repeat("a long one ", 6): true,
		"": false, "short": false, "password1": false, "12345678": false, "qwertyuiop": false, "aaaaaaaaaaaa": false, "Mara Quill": false, "maraquill1": false, "quillmara": false, "11111111": false, "sailboat1": false, "Eskadel1": false,
		strings.Repeat("long ", 15): false, "å∫ç": false,
	} {
		kept, err := identity.HashPassword(password, about...)
		assert.Equal(t, good, err == nil, "%q: %v", password, err)
		assert.NotContains(t, kept, password+"x")
		if !good {
			is(t, problem.Invalid, err, password)
			assert.NotContains(t, fmt.Sprint(err), "“"+password+"”", "it is not said again")
		}
	}
}

// person is who has an address.
func person(t *testing.T, s *store.Store, email string) *store.Person {
	t.Helper()
	p, err := s.PersonByEmail(ctx, email)
	require.NoError(t, err)
	return p
}

func TestASecondFactor(t *testing.T) {
	s, conn := open(t, "identity_factor")
	mara(t, s)
	p := person(t, s, "mara@example.org")
	begun, err := identity.NewFactor(p.Email)
	require.NoError(t, err)
	again, err := identity.FactorAgain(p.Email, begun.Secret)
	require.NoError(t, err)
	assert.Equal(t, begun, again, "it is shown again as it was, picture and all")
	_, err = identity.FactorAgain(p.Email, "made up")
	is(t, problem.Invalid, err, "no secret of ours")
	secret := strings.ReplaceAll(begun.Secret, " ", "")
	code := func(steps int) string {
		out, err := totp.GenerateCode(secret, time.Now().Add(time.Duration(steps)*30*time.Second))
		require.NoError(t, err)
		return out
	}
	var spare []string
	set := func(code string) error {
		return change(s, func(tx *store.Tx) (err error) {
			spare, err = identity.SetFactor(ctx, tx, p, begun.Secret, code)
			return err
		})
	}
	is(t, problem.Invalid, set(code(-9)), "a code of long ago")
	assert.False(t, person(t, s, p.Email).Factor())
	require.NoError(t, set(code(-1)), "the clocks differ by half a minute")
	require.Len(t, spare, 8)
	var kept []byte
	require.NoError(t, conn.QueryRow(ctx, "select sealed_factor from people").Scan(&kept))
	assert.NotContains(t, string(kept), secret)

	half := func() *identity.Session {
		t.Helper()
		in, err := identity.SignIn(ctx, s, p.Email, "long enough", desk1)
		require.NoError(t, err)
		require.True(t, in.Half)
		return in
	}
	in := half()
	_, err = identity.BySession(ctx, s, in.Token)
	is(t, problem.NotFound, err, "half a session is none")
	_, err = identity.Complete(ctx, s, in.Token, code(-1), desk1)
	is(t, problem.Invalid, err, "no code counts twice")
	whole, err := identity.Complete(ctx, s, in.Token, " "+code(0)[:3]+" "+code(0)[3:], desk1)
	require.NoError(t, err)
	assert.False(t, whole.Half)
	c, err := identity.BySession(ctx, s, whole.Token)
	require.NoError(t, err)
	assert.Equal(t, "Mara", c.Name)
	_, err = identity.Complete(ctx, s, in.Token, code(1), desk1)
	is(t, problem.SignedOut, err, "the half is used up")
	_, err = identity.Complete(ctx, s, "nobody's", code(1), desk1)
	is(t, problem.SignedOut, err, "nobody has signed in")

	byspare, err := identity.Complete(ctx, s, half().Token, strings.ToUpper(spare[3]), desk1)
	require.NoError(t, err)
	assert.NotEmpty(t, byspare.Token)
	_, err = identity.Complete(ctx, s, half().Token, spare[3], desk1)
	is(t, problem.Invalid, err, "a spare code counts once")
	left, err := s.SpareCodes(ctx, p.ID)
	require.NoError(t, err)
	assert.Equal(t, 7, left)
	for range 4 {
		_, err = identity.Complete(ctx, s, half().Token, "000 000", desk1)
		is(t, problem.Invalid, err, "guessed")
	}
	_, err = identity.Complete(ctx, s, half().Token, code(1), desk1)
	is(t, problem.TooMany, err, "codes are not guessed one after the other")
	require.NoError(t, change(s, func(tx *store.Tx) error { return tx.SetFactor(ctx, p.ID, "", nil) }))
	in, err = identity.SignIn(ctx, s, p.Email, "long enough", desk1)
	require.NoError(t, err)
	assert.False(t, in.Half, "it was taken away")
}

func TestLinksLetInOnce(t *testing.T) {
	s, conn := open(t, "identity_entries")
	name := "Orla Nairn"
	_, err := apply(s, identity.Change{Email: "orla@example.org", Name: &name, Roles: []string{"foreman"}})
	require.NoError(t, err)
	p := person(t, s, "orla@example.org")
	assert.True(t, p.Invited())
	_, err = identity.SignIn(ctx, s, p.Email, "", desk1)
	is(t, problem.Forbidden, err, "no password is no empty one")
	link := func() (token string) {
		require.NoError(t, change(s, func(tx *store.Tx) (err error) {
			token, _, err = identity.MakeEntry(ctx, tx, person(t, s, p.Email))
			return err
		}))
		return token
	}
	take := func(token, password string) error {
		return change(s, func(tx *store.Tx) error { _, err := identity.TakeEntry(ctx, tx, token, password); return err })
	}
	first, second := link(), link()
	is(t, problem.NotFound, take(first, "wet rope and brass"), "there is a newer one")
	is(t, problem.Invalid, take(second, "password1"), "chosen badly, and not used up")
	e, err := identity.Entry(ctx, s, second)
	require.NoError(t, err)
	assert.True(t, e.Invitation)
	var taken atomic.Int32
	var all sync.WaitGroup
	for i := range 4 { // at the same time
		all.Go(func() {
			if take(second, fmt.Sprintf("wet rope and brass %d", i)) == nil {
				taken.Add(1)
			}
		})
	}
	all.Wait()
	assert.Equal(t, int32(1), taken.Load())
	p = person(t, s, p.Email)
	assert.False(t, p.Invited())
	is(t, problem.NotFound, take(second, "wet rope and brass"), "used")

	reset := link()
	e, err = identity.Entry(ctx, s, reset)
	require.NoError(t, err)
	assert.False(t, e.Invitation)
	in, err := identity.Begin(ctx, s, p, desk1)
	require.NoError(t, err)
	require.NoError(t, take(reset, "brass and wet rope"))
	_, err = identity.BySession(ctx, s, in.Token)
	is(t, problem.NotFound, err, "what was begun before ends")

	old := link()
	_, err = conn.Exec(ctx, "update entries set expires_at = now() - interval '1 second'")
	require.NoError(t, err)
	is(t, problem.NotFound, take(old, "wet rope and brass"), "too old")
	ended := link()
	in, err = identity.SignIn(ctx, s, p.Email, "brass and wet rope", desk1)
	require.NoError(t, err)
	caller, err := identity.BySession(ctx, s, in.Token)
	require.NoError(t, err)
	require.NoError(t, change(s, func(tx *store.Tx) error { return identity.End(ctx, tx, p) }))
	is(t, problem.NotFound, take(ended, "wet rope and brass"), "let in no more")
	alive, err := caller.Alive(ctx, s)
	require.NoError(t, err)
	assert.False(t, alive)
	_, wrong := identity.SignIn(ctx, s, p.Email, "brass and wet rope", desk1)
	_, nobody := identity.SignIn(ctx, s, "nobody@example.org", "brass and wet rope", desk1)
	assert.Equal(t, fmt.Sprint(nobody), fmt.Sprint(wrong), "those who have ended are told from nobody by no word")
	is(t, problem.Conflict, change(s, func(tx *store.Tx) error {
		_, _, err := identity.MakeEntry(ctx, tx, person(t, s, p.Email))
		return err
	}), "nor are there links for them")
	require.NoError(t, change(s, func(tx *store.Tx) error { return tx.AdmitPerson(ctx, p.ID) }))
	_, err = identity.SignIn(ctx, s, p.Email, "brass and wet rope", desk1)
	require.NoError(t, err, "let in again")
}

func TestTheFirstPerson(t *testing.T) {
	s, conn := open(t, "identity_first")
	code, err := identity.FirstCode(ctx, s)
	require.NoError(t, err)
	another, err := identity.FirstCode(ctx, s)
	require.NoError(t, err, "each instance prints one")
	assert.Len(t, strings.ReplaceAll(code, "-", ""), 24)
	var kept int
	require.NoError(t, conn.QueryRow(ctx, "select count(*) from first_codes where hash in ($1, $2)", code, strings.ReplaceAll(code, "-", "")).Scan(&kept))
	assert.Zero(t, kept, "the code itself is not kept")
	name := "Mara"
	first := func(code, email string) error {
		return change(s, func(tx *store.Tx) error {
			_, err := identity.First(ctx, tx, code, identity.Change{Email: email, Name: &name, Password: "wet rope and brass"})
			return err
		})
	}
	is(t, problem.Invalid, first("aaaa-aaaa", "x@example.org"), "no code of ours")
	is(t, problem.Invalid, first(code, "no address"), "what is wrong with it is said")
	var made atomic.Int32
	var all sync.WaitGroup
	for i, c := range []string{strings.ToUpper(code), another, code, another} {
		all.Go(func() {
			if first(c, fmt.Sprintf("mara%d@example.org", i)) == nil {
				made.Add(1)
			}
		})
	}
	all.Wait()
	assert.Equal(t, int32(1), made.Load(), "there is one first person")
	people, err := s.People(ctx)
	require.NoError(t, err)
	require.Len(t, people, 1)
	assert.True(t, people[0].Builder)
	is(t, problem.Invalid, first(another, "late@example.org"), "the codes have ended")
	none, err := identity.FirstCode(ctx, s)
	require.NoError(t, err)
	assert.Empty(t, none)
	is(t, problem.Conflict, change(s, func(tx *store.Tx) error { return identity.End(ctx, tx, &people[0]) }), "somebody has to look after the rest")
}

// loopback is where the stand-in of these tests is.
var loopback = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}

func TestThroughTheOrganisation(t *testing.T) {
	s, conn := open(t, "identity_organisation")
	mara(t, s)
	const home = "http://127.0.0.1/sign-in/back"
	server := httptest.NewUnstartedServer(nil)
	issuer := "http://" + server.Listener.Addr().String()
	staff, err := organisation.New(issuer, "eskadel", "the secret", home)
	require.NoError(t, err)
	server.Config.Handler = staff.Handler()
	server.Start()
	t.Cleanup(server.Close)
	keep := func(o store.Organisation) {
		require.NoError(t, change(s, func(tx *store.Tx) error {
			o.Title, o.Issuer, o.Client = "Staff", issuer, "eskadel"
			if o.SealedSecret == nil {
				o.SealedSecret = tx.Seal("the secret")
			}
			return tx.SaveOrganisation(ctx, &o)
		}))
	}
	providers := identity.NewProviders(loopback)
	_, _, err = providers.Depart(ctx, s, home, "/")
	is(t, problem.NotFound, err, "there is none yet")
	keep(store.Organisation{})

	// sent sets out, is signed in as a member, and comes back.
	sent := func(member string) (identity.Return, url.Values) {
		address, token, err := providers.Depart(ctx, s, home, "/dashboards/yard-today")
		require.NoError(t, err)
		u, err := url.Parse(address)
		require.NoError(t, err)
		q := u.Query()
		assert.Equal(t, []string{"S256"}, q["code_challenge_method"])
		return identity.Return{Token: token, State: q.Get("state"), Issuer: issuer, Back: home, Code: staff.Grant(member, q.Get("nonce"), q.Get("code_challenge"))}, q
	}
	enter := func(r identity.Return) (p *store.Person, noted string, err error) {
		known, onward, err := providers.Arrive(ctx, s, r)
		if err != nil {
			return nil, "", err
		}
		assert.Equal(t, "/dashboards/yard-today", onward)
		return p, noted, s.Change(ctx, "test", func(tx *store.Tx) error {
			if p, noted, err = identity.Recognise(ctx, tx, known); err != nil {
				return err
			}
			return tx.Audit(ctx, "tested", "")
		})
	}
	refused := func(why string, member string, lie func(*identity.Return), twist func(jwt.MapClaims)) {
		t.Helper()
		staff.Twist = twist
		r, _ := sent(member)
		if lie != nil {
			lie(&r)
		}
		_, _, err := enter(r)
		is(t, problem.Forbidden, err, why)
		staff.Twist = nil
	}
	refused("another way back", "skerrin-1", func(r *identity.Return) { r.State = "another" }, nil)
	refused("somebody else's way back", "skerrin-1", func(r *identity.Return) { other, _ := sent("skerrin-1"); r.Token = other.Token }, nil)
	refused("no way out", "skerrin-1", func(r *identity.Return) { r.Token = "" }, nil)
	refused("another provider's answer", "skerrin-1", func(r *identity.Return) { r.Issuer = "https://elsewhere.example" }, nil)
	refused("said no", "", func(r *identity.Return) { r.Refused = "access_denied" }, nil)
	refused("a code that is made up", "skerrin-1", func(r *identity.Return) { r.Code = "made up" }, nil)
	refused("a code of another way", "skerrin-1", func(r *identity.Return) { other, _ := sent("skerrin-1"); r.Code = other.Code }, nil)
	refused("said for another way", "skerrin-1", nil, func(c jwt.MapClaims) { c["nonce"] = "another" })
	refused("said by another", "skerrin-1", nil, func(c jwt.MapClaims) { c["iss"] = "https://elsewhere.example" })
	refused("said to another", "skerrin-1", nil, func(c jwt.MapClaims) { c["aud"] = "another" })
	refused("said long ago", "skerrin-1", nil, func(c jwt.MapClaims) { c["exp"] = time.Now().Add(-time.Hour).Unix() })
	refused("of nobody", "skerrin-1", nil, func(c jwt.MapClaims) { delete(c, "sub") })
	refused("nobody has let them in", "skerrin-3", nil, nil)
	orla := func(c jwt.MapClaims) { c["email"] = "mara@example.org" }
	refused("an address that need not be theirs", "skerrin-2", nil, func(c jwt.MapClaims) { orla(c); c["email_verified"] = false })

	staff.Twist = orla
	r, _ := sent("skerrin-1")
	p, noted, err := enter(r)
	require.NoError(t, err)
	assert.Equal(t, "mara@example.org", p.Email)
	assert.Contains(t, noted, "from now on")
	_, _, err = enter(r)
	is(t, problem.Forbidden, err, "the same way twice")
	refused("another of the same address", "skerrin-2", nil, orla)
	staff.Twist = func(c jwt.MapClaims) { c["email"] = "another@example.org" }
	r, _ = sent("skerrin-1")
	again, noted, err := enter(r)
	require.NoError(t, err)
	assert.Equal(t, p.ID, again.ID, "who is known stays known, whatever their address")
	assert.Empty(t, noted)
	staff.Twist = nil

	keep(store.Organisation{Admits: true, Revision: 2})
	refused("an address that is none", "skerrin-3", nil, func(c jwt.MapClaims) { c["email"] = "nowhere" })
	r, _ = sent("skerrin-3")
	ruan, noted, err := enter(r)
	require.NoError(t, err)
	assert.Contains(t, noted, "became an author")
	assert.True(t, !ruan.Builder && ruan.Name == "Ruan Teague" && !ruan.Invited())
	in, err := identity.BeginThrough(ctx, s, ruan, &store.Organisation{Title: "Staff"}, desk1)
	require.NoError(t, err)
	_, err = identity.BySession(ctx, s, in.Token)
	require.NoError(t, err)
	require.NoError(t, change(s, func(tx *store.Tx) error { return identity.End(ctx, tx, ruan) }))
	refused("let in no more", "skerrin-3", nil, nil)

	r, _ = sent("skerrin-1")
	_, err = conn.Exec(ctx, "update departures set expires_at = now()")
	require.NoError(t, err)
	_, _, err = enter(r)
	is(t, problem.Forbidden, err, "took too long")
	keep(store.Organisation{SealedSecret: s.Seal("another secret"), Revision: 3})
	refused("Eskadel is not who it says", "skerrin-1", nil, nil)
	err = identity.NewProviders(nil).Try(ctx, issuer)
	is(t, problem.Forbidden, err, "inside is asked only where that is allowed")
	is(t, problem.Down, providers.Try(ctx, issuer+"/elsewhere"), "no provider there")
}

func TestWhereAnOrganisationCanBe(t *testing.T) {
	good := store.Organisation{Title: "Staff", Issuer: "https://login.example.org/realm", Client: "eskadel"}
	require.NoError(t, identity.CheckOrganisation(&good))
	for issuer, ok := range map[string]bool{
		"http://127.0.0.1:8091": true, "http://localhost:8091": true, "http://login.example.org": false, "ftp://login.example.org": false, "": false, "login.example.org": false,
		"https://login.example.org?x=1": false, "https://a:b@login.example.org": false, "https://": false, "https://login.example.org#x": false,
	} {
		o := good
		o.Issuer = issuer
		assert.Equal(t, ok, identity.CheckOrganisation(&o) == nil, issuer)
	}
}
